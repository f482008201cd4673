"""The buttons of a match, on the desk and on phones: each shows how the match stands."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from tesoura.core.desk.buttons import DeskButton
from tesoura.core.desk.faces import ButtonFace, ScoreFace
from tesoura.core.values import Scalar

Values = Mapping[str, Scalar]


def with_match(face: ButtonFace, button: DeskButton, values: Values) -> ButtonFace:
    """A button's face with what it shows of its match; as it is when there is no such scoreboard any more."""
    board = button.own["board"]
    if f"{board}.state" not in values:
        return face

    def told(name: str) -> str:
        return str(values.get(f"{board}.{name}", ""))

    if button.does == "match_clock":
        beside = " ".join(one for one in (told("span"), told("added"), told("over_time")) if one)
        return replace(face, score=ScoreFace(told("clock"), beside))
    if button.does == "back":
        return replace(face, score=ScoreFace(told("spans"), told("call") or told("notice")))
    side = button.own["side"]
    home, home_ink, away, away_ink = (told("colours").split(" ") + [""] * 4)[:4]
    colours = (home, home_ink) if side == "home" else (away, away_ink)
    serves = "serves" if values.get(f"{board}.{side}_serves") else ""
    note = " · ".join(one for one in (serves, told(f"{side}_penalties")) if one)
    state = face.state if face.blocked else f"then {face.state.rpartition('→ ')[2]}"
    words = button.words or told(f"{side}_name")
    return replace(
        face, words=words, state=state, score=ScoreFace(told(f"{side}_points"), note, *colours, not button.own["what"])
    )
