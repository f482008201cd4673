"""Spins of a wheel as they are given away to be checked: each signed, and with the hash of the one before it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from typing import Any

from tesoura.core.sponsors.report import written
from tesoura.core.wheel import checking
from tesoura.core.wheel.checking import CheckedSpin
from tesoura.store import signing
from tesoura.store.secrets import Secrets

NOT_SIGNED = "Not signed, so its names can't be verified. Export it from the wheel's page."


def signed(spins: Sequence[Mapping[str, Any]], secrets: Secrets) -> list[dict[str, Any]]:
    """Sign spins, given the oldest first; each with what it says of the one before it."""
    found, before = list[dict[str, Any]](), ""
    for spin in spins:
        found.append(signing.signed({**spin, "before": before}, secrets))
        before = hash_of(spin)
    return found


def hash_of(spin: Mapping[str, Any]) -> str:
    """The hash of a spin by which the next one names it."""
    told = {name: part for name, part in spin.items() if name not in (signing.MARK, "before")}
    return hashlib.sha256(written(told).encode("utf-8", "surrogatepass")).hexdigest()


def check(text: str, secrets: Secrets | None = None) -> list[CheckedSpin]:
    """Check spins told as JSON: each by itself, and one against the other. Raises InvalidField.

    With the secrets of a data folder, also whether it was this one that signed them.
    """
    rows = checking.rows_of(text)
    found = checking.checked_rows(rows)
    any_signed = any(signing.MARK in row for row in rows)
    known = {hash_of(row) for row in rows}
    numbers = {row.get("number") for row in rows}
    ours = signing.public_key(secrets) if secrets is not None else ""
    result = []
    for row, one in zip(rows, found, strict=True):
        wrong = list(one.wrong)
        if signing.MARK in row:
            changed = signing.changed_parts(row)
            if changed is None:
                wrong.append("Invalid signature: it was changed after signing.")
            wrong += [f"{name} was changed after it was signed." for name in changed or ()]
            if ours and changed is not None and signing.signer(row) != ours:
                wrong.append("Signed with a different key than this data folder's.")
            before, number = row.get("before"), row.get("number")
            if before and before not in known and isinstance(number, int) and number - 1 in numbers:
                wrong.append(f"Spin {number - 1} doesn't follow the previous one.")
        elif any_signed:
            wrong.append(NOT_SIGNED)
        result.append(CheckedSpin(one.spin, tuple(wrong)))
    return result
