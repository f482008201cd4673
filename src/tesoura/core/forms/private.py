"""What only the owner should read on a page that viewers may see: addresses, folders, names of machines, keys.

One pattern, in the part of regular expressions that Python and browsers share; both ignore case. No alternative looks
far back, so a search takes time in proportion to the text.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache

from tesoura.core.forms.covering import KEY_NAMES, SHAPED

_LABEL = r"[\w\u00a1-\uffff-]{1,63}"
_HOST = rf"(?<![\w\u00a1-\uffff.-]){_LABEL}(?:\.{_LABEL}){{0,8}}"
_REST = r"[^\s<>\"']*"
_HEX4 = r"[0-9a-f]{1,4}"
_IPV4 = r"\d{1,3}(?:\.\d{1,3}){3}"
_TAIL = rf"(?::\d{{1,5}})?(?:[/?]{_REST})?"
_DOMAINS = (
    "com|org|net|edu|gov|mil|int|info|biz|name|pro|app|dev|live|stream|video|games?|chat|social|cloud|online|site|"
    "website|tech|space|store|shop|club|xyz|blog|news|media|studio|tools|systems|network|digital|agency|"
    "example|test|invalid|local|localhost|lan|home|internal|corp|intranet|arpa|onion|[a-z]{2}"
)
"""The last part of a host's name when only a path follows: a formula such as `match.kills/match.deaths` has none."""
_SYSTEM_FOLDERS = (
    "home|users|root|tmp|var|mnt|media|srv|opt|etc|usr|run|proc|sys|dev|snap|boot|"
    "volumes|library|applications|system|private"
)
_VARIABLES = (
    "userprofile|appdata|localappdata|programdata|programfiles(?:\\(x86\\))?|temp|tmp|homepath|homedrive|public|"
    "systemroot|windir"
)
_MORE_WORDS = r" (?=(?:[^\s<>\"'\\/|]{1,40} ){0,3}[^\s<>\"'\\/|]{1,40}\\)"
_WINDOWS = rf"(?:[^\s<>\"'|]|{_MORE_WORDS})*"
_UNIX = r"(?:[^\s<>\"'|]| (?=[^\s<>\"'\\/|]{1,40}/))*"
_QUOTED = r"\"[^\"<>\n]{3,200}\"|'[^'<>\n]{3,200}'"
_KEY = r"[^\s\"'&#,;<>{}]"

