"""The same settings open in two windows: nothing of one is lost by what the other saves, and conflicts are told."""

from __future__ import annotations

import html
import json
import re
from collections.abc import Callable
from typing import Any

import pytest
from sqlmodel import Session, select

from tesoura.core.forms.meanwhile import marks_of, merged
from tesoura.errors import InvalidPiece
from tesoura.store.tables import ComputedRow, FeedRow, TextFileRow
from tests.conftest import Running
from tests.web.test_cue_pages import CHEER

FIELD = re.compile(r'<(?:input|textarea|select)\b[^>]*\bname="opened_with"[^>]*value="([^"]*)"')


def test_each_choice_is_merged_or_told() -> None:
    was = {"title": "Tea", "top": 3, "types": ["gift"], "on": False}
    saved = {"title": "Tea at five", "top": 3, "types": ["gift", "tip"], "on": True}
    # Mine is the title alone as it was; only the number is changed here.
    assert merged(marks_of(was), {**was, "top": 5}, saved) == {**saved, "top": 5}
    assert merged(marks_of(was), dict(saved), saved) == saved
    assert merged({}, was, saved) == was
    with pytest.raises(InvalidPiece) as told:
        merged(marks_of(was), {"title": "Cake", "top": 3, "types": ["cut"], "on": False}, saved)
    assert told.value.wrong == {
        "title": "Changed in another window since you opened this, to “Tea at five”. Save again to keep yours.",
        "types": "Changed in another window since you opened this, to “gift, tip”. Save again to keep yours.",
    }


def opened(running: Running, page: str) -> str:
    found = FIELD.search(running.client.get(page).text)
    assert found, page
    assert isinstance(json.loads(html.unescape(found[1])), dict)
    return html.unescape(found[1])


def kept(running: Running, *names: str) -> list[str]:
    """What is saved for these, of the only thing that was set up."""

    def ask(session: Session) -> list[str]:
        found = [one.choices for one in session.exec(select(ComputedRow)).all()]
        found += [one.choices for one in session.exec(select(FeedRow).where(FeedRow.kind == "hand")).all()]
        found += [one.model_dump() for one in session.exec(select(TextFileRow)).all()]
        [saved] = found
        return [str(saved[name]) for name in names]

    return running.runtime.store.read(ask)


def window(running: Running) -> tuple[str, str, dict[str, Any]]:
    form = {"name": "gifts", "types": "gift", "stats": "count", "over": "today", "amount": "amount", "by": "name"}
    running.do("computed.new?kind=window", form)
    return "/signals/computed/1", "computed.change?computed=1", form


def statistics(running: Running) -> tuple[str, str, dict[str, Any]]:
    form = {"title": "Game", "player": "mara_vane", "former": "", "last": "10"}
    running.do("instrument.new?kind=statistics", form)
    return "/instruments/game/setup", "instrument.change?instrument=game", form


def text_file(running: Running) -> tuple[str, str, dict[str, Any]]:
    form = {"name": "tea.txt", "wording": "five", "nothing_yet": "", "when_down": "keep", "newline": "no"}
    running.do("file.new", form)
    return "/files/1", "file.change?file=1", form


def feed(running: Running) -> tuple[str, str, dict[str, Any]]:
    form = {"title": "Deaths", "what": "number", "start": "5", "low": "0", "high": "9", "step": "1"}
    running.press("/feeds/new/hand", "/feeds/new/hand", form)
    return "/feeds/deaths/setup", "feed.change?feed=deaths", form


def cue(running: Running) -> tuple[str, str, dict[str, Any]]:
    running.do("instrument.new?kind=cue", CHEER)
    return "/cues/cheer/setup", "instrument.change?instrument=cheer", CHEER


@pytest.mark.parametrize(
    ("make", "one", "two"),
    [
        (window, ("over", "session", "all"), ("top", "5", "7")),
        (statistics, ("title", "Duel", "Match"), ("last", "20", "15")),
        (text_file, ("wording", "six", "seven"), ("nothing_yet", "none", "nobody")),
        (feed, ("low", "1", "2"), ("high", "20", "30")),
        (cue, ("title", "Cheers", "Hurray"), ("person_rests", "10 min", "20 min")),
    ],
)
def test_two_windows_of_the_same_settings(
    running: Running,
    make: Callable[[Running], tuple[str, str, dict[str, Any]]],
    one: tuple[str, str, str],
    two: tuple[str, str, str],
) -> None:
    page, door, form = make(running)
    was = opened(running, page)
    assert running.do(door, {**form, one[0]: one[1], "opened_with": was}).status_code == 302
    # The second window was opened before: it changes something else, and the first one's change stays.
    assert running.do(door, {**form, two[0]: two[1], "opened_with": was}).status_code == 302
    assert kept(running, one[0], two[0]) == [one[1], two[1]]
    # It changes the same: nothing is saved, the page says how it is by now, and saving again keeps it.
    answer = running.do(
        door, {**form, two[0]: two[1], one[0]: one[2], "opened_with": was}, headers={"Accept": "application/json"}
    )
    assert answer.status_code == 422
    told = f"Changed in another window since you opened this, to “{one[1]}”. Save again to keep yours."
    assert answer.json()["wrong"] == {one[0]: told}
    assert kept(running, one[0]) == [one[1]]
    given = {**form, two[0]: two[1], one[0]: one[2], "opened_with": json.dumps(answer.json()["opened_with"])}
    assert running.do(door, given).status_code == 302
    assert kept(running, one[0]) == [one[2]]


def test_two_windows_of_a_look(running: Running) -> None:
    page = running.client.get("/looks/ink").text
    found, token = re.search(r'data-saved="([^"]+)"', page), re.search(r'<meta name="csrf" content="([^"]+)"', page)
    assert found
    assert token
    was = json.loads(html.unescape(found[1]))
    headers = {"X-CSRFToken": token[1]}

    def change(opened_with: object, **chosen: str) -> tuple[int, dict[str, str]]:
        sent = {"set": chosen, "form": "dark", "opened_with": opened_with}
        answer = running.client.post("/looks/ink", json=sent, headers=headers)
        return answer.status_code, dict(answer.json()["wrong"])

    assert change(was, name="Ink of mine") == (200, {})
    assert change(was, about="Blue") == (200, {})
    told = {"name": "Changed in another window since you opened this, to “Ink of mine”. Save again to keep yours."}
    assert change(was, name="Night") == (422, told)
    assert change(marks_of({"name": "Ink of mine"}), name="Night") == (200, {})
