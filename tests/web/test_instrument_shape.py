"""The shape of all instruments: a toy of one module and one template folder gets everything else by itself."""

from __future__ import annotations

import asyncio
import sqlite3
from collections.abc import Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, Self

import pytest
from jinja2 import ChoiceLoader, DictLoader

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, instant
from tesoura.core.forms.checks import line, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.instruments import registry as instrument_kinds
from tesoura.core.instruments.base import Fired, InstrumentKind, Step, Told
from tesoura.core.instruments.commands import Command, CommandKind
from tesoura.core.instruments.items import InstrumentItem, ItemForm
from tesoura.core.instruments.records import Record, RecordKind
from tesoura.core.overlays.pieces import registry as piece_kinds
from tesoura.core.overlays.pieces.kind import SIZE, PieceKind, PieceText, say
from tesoura.core.signals.extremes import Extremes
from tesoura.core.values import Scalar
from tesoura.errors import CommandRefused
from tesoura.runtime.facade import Runtime
from tesoura.store import log as event_log
from tests.conftest import Running, until

HOUR = timedelta(hours=1)
TEMPLATES = {
    "instruments/lamps/panel.html": "{% from 'instruments/_control.html' import control with context %}"
    "<output data-signal='{{ name }}.lit'>{{ it['values']['lit'] }}</output><i>{{ it.view['dark'] }} dark</i>"
    "{{ control(name, 'light', 'Light one', effect) }}",
    "instruments/lamps/preview.html": "<p>{{ shown.then['lit'] }} would be lit</p>",
    "instruments/lamps/piece.html": "<b class='t-words' data-say='{{ piece.id }}'>{{ says[''] }}</b>",
}


@dataclass(frozen=True, slots=True)
class Lamps:
    """Lamps that are lit one by one and go out together an hour later; once all are lit, it is evening.

    Its items are the rooms, which it counts; it writes down each time that lamps were lit.
    """

    name: str
    of: int
    lit: int = 0
    evening: bool = False
    out_at: datetime | None = None
    rooms: int = 0
    fresh: tuple[Record, ...] = ()

    def handle(self, command: Command, now: datetime) -> Step:
        if command.name == "draw":
            # While it is only tried, nothing has been drawn.
            lit = self.lit if command.chance is None else int(command.chance * (self.of + 1))
            return Step(replace(self, lit=lit, out_at=now + HOUR, fresh=()), "some lamps, as chance has it")
        if command.name != "light":
            raise CommandRefused("Lamps know light and draw.")
        if self.lit == self.of:
            raise CommandRefused("All lamps are lit.")
        after = replace(self, lit=self.lit + 1, out_at=now + HOUR, fresh=(Record("lit", now, {"lamps": self.lit + 1}),))
        return Step(after, f"{self.lit} lit → {self.lit + 1} lit")

    def with_items(self, items: Sequence[InstrumentItem]) -> Self:
        return replace(self, rooms=len(items), fresh=())

    def recorded(self) -> Sequence[Record]:
        return self.fresh

    def advance(self, at: datetime) -> Self:
        return replace(self, lit=0, out_at=None) if self.out_at is not None and at >= self.out_at else self

    def on_event(self, event: Occurrence) -> Self:
        if event.type == f"{self.name}.evening":
            return replace(self, evening=True, fresh=(Record("evening", instant(event.at), {"rooms": self.rooms}),))
        return replace(self, lit=0, fresh=()) if event.type == "wind" else replace(self, fresh=())

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Self:
        return self

    def read(self, now: datetime) -> Told:
        return {"lit": self.advance(now).lit, "rooms": self.rooms}

    def view(self, at: datetime) -> Mapping[str, Any]:
        return {"dark": self.of - self.advance(at).lit}

    def next_change(self, now: datetime) -> datetime | None:
        return self.out_at if self.out_at is not None and self.out_at > now else None

    def fires(self, now: datetime) -> Sequence[Fired]:
        if self.lit == self.of and not self.evening:
            return [Fired("evening", f"{self.name}.evening", now, {"lamps": self.of})]
        return []

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        return {"lit": Extremes("88888888888888888888", "all")}

    def saved(self) -> dict[str, Any]:
        out_at = self.out_at.isoformat() if self.out_at else None
        return {"lit": self.lit, "evening": self.evening, "out_at": out_at}


def _restored(name: str, choices: Mapping[str, Any], almanac: Almanac, saved: Mapping[str, Any]) -> Lamps:
    out_at = datetime.fromisoformat(saved["out_at"]) if saved["out_at"] else None
    return Lamps(name, choices["of"], saved["lit"], saved["evening"], out_at)


