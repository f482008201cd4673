"""What a rotation of sponsors is set up with: whose items, in which order, shown and hidden for how long, and where."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import line, named_pieces, named_scenes, text
from tesoura.core.forms.fields import Field, number, one_of
from tesoura.core.signals.assignments import seen_signal
from tesoura.core.sponsors.plan import MINUTE, Promise
from tesoura.core.sponsors.rotation import BEHIND, ORDERED, SECOND, SHUFFLED, RotationRule

_WHO, _WHEN, _NEVER = "Campaigns and order", "Visibility", "Restrictions"
ORDER = ((ORDERED, "in order"), (SHUFFLED, "shuffled, each once per cycle"), (BEHIND, "furthest below target first"))
SLOTS = (("1", "one at a time"), ("2", "two at a time"))


@dataclass(frozen=True, slots=True)
class RotationMember:
    """A campaign in a rotation: its name, its sponsor, what it was promised, whom it is kept apart from."""

    name: str
    sponsor: str
    promise: Promise
    apart: frozenset[str]
    test: bool


@dataclass(frozen=True, slots=True)
class RotationSetup:
    """The choices, ready for use."""

    name: str
    title: str
    rule: RotationRule
    members: tuple[RotationMember, ...]
    scenes: tuple[str, ...]
    never_with: tuple[str, ...]
    scene_signal: str
    session_began: datetime | None = None

    @property
    def reads(self) -> tuple[str, ...]:
        """The signals that say what may be seen, and whether."""
        return tuple(
            dict.fromkeys(
                (self.scene_signal, *(f"{one.name}.items" for one in self.members), *map(seen_signal, self.never_with))
            )
        )


def _campaigns(raw: object) -> str:
    given = raw if isinstance(raw, list) else str(raw).split(",")
    return ", ".join(dict.fromkeys(str(one).strip()[:60] for one in given if str(one).strip()))


FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(60), default="Rotation", group=_WHO),
    "campaigns": Field(
        "Campaigns", _campaigns, placeholder="all", group=_WHO, help="Separate with commas. Empty: all."
    ),
    "order": one_of("Order", ORDER, ORDERED, group=_WHO),
    "slots": one_of("On screen", SLOTS, "1", group=_WHO),
    "hidden_s": number("Gap", 0, 86_400, 1_320, "s", group=_WHEN, help="0 = always shown."),
    "shown_s": number("Show for", 1, 86_400, 90, "s", group=_WHEN),
    "viewers": Field(
        "Viewer count signal",
        text(120, empty=True),
        kind="signal",
        group=_WHEN,
        advanced=True,
        help="For viewer minutes in the report.",
    ),
    "hours": number("Planned stream length", 1, 12, 4, "h", group=_WHEN),
    "scenes": Field("Only in these scenes", named_scenes, kind="scenes", placeholder="all scenes", group=_NEVER),
    "never_with": Field(
        "Not while visible",
        named_pieces,
        kind="pieces",
        of="rotation",
        group=_NEVER,
        help="For example a match-end card, a replay or a wheel. The sponsor hides and returns with its full time.",
    ),
}


def make(name: str, choices: Mapping[str, Any], almanac: Almanac) -> RotationSetup:
    """The plan that checked choices come to."""
    wanted = [one.strip() for one in choices["campaigns"].split(",") if one.strip()]
    there = {one: own for one, own in almanac.shared.items() if "sponsor" in own and "an_hour" in own}
    members = tuple(_member(one, there[one]) for one in (wanted or sorted(there)) if one in there)
    rule = RotationRule(
        choices["order"], choices["hidden_s"] * SECOND, choices["shown_s"] * SECOND, int(choices["slots"]), name
    )
    scenes = tuple(one.strip().casefold() for one in choices["scenes"].split(",") if one.strip())
    return RotationSetup(
        name,
        choices["title"],
        rule,
        members,
        scenes,
        tuple(choices["never_with"].splitlines()),
        almanac.scene_signal,
        almanac.session_began,
    )


def _member(name: str, own: Mapping[str, Any]) -> RotationMember:
    apart = frozenset(one.strip() for one in str(own["apart"]).split(",") if one.strip())
    promise = Promise(own["sponsor"], own["minutes"] * MINUTE, float(own["an_hour"]))
    return RotationMember(name, own["sponsor"], promise, apart, own["test"] == "yes")


def promises(members: tuple[RotationMember, ...]) -> list[Promise]:
    """What each sponsor was promised: by several campaigns, all of it together. A test promises nothing."""
    found: dict[str, Promise] = {}
    for one in members:
        if one.test:
            continue
        had = found.get(one.sponsor, Promise(one.sponsor))
        found[one.sponsor] = Promise(one.sponsor, had.time + one.promise.time, had.an_hour + one.promise.an_hour)
    return list(found.values())
