"""Sponsors' reports: their figures out of the log, their signature, and what a change of either is called."""

from __future__ import annotations

import base64
import copy
import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from sqlalchemy import text

from tesoura.cli import main
from tesoura.core.computed.occurrence import micros
from tesoura.core.sponsors.report import ReportCampaign, ReportSpan, changed_events, differences
from tesoura.core.values import Event
from tesoura.store import log, reports, signing
from tesoura.store.store import Store, open_store

T0 = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
TEA = ReportCampaign("tea", "Tea of the autumn", "Cordel Tea", minutes=1.0, reads=1)
GLUE = ReportCampaign("glue", "Glue", "Gluepot", test=True)


def at(seconds: float) -> datetime:
    return T0 + timedelta(seconds=seconds)


def ms(seconds: float) -> int:
    return micros(at(seconds)) // 1000


def slot(item: str, sponsor: str, test: bool = False) -> dict[str, Any]:
    campaign = item.partition(":")[0]
    return {"id": item, "campaign": campaign, "sponsor": sponsor, "words": item, "test": test}


EVENTS: tuple[tuple[float, str, dict[str, Any]], ...] = (
    (0, "tesoura.scene", {"signal": "scene.present", "value": "Play"}),
    (0, "tesoura.air", {"signal": "air.cup", "value": 1}),
    (10, "turns.shown", {"slots": [slot("tea:1", "Cordel Tea")]}),
    (50, "turns.shown", {"slots": [slot("glue:1", "Gluepot", test=True)]}),
    (60, "turns.shown", {"slots": [{}]}),
    (40, "tesoura.scene", {"signal": "scene.present", "value": "Talk"}),
    (65, "tea.card", {"shown": True, "sponsor": "Cordel Tea", "test": False}),
    (95, "tea.read_ended", {"seconds": 30.0, "said": 2, "points": 3, "ended": "read", "test": False}),
    (95, "tea.card", {"shown": False, "sponsor": "Cordel Tea", "test": False}),
    (96, "tea.read_ended", {"seconds": 4.0, "said": 0, "points": 3, "ended": "cancelled", "test": False}),
    (97, "tea.linked", {"id": "linked:97", "line": "Cordel Tea: https://tea.example"}),
    (98, "tea.linked", {"id": "linked:98", "line": "Cordel Tea: https://tea.example"}),
    (98.5, "tesoura.effect_ended", {"of": "tea.linked:97", "outcome": "done"}),
    (98.6, "tesoura.effect_ended", {"of": "tea.linked:98", "outcome": "failed", "why": "○ chat not connected"}),
    (98.7, "tesoura.effect_ended", {"effect": "sound", "outcome": "failed"}),
    (
        99,
        "tesoura.painted",
        {
            "pages": [
                {
                    "page": "a",
                    "overlay": "Cup",
                    "spans": [
                        ["tea:1", ms(10), ms(48)],
                        ["tea:1", ms(48), ms(50), "it had not loaded"],
                        ["glue:1", ms(50), ms(60)],
                        ["tea:card", ms(66), ms(95)],
                    ],
                }
            ]
        },
    ),
)


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Store]:
    made = open_store(tmp_path / "data")
    events = [Event(str(place), "x", kind, at(when), data) for place, (when, kind, data) in enumerate(EVENTS)]
    made.write(lambda session: log.append(session, events, at(100)))
    yield made
    made.close()


def report(store: Store) -> dict[str, Any]:
    # An end between two milliseconds, as any instant is.
    spans = [ReportSpan(micros(T0), micros(at(120)) + 345, "Thursday")]
    return store.read(lambda session: reports.made(session, spans, [TEA, GLUE], ["turns"], "", "scene.present"))


def signed(store: Store) -> dict[str, Any]:
    told: dict[str, Any] = json.loads(json.dumps(reports.signed(report(store), store.secrets, at(120))))
    return told


def wrong(store: Store, told: dict[str, Any]) -> list[str]:
    return list(store.read(lambda session: reports.check(session, store.secrets, told)).wrong)


def test_its_figures_are_what_the_log_says(store: Store) -> None:
    tea, glue = report(store)["campaigns"]
    # Painted 38 of 40 s, and 29 of the 30 of its card.
    assert (tea["seen_s"], tea["sent_s"], tea["appearances"], tea["viewer_minutes"]) == (67.0, 70.0, 2, None)
    assert (tea["reads_counted"], tea["links"], tea["promised"]["kept"]) == (1, ["2026-11-26T20:01:37.000+00:00"], True)
    assert tea["by_scene"] == {"Play": 30.0, "Talk": 37.0}
    assert [(one["seconds"], one["why"]) for one in tea["gaps"]] == [
        (2.0, "it had not loaded"),
        (1.0, "no page said that it painted it"),
    ]
    assert (glue["seen_s"], glue["sent_s"], glue["test"]) == (0.0, 10.0, True)
    assert [one["item"] for one in tea["items"]] == ["tea:1", "tea:card"]


def test_one_that_nobody_changed_fits_its_signature_and_the_log(store: Store) -> None:
    found = store.read(lambda session: reports.check(session, store.secrets, signed(store)))
    assert found.wrong == ()
    assert found.notes == ("Valid signature: the report is unchanged.", "All figures match the log.")


