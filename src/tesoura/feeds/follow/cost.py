"""How large a pattern becomes when it is compiled: counts are written out, and counts within counts multiply."""

from __future__ import annotations

import re

MOST = 20_000
"""A pattern that becomes larger than this is refused before it is compiled."""
_COUNT = re.compile(r"\{(\d*)(?:,(\d*))?\}")


def cost(pattern: str) -> int:
    """About how many steps a pattern has once its counts are written out."""
    totals, last, at = [0], 0, 0
    while at < len(pattern):
        char = pattern[at]
        counted = _COUNT.match(pattern, at) if char == "{" else None
        if char == "\\":
            last, at = 1, at + 2
        elif char == "[":
            last, at = 1, _behind_class(pattern, at)
        elif char == "(":
            totals.append(0)
            last, at = 0, at + 1
            continue
        elif char == ")" and len(totals) > 1:
            last = totals.pop() + 1
            at += 1
        elif counted:
            times = max([int(one[:9]) for one in counted.groups() if one] or [1])
            totals[-1] += last * max(times - 1, 0)
            last, at = last * max(times, 1), counted.end()
            if totals[-1] > MOST:
                return totals[-1]
            continue
        else:
            last, at = 1, at + 1
        totals[-1] += last
    return sum(totals)


def _behind_class(pattern: str, at: int) -> int:
    at += 2 if pattern[at + 1 : at + 2] in ("]", "^") else 1
    while at < len(pattern) and pattern[at] != "]":
        at += 2 if pattern[at] == "\\" else 1
    return at + 1
