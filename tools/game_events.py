"""Write docs/game-events.md from the schema and the table of statistics. Run by `make docs`; a test holds it true."""

from __future__ import annotations

from pathlib import Path

from tesoura.core.instruments.statistics.schema import FIELDS, GAME_EVENTS
from tesoura.core.instruments.statistics.table import SCOPES, STATISTICS

PAGE = Path(__file__).parent.parent / "docs/game-events.md"
INTRO = """# Game events

What a game sends, and the statistics computed from it. Send events with `POST /api/events`, in a log file, or through a
statistics service. Each event is CloudEvents JSON or plain JSON with a `type` and `data`. Add `time`, `source` and `id`
if you can: they prevent duplicates and put late events in their place.

```json
{"type": "kill", "source": "my-game", "id": "4711", "time": "2026-11-26T20:04:30Z",
 "data": {"actor": "mara_vane", "target": "otto_knot", "means": "glass line", "tags": ["gust bonus"]}}
```
"""


def page() -> str:
    """The whole page."""
    lines = [INTRO, "## Events", "", "| Type | Meaning | Required | Optional |", "|---|---|---|---|"]
    for one in GAME_EVENTS:
        needs, may = (", ".join(f"`{field}`" for field in fields) for fields in (one.needs, one.may))
        lines.append(f"| `{one.type}` | {one.meaning} | {needs} | {may} |")
    lines += ["", "## Fields", "", "| Field | Content |", "|---|---|"]
    lines += [f"| `{name}` | {words} |" for name, words in FIELDS.items()]
    lines += ["", "## Statistics", "", "A signal's name is the instrument, a dot, the scope and the statistic:"]
    lines += [
        f"`game.session_kills`. The scopes are {', '.join(f'`{name}` ({what})' for name, what in SCOPES.items())}."
    ]
    lines += ["", "| Statistic | Formula | Edge cases | Scopes |", "|---|---|---|---|"]
    for told in STATISTICS:
        scopes = ", ".join(told.scopes) if len(told.scopes) < len(SCOPES) else "all"
        lines.append(f"| `{told.name}` {told.label} | {told.formula} | {told.edges} | {scopes} |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page(), "utf-8")