def test_over_several_sessions_everything_is_added_and_promised_for_each(store: Store) -> None:
    spans = [
        ReportSpan(micros(T0) + 17, micros(at(30.0006)), "one"),
        ReportSpan(micros(at(80)), micros(at(120)), "two"),
    ]
    told = store.read(lambda session: reports.made(session, spans, [TEA], ["turns"], "", "scene.present"))
    (tea,) = told["campaigns"]
    # Twenty seconds of the mark in the first, fifteen of the card in the second.
    assert (tea["seen_s"], tea["sent_s"], tea["appearances"], tea["reads_counted"]) == (35.0, 35.0, 2, 1)
    assert (tea["promised"]["minutes"], tea["promised"]["reads"], tea["promised"]["kept"]) == (2.0, 2, False)
    assert [one[2] for one in told["spans"]] == ["one", "two"]
    whole = json.loads(json.dumps(reports.signed(told, store.secrets, at(130))))
    assert wrong(store, whole) == []


def test_it_fits_still_when_the_log_has_grown(store: Store) -> None:
    told = signed(store)
    more = Event(
        "late",
        "x",
        "tesoura.painted",
        at(119),
        {"pages": [{"page": "b", "overlay": "Cup", "spans": [["tea:1", ms(48), ms(50)]]}]},
    )
    store.write(lambda session: log.append(session, [more], at(130)))
    assert wrong(store, told) == []


def test_a_figure_that_was_changed_is_named(store: Store) -> None:
    told = signed(store)
    told["campaigns"][0]["seen_s"] = 90.0
    assert wrong(store, told) == [
        "“campaigns” was changed after the report was signed.",
        "campaigns Tea of the autumn.seen_s: it says 90.0, and the log 67.0",
    ]


@pytest.mark.parametrize(
    ("change", "line"),
    [
        ("UPDATE event SET data = replace(data, '30.0', '31.0') WHERE seq = 8", "event 8 was changed"),
        ("DELETE FROM event WHERE seq = 3", "event 3 is gone"),
    ],
)
def test_an_event_that_was_changed_in_the_log_is_named(store: Store, change: str, line: str) -> None:
    told = signed(store)
    store.write(lambda session: session.connection().execute(text(change)) and None)
    assert line in wrong(store, told)


@pytest.mark.parametrize("part", ["begin", "end", "words", "made_at", "version", "sources", "kind"])
def test_each_part_that_was_changed_is_named(store: Store, part: str) -> None:
    told = signed(store)
    told[part] = {"viewers": "", "scene": "scene.other"} if part == "sources" else "else"
    assert wrong(store, told)[0] == f"“{part}” was changed after the report was signed."


def test_a_report_of_an_earlier_version_is_signed_as_a_whole(store: Store) -> None:
    body = {**report(store), "made_at": "2026-11-26T20:05:00+00:00"}
    key = signing._key_of(store.secrets)
    signature = base64.b64encode(key.sign(signing._bytes(body))).decode()
    mark = {"by": signing.public_key(store.secrets), "how": "Ed25519", "signature": signature}
    told = json.loads(json.dumps({**body, "signed": mark}))
    assert wrong(store, told) == []
    assert wrong(store, {**told, "words": "Friday"})[0].startswith("Invalid signature:")


def test_one_that_another_folder_signed_is_told(store: Store, tmp_path: Path) -> None:
    other = open_store(tmp_path / "other")
    try:
        told = json.loads(json.dumps(reports.signed(report(store), other.secrets, at(120))))
        assert wrong(store, told) == ["Signed with a different key than this data folder's."]
    finally:
        other.close()


@pytest.mark.parametrize("gone", ["signed", "rests_on", "of", "spans", "campaigns"])
def test_one_that_is_not_whole_is_refused_with_what_is_missing(store: Store, gone: str) -> None:
    told = copy.deepcopy(signed(store))
    del told[gone]
    lines = wrong(store, told)
    unsigned = "Invalid signature: the report was changed after signing."
    assert lines[0] == (unsigned if gone == "signed" else f"“{gone}” was changed after the report was signed.")
    assert gone == "signed" or len(lines) > 1


def test_the_command_line_tells_whether_report_and_log_agree(store: Store, tmp_path: Path) -> None:
    path, data = tmp_path / "report.json", str(tmp_path / "data")
    path.write_text(json.dumps(signed(store)), "utf-8")
    store.close()
    ran = CliRunner().invoke(main, ["verify", str(path), "--data", data])
    assert (ran.exit_code, "All figures match the log" in ran.output) == (0, True), ran.output
    path.write_text(path.read_text("utf-8").replace('"appearances": 2', '"appearances": 3', 1), "utf-8")
    ran = CliRunner().invoke(main, ["verify", str(path), "--data", data])
    assert (ran.exit_code, "appearances: it says 3, and the log 2" in ran.output) == (1, True), ran.output


def test_what_differs_is_told_by_its_place() -> None:
    assert differences({"a": [1, {"item": "tea", "b": 2}]}, {"a": [1, {"item": "tea", "b": 3}]}) == [
        "a tea.b: it says 2, and the log 3"
    ]
    assert differences({"a": [1]}, {"a": [1, 2]}) == ["a: it has 1, and the log 2"]
    assert changed_events([[1, "a"], [2, "b"]], [[2, "c"], [3, "d"]]) == [
        "event 2 was changed",
        "event 1 is gone",
        "event 3 was not there",
    ]
