"""Write docs/track-events.md from the schema. Run by `make docs`; a test holds it true."""

from __future__ import annotations

from pathlib import Path

from tesoura.core.instruments.now_playing.commands import SIGNALS
from tesoura.core.tracks.schema import FIELDS, KINDS, TRACK_EVENTS

PAGE = Path(__file__).parent.parent / "docs/track-events.md"
INTRO = """# Music events

Report the current track with `POST /api/events`, in a log file, or from a script. The feeds for players, online
players, histories and files send the same events. Each event is CloudEvents JSON or plain JSON with a `type` and
`data`. Add `time`, `source` and `id` if you can: they prevent duplicates and put late events in their place.

```json
{"type": "track.start", "source": "my-player", "data": {"title": "Paper Weather", "artists": ["The Slow Kettles"],
 "length_s": 220, "position_s": 0}}
```

Each `source`, and each `player` of a source, is one music source of a now-playing instrument. Set their order there.
A source without further events ends fifteen seconds after its track. If you send no length, send `track.stop`.
"""
MEANT = {
    "text": "title and artists in one line",
    "title": "",
    "artists": "all artists, separated by commas",
    "album": "",
    "position": "position in whole seconds",
    "left": "time left in whole seconds",
    "length": "length in whole seconds",
    "time": "position, such as 4:05",
    "left_time": "time left, such as 1:12",
    "share": "position from 0 to 1",
    "next": "next track",
    "played_count": "tracks played this session",
    "source": "current source",
    "state": "playing, paused or nothing",
    "before": "previous track",
    "link": "address of its page",
    "there": "whether the card is on screen",
    "cover": "",
    "tint": "",
    "motion": "",
}


def page() -> str:
    """The whole page."""
    lines = [INTRO, "## Events", "", "| Type | Meaning | Required | Optional |", "|---|---|---|---|"]
    for one in TRACK_EVENTS:
        needs, may = (", ".join(f"`{field}`" for field in fields) for fields in (one.needs, one.may))
        lines.append(f"| `{one.type}` | {one.meaning} | {needs} | {may} |")
    lines += ["", "## Fields", "", "| Field | Content |", "|---|---|"]
    lines += [f"| `{name}` | {words} |" for name, words in FIELDS.items()]
    lines += ["", "## Kinds", "", "| Kind | Meaning |", "|---|---|"]
    lines += [f"| `{name}` | {words} |" for name, words in KINDS.items()]
    lines += [
        "",
        "## Signals",
        "",
        "A signal's name is the instrument, a dot and one of these, such as `now_playing.title`.",
        "",
    ]
    told = [name for name, unit in SIGNALS.items() if unit != "drawing"]
    lines += ["| Signal | Content |", "|---|---|", *(f"| `{name}` | {MEANT[name]} |" for name in told)]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page(), "utf-8")
