"""What a now-playing instrument is set up with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from tesoura.core.computed.occurrence import name_key
from tesoura.core.forms.checks import line, text
from tesoura.core.forms.fields import Field, number, one_of, switch

ALWAYS, CHANGE, ASKED, NEVER = "always", "change", "asked", "never"
WHEN = ((ALWAYS, "while music plays"), (CHANGE, "when the track changes"), (ASKED, "only on request"), (NEVER, "never"))
_SHOWN, _COUNTED = "Visibility", "Which tracks"


def scenes_of(typed: str) -> tuple[str, ...]:
    """Scenes as they were typed, as they are compared: case does not decide."""
    return tuple(one.strip().casefold() for one in typed.split(",") if one.strip())


@dataclass(frozen=True, slots=True)
class NowPlayingPlan:
    """The choices, ready for use. `in_scenes` tells what holds in a scene instead of `when`."""

    name: str
    title: str
    when: str = ALWAYS
    in_scenes: Mapping[str, str] = field(default_factory=dict)
    change: timedelta = timedelta(seconds=10)
    asked: timedelta = timedelta(seconds=15)
    leaves_after: timedelta = timedelta(seconds=6)
    advertisements: bool = False
    shortest_s: float = 0.0
    words: tuple[str, ...] = ()
    scene_signal: str = ""

    def when_in(self, scene: str) -> str:
        """When it is shown in a scene."""
        return self.in_scenes.get(scene.strip().casefold(), self.when)


FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(60), default="Now playing", group=_SHOWN),
    "when": one_of("Visible", WHEN, ALWAYS, group=_SHOWN),
    "leaves_after_s": number("Hide after a pause of", 0, 600, 6, "s", group=_SHOWN),
    "change_s": number("Show a new track for", 2, 600, 10, "s", group=_SHOWN),
    "asked_s": number("On request, show for", 2, 600, 15, "s", group=_SHOWN),
    **{
        f"{when}_in": Field(f"In these scenes: {words}", text(300, empty=True), kind="scenes", group=_SHOWN)
        for when, words in WHEN
    },
    "advertisements": switch("Show advertisements", "no", group=_COUNTED),
    "shortest_s": number(
        "Ignore tracks shorter than",
        0,
        600,
        30,
        "s",
        group=_COUNTED,
        help="Skips jingles and clips. Tracks without a length are kept.",
    ),
    "words": Field(
        "Ignore tracks with these words",
        text(2_000, empty=True),
        kind="area",
        group=_COUNTED,
        placeholder="live recording, karaoke",
        help="In title, artists or album; separate with commas or line breaks. Upper and lower case don't matter.",
    ),
}


def make(name: str, choices: Mapping[str, Any], scene_signal: str) -> NowPlayingPlan:
    """The plan that checked choices come to."""
    in_scenes = {scene: when for when, _ in WHEN for scene in scenes_of(choices[f"{when}_in"])}
    typed = str(choices["words"]).replace("\n", ",").split(",")
    words = tuple(word for one in typed if (word := name_key(one.strip())))
    change, asked, leaves = (timedelta(seconds=choices[f"{one}_s"]) for one in ("change", "asked", "leaves_after"))
    return NowPlayingPlan(
        name,
        choices["title"],
        choices["when"],
        in_scenes,
        change,
        asked,
        leaves,
        choices["advertisements"] == "yes",
        float(choices["shortest_s"]),
        words,
        scene_signal,
    )


def check(choices: Mapping[str, Any]) -> Mapping[str, str]:
    """A scene that stands under two of the choices."""
    seen: dict[str, str] = {}
    wrong = {}
    for when, words in WHEN:
        for scene in scenes_of(choices[f"{when}_in"]):
            if seen.setdefault(scene, words) != words:
                wrong[f"{when}_in"] = f"The scene {scene} is already under “{seen[scene]}” already."
    return wrong
