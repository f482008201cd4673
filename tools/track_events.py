"""Write docs/track-events.md from the schema. Run by `make docs`; a test holds it true."""

from __future__ import annotations

from pathlib import Path

from tesoura.core.instruments.now_playing.commands import SIGNALS
from tesoura.core.tracks.schema import FIELDS, KINDS, TRACK_EVENTS

PAGE = Path(__file__).parent.parent / "docs/track-events.md"
INTRO = """# What a player of music sends, and what is made of it

Any program can tell Tesoura what plays: by `POST /api/events`, in a log that is followed, or as a script. The feeds
for players, online ones, histories and files send the same. Each event is CloudEvents JSON or plain JSON: a `type`,
`data`, and if possible `time`, `source` and `id`, which make a repeat harmless and a late event right.

```json
{"type": "track.start", "source": "my-player", "data": {"title": "Paper Weather", "artists": ["The Slow Kettles"],
 "length_s": 220, "position_s": 0}}
```

Each `source`, and each `player` of one, is a source of its own at a “now playing” instrument; which goes first is
chosen there. A source that says nothing more is over fifteen seconds past its track's end; one that tells no length
must send `track.stop`.
"""
MEANT = {
    "text": "title and artists in one line",
    "title": "",
    "artists": "all of them, with commas",
    "album": "",
    "position": "how far it is, whole seconds",
    "left": "what is left, whole seconds",
    "length": "whole seconds",
    "time": "how far it is, as 4:05",
    "left_time": "what is left, as 1:12",
    "share": "how far it is, from 0 to 1",
    "next": "what comes after it",
    "played_count": "how many counted in this stream session",
    "source": "who tells",
    "state": "playing, paused or nothing",
    "before": "the last that counted before it",
    "link": "the address of its page",
    "there": "whether viewers see the card",
    "cover": "",
    "tint": "",
    "motion": "",
}


def page() -> str:
    """The whole page."""
    lines = [INTRO, "## Events", "", "| type | what it means | needs | may have |", "|---|---|---|---|"]
    for one in TRACK_EVENTS:
        needs, may = (", ".join(f"`{field}`" for field in fields) for fields in (one.needs, one.may))
        lines.append(f"| `{one.type}` | {one.meaning} | {needs} | {may} |")
    lines += ["", "## Fields", "", "| field | what stands in it |", "|---|---|"]
    lines += [f"| `{name}` | {words} |" for name, words in FIELDS.items()]
    lines += ["", "## Kinds", "", "| kind | what it is |", "|---|---|"]
    lines += [f"| `{name}` | {words} |" for name, words in KINDS.items()]
    lines += [
        "",
        "## Signals",
        "",
        "A signal's name is the instrument's, a dot, and one of these: `now_playing.title`.",
        "",
    ]
    told = [name for name, unit in SIGNALS.items() if unit != "drawing"]
    lines += ["| signal | what it tells |", "|---|---|", *(f"| `{name}` | {MEANT[name]} |" for name in told)]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page(), "utf-8")
