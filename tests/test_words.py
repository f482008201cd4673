"""The words that people read: none that only Tesoura would use, one word for each thing."""

from __future__ import annotations

import re
import runpy
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
NOT_THIS_BUT = {
    r"how it (fares|comes|stands)|\bfares\b": "Status",
    r"\btells? (of|by)\b|told (of|by|apart|otherwise)|\bwho tells\b|\btelling of\b": "reports, from, by",
    r"what came\b|came last|last came": "Latest response, Last update",
    r"\banew\b": "again, rebuild, reconnect",
    r"^(make|change|keep|set|name|correct|leave|spin|fire) it$|\bmake one\b": "Save, Create, Cancel, Run now",
    r"\bput(s|ting)? away\b|\btaken? out of it|\btake(s|n)? away\b": "Delete, Remove",
    r"\btake it along\b|\bbring (it|one) in\b(?! front)|\bbrought in\b": "Export, Import",
    r"\bput[- ]backs?\b|\bput(s)? it back\b": "Restore",
    r"\blay (it|buttons)\b|\bis laid\b|\bare laid\b|\bwears?\b": "Add to overlay, Edit buttons, use",
    r"\b(a|the|this|new|each|which) leaf\b|^leaf$|\bleaves of\b": "button page",
    r"clear(s|ed)? the air|air is cleared": "Hide everything",
    r"\bis seen\b|\bare seen\b|\bshown nowhere\b|viewers see it\b(?! (when|once))": "on screen",
    r"\bfires? (it|once|now|when)\b|would have fired|\bit fires\b": "runs",
    r"and its field|\bis so\b|who did it$|no more often|may wait|\bit shall\b": "a label that says what goes in",
    r"with these choices|as they would be|what waits\b": "Preview, Queue",
    r"\btake(s)? back\b|taken back|come(s)? back by": "Undo",
    r"\bgoes round\b|\bpromise(d|s)?\b|\brests on\b": "Rotation, Target, Evidence",
    r"\b(the|as) wished\b|wished (seconds|for)|\bheeded\b|\bwhoever\b": "requested, used, anyone who",
    r"\bfor good\b|\bsaid to be\b|\bby itself\b|\bby themselves\b": "forever, automatically",
    r"\bon the shelf\b|\bthe shelf\b|\ba shelf\b": "saves, saved clips",
    r"lets? others in|who can reach": "Network access, Allow access",
    r"\b(cannot|could not|does not|do not|did not)\b": "can't, couldn't, doesn't, don't, didn't",
    r"(?<!there )\bis no (file|video|picture|json|route|show)\b": "is not a …",
    r"reach it$|words behind its name|told from \d": "Test connection, Arguments, needs …",
}
"""What no page, error or document says, and what it says instead."""
ELSEWHERE = ("CHANGELOG.md", "CONTRIBUTING.md", "SECURITY.md", "src/tesoura/demo/", "src/tesoura/standins/")
"""Documents for developers and of the past; and the made-up world, whose people speak as they like."""


def _texts() -> list[tuple[str, str]]:
    found = runpy.run_path(str(ROOT / "tools" / "texts.py"))["texts"]()
    return [(f"{one.path}:{one.line}", one.words) for one in found if not one.path.startswith(ELSEWHERE)]


TEXTS = _texts()


@pytest.mark.parametrize("odd", NOT_THIS_BUT)
def test_no_text_says_what_only_tesoura_would_say(odd: str) -> None:
    phrase = re.compile(odd, re.IGNORECASE)
    assert [(where, words) for where, words in TEXTS if phrase.search(words)] == [], f"write: {NOT_THIS_BUT[odd]}"


def test_the_inventory_has_the_texts_of_pages_code_scripts_and_documents() -> None:
    places = {Path(where.split(":")[0]).suffix for where, _ in TEXTS}
    assert places == {".html", ".py", ".js", ".md"}
    words = {text for _, text in TEXTS}
    assert {"Test connection", "Needs attention", "Hide everything", "Button pages"} <= words
    assert len(TEXTS) > 5_000
