"""Routes as files and as lines, as `docs/routes.md` has them; and files that are none."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

from tesoura.core.runs.route import Route, RouteSplit, lines_of, read_file, route_file, route_table
from tesoura.errors import InvalidField
from tesoura.store.exports import table_line

DOC = (Path(__file__).parents[2] / "docs" / "routes.md").read_text("utf-8")
ROWS = [("Gatekeeper", ""), ("The Twins of Salt", "Lower town"), ("Well of Bells", "Lower town")]
SHORT = Route("r", "Short way", tuple(RouteSplit(f"{at}", *one) for at, one in enumerate(ROWS)))


def block(kind: str) -> str:
    found = re.search(rf"```{kind}\n(.*?)```", DOC, re.DOTALL)
    assert found
    return found[1]


def test_the_page_of_routes_is_true_in_both_ways() -> None:
    assert read_file(block("json")) == ("Short way", ROWS)
    assert json.loads(block("json")) == route_file(SHORT, "The Lantern Mile")
    assert read_file(block("csv")) == ("", ROWS)
    lines = [table_line(("split", "group")), *map(table_line, route_table(SHORT))]
    assert "".join(lines).replace("\r\n", "\n") == block("csv")
    assert lines_of(block("text")) == ROWS


def test_what_comes_from_another_hand_is_read_as_it_is_meant() -> None:
    assert read_file('\ufeffGroup,Note,SPLIT\r\nLow,x,"Bells, the well"\r\n\r\n,,Ladder\r\n') == (
        "",
        [("Bells, the well", "Low"), ("Ladder", "")],
    )
    assert read_file("split\n'=1+1\n'tis\n") == ("", [("=1+1", ""), ("'tis", "")])
    assert read_file(json.dumps({"kind": "tesoura.route", "version": 1, "splits": [{"name": " a  b "}]})) == (
        "",
        [("a b", "")],
    )


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "first line names the columns"),
        ("name\nGate", "first line names the columns"),
        ("split\n", "no splits"),
        ('split\n"open', "Not valid CSV:"),
        ('{"kind": "tesoura.route"', "no whole JSON"),
        ("[1]", "is not a route"),
        ('{"kind": "another"}', "is not a route"),
        ('{"kind": "tesoura.route", "version": 2}', "newer Tesoura"),
        ('{"kind": "tesoura.route", "version": 1, "splits": [3]}', "no list of splits"),
        ('{"kind": "tesoura.route", "version": 1, "splits": [{"name": ""}]}', "Row 1: A split needs a name"),
        ("split\n" + "x\n" * 501, "500 at most"),
        ("split\n" + "W" * 201, "Row 2"),
        ("split\n" + "x" * 1_000_001, "1,000,000 at most"),
        ('{"a":' * 100_000, "no whole JSON"),
    ],
)
def test_a_file_that_is_no_route_says_why(text: str, why: str) -> None:
    with pytest.raises(InvalidField, match=why):
        read_file(text)
