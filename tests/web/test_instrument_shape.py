"""The shape of all instruments: a toy of one module and one template folder gets everything else by itself."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest
from jinja2 import ChoiceLoader, DictLoader

from tesoura.core.computed.occurrence import Occurrence
from tesoura.core.forms.checks import line, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.instruments import registry as instrument_kinds
from tesoura.core.instruments.base import Command, CommandKind, Fired, InstrumentKind, Step, Told
from tesoura.core.overlays.pieces import registry as piece_kinds
from tesoura.core.overlays.pieces.kind import SIZE, PieceKind, PieceText, say
from tesoura.core.signals.extremes import Extremes
from tesoura.core.values import Scalar
from tesoura.errors import CommandRefused
from tesoura.runtime.facade import Runtime
from tests.conftest import Running, until

TEMPLATES = {
    "instruments/lamps/panel.html": "{% from 'instruments/_control.html' import control with context %}"
    "<output data-signal='{{ name }}.lit'>{{ it['values']['lit'] }}</output>"
    "{{ control(name, 'light', 'Light one', effect) }}",
    "instruments/lamps/preview.html": "<p>{{ shown.then['lit'] }} would be lit</p>",
    "instruments/lamps/piece.html": "<b class='t-words' data-say='{{ piece.id }}'>{{ says[''] }}</b>",
}


@dataclass(frozen=True, slots=True)
class Lamps:
    """Lamps that are lit one by one; once all are, it is evening."""

    name: str
    of: int
    lit: int = 0
    evening: bool = False

    def handle(self, command: Command, now: datetime) -> Step:
        if command.name != "light":
            raise CommandRefused("Lamps know light.")
        if self.lit == self.of:
            raise CommandRefused("All lamps are lit.")
        return Step(replace(self, lit=self.lit + 1), f"{self.lit} lit → {self.lit + 1} lit")

    def hear(self, event: Occurrence, now: datetime) -> Lamps:
        if event.type == f"{self.name}.evening":
            return replace(self, evening=True)
        return replace(self, lit=0) if event.type == "wind" else self

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Lamps:
        return self

    def read(self, now: datetime) -> Told:
        return {"lit": self.lit}

    def next_change(self, now: datetime) -> datetime | None:
        return None

    def fires(self, now: datetime) -> Sequence[Fired]:
        if self.lit == self.of and not self.evening:
            return [Fired("evening", f"{self.name}.evening", now, {"lamps": self.of})]
        return []

    def extremes(self) -> Mapping[str, Extremes]:
        return {"lit": Extremes("88888888888888888888", "all of them")}

    def saved(self) -> dict[str, Any]:
        return {"lit": self.lit, "evening": self.evening}


PIECE = PieceKind(
    "lamps", "Lamps", "How many lamps are lit.",
    {"lamps": Field("Which", text(60, empty=True), kind="instrument", of="lamps"), "size_px": SIZE},
    lambda choices: {"": say(f"{{{choices['lamps']}.lit}} lit", choices)} if choices["lamps"] else {},
    lambda choices: (PieceText(""),), size=(300, 90), template="instruments/lamps/piece.html",
)  # fmt: skip
KIND = InstrumentKind(
    "lamps", "Lamps", "Lamps that are lit one by one.", "lamps",
    {"title": Field("Its name", line(60)), "of": Field("How many", whole(1, 9), default="3")},
    begin=lambda name, choices, almanac, now: Lamps(name, choices["of"]),
    restore=lambda name, choices, almanac, saved: Lamps(name, choices["of"], **saved),
    outputs=lambda choices: {"lit": "lamps"},
    commands=(CommandKind("light", "Light one", "Light one more."),),
    types=lambda name, choices: ("wind", f"{name}.evening"),
    pieces=(PIECE,),
)  # fmt: skip


@pytest.fixture
def there(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(instrument_kinds.KINDS, "lamps", KIND)
    monkeypatch.setitem(piece_kinds.KINDS, "lamps", PIECE)


@pytest.fixture
def shaped(there: None, running: Running, monkeypatch: pytest.MonkeyPatch) -> Running:
    _draw(running, monkeypatch)
    return running


def _draw(running: Running, monkeypatch: pytest.MonkeyPatch) -> None:
    app = running._app.routes[-1].app.app.wsgi_app.__self__  # type: ignore[attr-defined]
    monkeypatch.setattr(app.jinja_env, "loader", ChoiceLoader([DictLoader(TEMPLATES), app.jinja_env.loader]))


def light(running: Running) -> dict[str, Any]:
    return dict(running.client.post("/api/instruments/lamps/light", headers=running.auth).json())


def test_a_new_kind_is_set_up_shown_commanded_and_scripted(shaped: Running) -> None:
    assert "Lamps that are lit one by one." in shaped.client.get("/instruments/new").text
    assert shaped.press("/", "/instruments/new/lamps", {"title": "Lamps", "of": "12"}).status_code == 422
    shaped.press("/", "/instruments/new/lamps", {"title": "Lamps", "of": "2"})
    assert "0 lit → 1 lit" in shaped.client.get("/instruments/lamps/effect/light").text
    assert "Light one" in shaped.client.get("/").text
    assert light(shaped)["effect"] == "0 lit → 1 lit"
    assert shaped.signal("lamps.lit")["value"] == 1
    assert shaped.client.get("/instruments/lamps").status_code == 200


def test_its_events_its_moment_and_its_refusal_are_its_own(shaped: Running) -> None:
    shaped.press("/", "/instruments/new/lamps", {"title": "Lamps", "of": "2"})
    light(shaped)
    light(shaped)
    until(lambda: shaped.signal("lamps_evening.count_this_session").get("value") == 1)
    assert light(shaped)["detail"] == "All lamps are lit."
    shaped.event(type="wind", data={})
    assert shaped.signal("lamps.lit")["value"] == 0


def test_its_piece_is_laid_on_an_overlay_and_measured_at_its_widest(shaped: Running) -> None:
    shaped.press("/", "/instruments/new/lamps", {"title": "Lamps"})
    went = shaped.press("/", "/instruments/lamps/place", {"piece": "lamps", "overlay": ""})
    page = shaped.client.get(went.headers["location"]).text
    assert "0 lit" in page
    assert "88888888888888888888 lit" in page


def test_it_goes_on_after_a_crash(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(instrument_kinds.KINDS, "lamps", KIND)
    running = Running(tmp_path / "data")
    running.press("/", "/instruments/new/lamps", {"title": "Lamps"})
    light(running)
    running.kill()
    again = Running(tmp_path / "data")
    assert again.signal("lamps.lit")["value"] == 1
    again.stop()


def test_two_equal_commands_at_once_are_one_success_and_one_refusal(shaped: Running) -> None:
    shaped.press("/", "/instruments/new/lamps", {"title": "Lamps", "of": "1"})

    async def twice(runtime: Runtime) -> list[object]:
        given = (runtime.instruments.command("lamps", "light", {}) for _ in range(2))
        return list(await asyncio.gather(*given, return_exceptions=True))

    first, second = shaped.runtime.call(twice)
    assert (isinstance(first, Step), str(second)) == (True, "All lamps are lit.")


def test_one_that_fails_stands_still_and_says_so_while_the_others_go_on(
    shaped: Running, monkeypatch: pytest.MonkeyPatch
) -> None:
    heard = Lamps.hear

    def stumble(self: Lamps, event: Occurrence, now: datetime) -> Lamps:
        if event.data.get("torn"):
            raise ZeroDivisionError("no wind")
        return heard(self, event, now)

    monkeypatch.setattr(Lamps, "hear", stumble)
    shaped.press("/", "/instruments/new/lamps", {"title": "Lamps", "of": "3"})
    shaped.press("/", "/instruments/new/countdown", {"title": "Kettle", "length": "5 min"})
    light(shaped)
    token = shaped.add_overlay("{wind.torn} {kettle.text}")
    assert shaped.event(type="wind", data={"torn": 7}).status_code == 202
    told = shaped.signal("lamps.lit")
    assert (told["value"], told["freshness"]) == (1, "down")
    assert "Build it anew" in shaped.client.get("/instruments/lamps").text
    assert light(shaped)["detail"] == "An error in Tesoura stopped this. Build it anew first."
    # The event's own signal is published in the same batch, and another instrument still takes commands.
    assert "7 05:00" in shaped.client.get(f"/o/{token}").text
    started = shaped.client.post("/api/instruments/kettle/start", headers=shaped.auth)
    assert started.status_code == 200
    monkeypatch.setattr(Lamps, "hear", heard)
    went = shaped.press("/", "/signals/computed/rebuild/lamps", follow_redirects=True)
    assert "built anew from the log" in went.text
    assert shaped.signal("lamps.lit") | {"observed_at": None} == {
        "name": "lamps.lit", "value": 0, "unit": "lamps", "observed_at": None, "freshness": "live",
    }  # fmt: skip


def test_one_that_fails_over_the_log_keeps_tesoura_from_nothing(
    there: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    running = Running(tmp_path / "data")
    running.press("/", "/instruments/new/lamps", {"title": "Lamps", "of": "3"})
    light(running)
    running.kill()

    def fail(*given: object) -> Lamps:
        raise RuntimeError("no oil")

    monkeypatch.setattr(Lamps, "handle", fail)
    again = Running(tmp_path / "data")
    try:
        assert again.client.get("/healthz").status_code == 200
        assert again.signal("lamps.lit")["freshness"] in ("down", "never")
        assert again.event(type="wind", data={}).status_code == 202
    finally:
        again.stop()