PIECE = PieceKind(
    "lamps",
    "Lamps",
    "How many lamps are lit.",
    {"lamps": Field("Which", text(60, empty=True), kind="instrument", of="lamps"), "size_px": SIZE},
    lambda choices: {"": say(f"{{{choices['lamps']}.lit}} lit", choices)} if choices["lamps"] else {},
    lambda choices: (PieceText(""),),
    size=(300, 90),
    template="instruments/lamps/piece.html",
)
KIND = InstrumentKind(
    "lamps",
    "Lamps",
    "Lamps that are lit one by one.",
    "lamps",
    {"title": Field("Title", line(60)), "of": Field("How many", whole(1, 9), default="3")},
    begin=lambda name, choices, almanac, now: Lamps(name, choices["of"]),
    restore=_restored,
    outputs=lambda choices: {"lit": "lamps", "rooms": "rooms"},
    commands=(CommandKind("light", "Light one", "Light one more."), CommandKind("draw", "Draw", "Some.", draws=True)),
    types=lambda name, choices: ("wind", f"{name}.evening"),
    pieces=(PIECE,),
    items=ItemForm("room", "rooms", {"room": Field("Room", line(20)), "lamps": Field("L", whole(1, 9), default=1)}, 3),
    records=(RecordKind("lit", "lightings", {"lamps": "Lamps"}), RecordKind("evening", "evenings", {"rooms": "Rooms"})),
)


