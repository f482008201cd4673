"""Write docs/game-events.md from the schema and the table of statistics. Run by `make docs`; a test holds it true."""

from __future__ import annotations

from pathlib import Path

from tesoura.core.instruments.statistics.schema import FIELDS, GAME_EVENTS
from tesoura.core.instruments.statistics.table import SCOPES, STATISTICS

PAGE = Path(__file__).parent.parent / "docs/game-events.md"
INTRO = """# What a game sends, and what is made of it

Any program can tell Tesoura what happens in a game: by `POST /api/events`, in a log that is followed, or as a
statistics service. Each event is CloudEvents JSON or plain JSON: a `type`, `data`, and if possible `time`, `source` and
`id`, which make a repeat harmless and a late event right.

```json
{"type": "kill", "source": "my-game", "id": "4711", "time": "2026-11-26T20:04:30Z",
 "data": {"actor": "mara_vane", "target": "otto_knot", "means": "glass line", "tags": ["gust bonus"]}}
```
"""


def page() -> str:
    """The whole page."""
    lines = [INTRO, "## Events", "", "| type | what it means | needs | may have |", "|---|---|---|---|"]
    for one in GAME_EVENTS:
        needs, may = (", ".join(f"`{field}`" for field in fields) for fields in (one.needs, one.may))
        lines.append(f"| `{one.type}` | {one.meaning} | {needs} | {may} |")
    lines += ["", "## Fields", "", "| field | what stands in it |", "|---|---|"]
    lines += [f"| `{name}` | {words} |" for name, words in FIELDS.items()]
    lines += ["", "## Statistics", "", "A signal's name is the instrument's, a dot, the scope and the statistic:"]
    lines += [
        f"`game.session_kills`. The scopes are {', '.join(f'`{name}` ({what})' for name, what in SCOPES.items())}."
    ]
    lines += ["", "| statistic | formula | edge cases | scopes |", "|---|---|---|---|"]
    for told in STATISTICS:
        scopes = ", ".join(told.scopes) if len(told.scopes) < len(SCOPES) else "all"
        lines.append(f"| `{told.name}` {told.label} | {told.formula} | {told.edges} | {scopes} |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page(), "utf-8")