SHAPES = {
    "address with a scheme": rf"(?<![a-z0-9+.-])[a-z][a-z0-9+.-]{{1,19}}://{_REST}",
    "e-mail or user at a host": (
        rf"[\w.+%-]{{1,64}}(?::[^\s@/<>\"']{{1,64}})?@(?:{_LABEL}(?:\.{_LABEL}){{1,8}}|localhost\b){_TAIL}"
    ),
    "IPv6 in brackets": rf"\[(?=[0-9a-f]{{0,4}}:[0-9a-f]{{0,4}}:)[0-9a-f:.]{{2,60}}(?:%\w{{1,20}})?\]{_TAIL}",
    "MAC address": (
        r"(?<![\w:-])(?:[0-9a-f]{2}[:-]){5,40}[0-9a-f]{2}(?![\w:-])|\b[0-9a-f]{4}\.[0-9a-f]{4}\.[0-9a-f]{4}\b"
    ),
    "bare IPv6": (
        rf"(?<![\w:.])(?:(?:{_HEX4}:){{7}}{_HEX4}|(?:{_HEX4}:){{1,6}}(?::{_HEX4}){{1,6}}|(?:{_HEX4}:){{1,7}}:"
        rf"|::(?:{_HEX4}:){{0,6}}(?:{_IPV4}|{_HEX4}))(?:%\w{{1,20}})?(?:/\d{{1,3}})?(?![\w:])"
    ),
    "IPv4": rf"\b{_IPV4}\b{_TAIL}",
    "this machine": rf"\blocalhost(?::\d{{1,5}}(?:/{_REST})?|/{_REST})",
    "a machine at home": rf"{_HOST}\.(?:local|lan|internal|home|home\.arpa)\b{_TAIL}",
    "host with a port": rf"{_HOST}\.[a-z]{{2,24}}:\d{{2,5}}\b(?:/{_REST})?",
    "host with a path": rf"{_HOST}\.(?:{_DOMAINS})(?:/{_REST}|\?{_REST})",
    "UNC path": rf"\\\\[\w.$?-]{{1,63}}\\{_WINDOWS}|(?<![\w:/])//{_LABEL}(?:\.{_LABEL}){{0,8}}/{_REST}",
    "Windows folder": rf"\b[a-z]:[\\/](?!/){_WINDOWS}|%(?:{_VARIABLES})%{_WINDOWS}|\$env:\w{{1,40}}{_WINDOWS}",
    "home folder": rf"(?<![\w/.~])(?:~|\$home|\$\{{home\}})(?:[a-z][\w-]{{0,31}})?/{_UNIX}",
    "system folder": rf"(?<![\w/.-])/(?:{_SYSTEM_FOLDERS})\b(?:/{_UNIX})?",
    "bearer token": rf"\bbearer\s{{1,3}}{_KEY}{{6,}}|\bbasic\s{{1,3}}(?=[\w+/]*[\d=]){_KEY}{{6,}}",
    "named key": (
        rf"(?:(?<![a-z]){KEY_NAMES}|token|secret|password|passphrase)[\"']?\s{{0,3}}"
        rf"(?:=\s{{0,3}}(?:{_QUOTED}|[\"']?{_KEY}{{3,}})|:\s{{0,3}}[\"']?(?:(?=\D{{0,200}}\d){_KEY}{{6,}}|{_KEY}{{16,}}))"
        rf"|\b(?:password|passphrase|passwd|pwd|secret)[\"']?\s{{0,3}}:\s{{0,3}}(?:{_QUOTED}|[\"']?{_KEY}{{4,}})"
    ),
    "key of a known shape": rf"\b(?:{SHAPED}|(?:tes|dev)_[\w-]{{8,}})",
    "hexadecimal key": r"\b(?=[a-f]*\d)(?=\d*[a-f])[0-9a-f]{16,}\b",
    "base64 key": r"(?<![\w+/=-])(?=[a-z+/_-]{0,200}\d)(?=[\d+/_-]{0,200}[a-z])[\w+-][\w+/-]{23,}={0,2}",
    "random letters and digits": r"\b(?=[\w-]{16})(?:[\w-]{0,40}?(?:\d(?=[a-z])|[a-z](?=\d))){3}[\w-]*",
}
"""Each kind of what is private, with its pattern."""
PRIVATE = "|".join(SHAPES.values())
"""What is covered, for browsers, too."""
_MAY_BE = re.compile(r"[:/\\@=%~$]|\.\S|\S{16}|bearer|basic", re.IGNORECASE)
"""What each of the shapes has at least; most texts have none of it, and need no further search."""
UNSEEN = "\u00ad\u200b\u200c\u200d\u2060\ufeff"
"""Characters that nobody sees, and that a private text may be broken by."""
_UNSEEN = re.compile(f"[{UNSEEN}]")


@cache
def _private() -> re.Pattern[str]:
    # Compiled when it is first needed: that takes longer than all of a page.
    return re.compile(PRIVATE, re.IGNORECASE | re.ASCII)


def private_in(text: str) -> Iterator[tuple[int, int]]:
    """Yield the start and end of everything private in a text, in order."""
    if not _UNSEEN.search(text):
        if _MAY_BE.search(text):
            yield from (found.span() for found in _private().finditer(text))
        return
    seen = [at for at, char in enumerate(text) if char not in UNSEEN]
    for found in _private().finditer("".join(text[at] for at in seen)):
        yield seen[found.start()], seen[found.end() - 1] + 1


def is_private(text: str) -> bool:
    """Whether there is anything private in a text."""
    return next(private_in(text), None) is not None