@pytest.fixture
def there(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(instrument_kinds.KINDS, "lamps", KIND)
    monkeypatch.setitem(piece_kinds.KINDS, "lamps", PIECE)


@pytest.fixture
def shaped(there: None, running: Running, monkeypatch: pytest.MonkeyPatch) -> Running:
    _draw(running, monkeypatch)
    return running


def _draw(running: Running, monkeypatch: pytest.MonkeyPatch) -> None:
    app = running._app.routes[-1].app.app.app.wsgi_app.__self__  # type: ignore[attr-defined]
    monkeypatch.setattr(app.jinja_env, "loader", ChoiceLoader([DictLoader(TEMPLATES), app.jinja_env.loader]))


def light(running: Running) -> dict[str, Any]:
    return dict(running.client.post("/api/instruments/lamps/light", headers=running.auth).json())


def test_a_new_kind_is_set_up_shown_commanded_and_scripted(shaped: Running) -> None:
    assert "Lamps that are lit one by one." in shaped.client.get("/instruments/new").text
    assert shaped.do("instrument.new?kind=lamps", {"title": "Lamps", "of": "12"}).status_code == 422
    shaped.do("instrument.new?kind=lamps", {"title": "Lamps", "of": "2"})
    assert "0 lit → 1 lit" in shaped.client.get("/instruments/lamps/effect/light").text
    assert "Light one" in shaped.client.get("/instruments/").text
    assert "2 dark" in shaped.client.get("/instruments/").text
    assert light(shaped)["effect"] == "0 lit → 1 lit"
    assert shaped.signal("lamps.lit")["value"] == 1
    assert shaped.client.get("/instruments/lamps").status_code == 200


def test_its_events_its_moment_and_its_refusal_are_its_own(shaped: Running) -> None:
    shaped.do("instrument.new?kind=lamps", {"title": "Lamps", "of": "2"})
    light(shaped)
    light(shaped)
    until(lambda: shaped.signal("lamps_evening.count_this_session").get("value") == 1)
    assert light(shaped)["detail"] == "All lamps are lit."
    shaped.event(type="wind", data={})
    assert shaped.signal("lamps.lit")["value"] == 0


def test_its_piece_is_laid_on_an_overlay_and_measured_at_its_widest(shaped: Running) -> None:
    shaped.do("instrument.new?kind=lamps", {"title": "Lamps"})
    went = shaped.press("/", "/instruments/lamps/place", {"piece": "lamps", "overlay": ""})
    page = shaped.client.get(went.headers["location"]).text
    assert "0 lit" in page
    assert "88888888888888888888 lit" in page


def test_it_goes_on_after_a_crash(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(instrument_kinds.KINDS, "lamps", KIND)
    running = Running(tmp_path / "data")
    running.do("instrument.new?kind=lamps", {"title": "Lamps"})
    light(running)
    running.kill()
    again = Running(tmp_path / "data")
    assert again.signal("lamps.lit")["value"] == 1
    again.stop()


def test_two_equal_commands_at_once_are_one_success_and_one_refusal(shaped: Running) -> None:
    shaped.do("instrument.new?kind=lamps", {"title": "Lamps", "of": "1"})

    async def twice(runtime: Runtime) -> list[object]:
        given = (runtime.instruments.command("lamps", "light", {}) for _ in range(2))
        return list(await asyncio.gather(*given, return_exceptions=True))

    first, second = shaped.runtime.call(twice)
    assert (isinstance(first, Step), str(second)) == (True, "All lamps are lit.")


def test_one_that_fails_stands_still_and_says_so_while_the_others_go_on(
    shaped: Running, monkeypatch: pytest.MonkeyPatch
) -> None:
    heard = Lamps.on_event

    def stumble(self: Lamps, event: Occurrence) -> Lamps:
        if event.data.get("torn"):
            raise ZeroDivisionError("no wind")
        return heard(self, event)

    monkeypatch.setattr(Lamps, "on_event", stumble)
    shaped.do("instrument.new?kind=lamps", {"title": "Lamps", "of": "3"})
    shaped.do("instrument.new?kind=countdown", {"title": "Kettle", "length": "5 min"})
    light(shaped)
    token = shaped.add_overlay("{wind.torn} {kettle.text}")
    assert shaped.event(type="wind", data={"torn": 7}).status_code == 202
    told = shaped.signal("lamps.lit")
    assert (told["value"], told["freshness"]) == (1, "down")
    assert "Rebuild" in shaped.client.get("/instruments/lamps").text
    assert light(shaped)["detail"] == "An error in Tesoura stopped this. Rebuild it, or change its settings."
    # The event's own signal is published in the same batch, and another instrument still takes commands.
    assert "7 05:00" in shaped.client.get(f"/o/{token}").text
    started = shaped.client.post("/api/instruments/kettle/start", headers=shaped.auth)
    assert started.status_code == 200
    monkeypatch.setattr(Lamps, "on_event", heard)
    went = shaped.do("computed.rebuild?key=lamps", follow_redirects=True)
    assert "Rebuilt from the log" in went.text
    assert shaped.signal("lamps.lit") | {"observed_at": None} == {
        "name": "lamps.lit",
        "value": 0,
        "unit": "lamps",
        "observed_at": None,
        "freshness": "live",
    }


def test_one_that_fails_over_the_log_keeps_tesoura_from_nothing(
    there: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    running = Running(tmp_path / "data")
    running.do("instrument.new?kind=lamps", {"title": "Lamps", "of": "3"})
    light(running)
    running.kill()

    def fail(*given: object) -> Lamps:
        raise RuntimeError("no oil")

    monkeypatch.setattr(Lamps, "handle", fail)
    with closing(sqlite3.connect(tmp_path / "data" / "tesoura.db")) as base:
        # As if nothing of it had been saved: the log alone tells how it stands.
        base.execute("DELETE FROM computed_state")
        base.commit()
    again = Running(tmp_path / "data")
    try:
        assert again.client.get("/healthz").status_code == 200
        assert again.signal("lamps.lit")["freshness"] in ("down", "never")
        assert again.event(type="wind", data={}).status_code == 202
    finally:
        again.stop()


def test_what_chance_decided_is_in_the_log_and_the_same_after_a_crash(there: None, tmp_path: Path) -> None:
    running = Running(tmp_path / "data", save_every_s=3600.0)
    running.do("instrument.new?kind=lamps", {"title": "Lamps", "of": "9"})
    for _ in range(3):
        running.client.post("/api/instruments/lamps/draw", headers=running.auth)
    lit = running.signal("lamps.lit")["value"]
    drawn = [
        float(str(one.event.data["chance"]))
        for one in running.store.read(lambda session: event_log.latest(session, 9))
        if one.event.type == "tesoura.command.lamps"
    ]
    assert len(drawn) == 3
    assert lit == int(drawn[0] * 10)
    running.kill()
    again = Running(tmp_path / "data")
    assert again.signal("lamps.lit")["value"] == lit
    again.stop()


# Items, records, why


def command(running: Running, name: str, **given: Any) -> dict[str, Any]:
    return dict(
        running.client.post(
            "/api/actions/instrument.command",
            headers=running.auth,
            json={"instrument": "lamps", "command": name, **given},
        ).json()
    )


def rooms(running: Running) -> list[tuple[str, object]]:
    [one] = running.client.get("/api/instruments", headers=running.auth).json()
    return [(room["room"], room["lamps"]) for room in one["items"]]


def back(running: Running, done: dict[str, Any]) -> None:
    taken = running.client.post(
        f"/api/actions/{done['undo']['action']}", json=done["undo"]["parameters"], headers=running.auth
    )
    assert taken.status_code == 200, taken.text


def test_items_are_added_changed_moved_and_taken_out_and_each_is_taken_back(shaped: Running) -> None:
    shaped.do("instrument.new?kind=lamps", {"title": "Lamps"})
    for room in ("hall", "stair"):
        command(shaped, "add_item", room=room, lamps="2")
    added = command(shaped, "add_item", room="attic", at=0)
    assert rooms(shaped) == [("attic", 1), ("hall", 2), ("stair", 2)]
    assert "already, which is the maximum" in command(shaped, "add_item", room="cellar")["detail"]
    attic = added["undo"]["parameters"]["item"]
    moved = command(shaped, "move_item", item=attic, by=2)
    assert rooms(shaped) == [("hall", 2), ("stair", 2), ("attic", 1)]
    back(shaped, moved)
    changed = command(shaped, "change_item", item=attic, lamps=9)
    assert rooms(shaped)[0] == ("attic", 9)
    back(shaped, changed)
    gone = command(shaped, "remove_item", item=attic)
    assert (rooms(shaped), shaped.signal("lamps.rooms")["value"]) == ([("hall", 2), ("stair", 2)], 2)
    back(shaped, gone)
    assert rooms(shaped) == [("attic", 1), ("hall", 2), ("stair", 2)]
    back(shaped, added)
    assert rooms(shaped) == [("hall", 2), ("stair", 2)]
    assert "no such room" in command(shaped, "change_item", item="i999", lamps=2)["detail"]


def test_items_are_operated_from_the_instruments_page(shaped: Running) -> None:
    shaped.do("instrument.new?kind=lamps", {"title": "Lamps"})
    page = shaped.do("instrument.command?instrument=lamps&command=add_item", {"room": "", "lamps": "99"})
    assert page.status_code == 422
    assert "Enter a name." in page.text
    shaped.do("instrument.command?instrument=lamps&command=add_item", {"room": "hall", "lamps": "2"})
    shaped.do("instrument.command?instrument=lamps&command=add_item", {"room": "stair", "lamps": "1"})
    [hall, _] = shaped.client.get("/api/instruments", headers=shaped.auth).json()[0]["items"]
    shaped.do(f"instrument.command?instrument=lamps&command=move_item&item={hall['id']}&by=1")
    assert [room for room, _ in rooms(shaped)] == ["stair", "hall"]
    shaped.do(f"instrument.command?instrument=lamps&command=remove_item&item={hall['id']}")
    shaped.undo("/instruments/lamps")
    assert rooms(shaped) == [("stair", 1), ("hall", 2)]


def test_items_and_records_are_the_same_after_a_crash_and_built_anew(there: None, tmp_path: Path) -> None:
    running = Running(tmp_path / "data", save_every_s=3600.0)
    running.do("instrument.new?kind=lamps", {"title": "Lamps", "of": "2"})
    command(running, "add_item", room="hall")
    light(running)
    light(running)
    until(lambda: running.client.get("/api/instruments/lamps/records?kind=evening", headers=running.auth).json())
    told = running.client.get("/api/instruments/lamps/records", headers=running.auth).json()
    assert [(one["kind"], one.get("lamps"), one.get("rooms")) for one in told] == [
        ("evening", None, 1),
        ("lit", 2, None),
        ("lit", 1, None),
    ]
    running.kill()
    again = Running(tmp_path / "data")
    try:
        assert again.client.get("/api/instruments/lamps/records", headers=again.auth).json() == told
        again.runtime.call(lambda self: self.computations.rebuild(["lamps"]))
        assert again.client.get("/api/instruments/lamps/records", headers=again.auth).json() == told
        assert rooms(again) == [("hall", 1)]
        csv = again.client.get("/instruments/lamps/records/lit.csv").text.splitlines()
        assert (csv[0], [line.rpartition(",")[2] for line in csv[1:]]) == ("place,time,Lamps", ["2", "1"])
    finally:
        again.stop()


def test_why_names_the_events_that_changed_a_value(shaped: Running) -> None:
    shaped.do("instrument.new?kind=lamps", {"title": "Lamps", "of": "3"})
    light(shaped)
    shaped.event(type="gust", data={})
    light(shaped)
    shaped.event(type="wind", data={})
    told = shaped.client.get("/api/signals/lamps.lit/why", headers=shaped.auth).json()
    assert [(one["type"], one["actor"], one["before"], one["after"]) for one in told["changed_by"]] == [
        ("wind", "key:tests", 2, 0),
        ("tesoura.command.lamps", "key:tests", 1, 2),
        ("tesoura.command.lamps", "key:tests", 0, 1),
    ]
    page = shaped.client.get("/signals/lamps.lit/why", headers={"HX-Request": "true"}).text
    assert "Last changes" in page
    assert shaped.client.get("/signals/lamps.nothing/why").status_code == 404
