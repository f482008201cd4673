"""The draw: which field comes, decided by a secret whose hash was shown before, so that nobody can choose it after.

For each spin there is a secret of 32 bytes. Before the spin its SHA-256 is shown; after it the secret itself. What
comes follows from the secret, the spin's number and the weights alone:

    value = HMAC-SHA256(secret, "spin " + number), read as a whole number, its first byte the greatest
    place = value * total // 2**256        where total is the sum of the weights in millionths
    the field is the first at which the weights, added up in the order of the fields, are more than the place
"""

from __future__ import annotations

import hashlib
import hmac
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from itertools import accumulate

from tesoura.errors import InvalidField

MILLION = 1_000_000
LEAST, MOST_WEIGHT = Decimal("0.000001"), Decimal(1_000_000_000)
FEWEST, MOST_FIELDS = 2, 60
SECRET_BYTES = 32
_SPACE = 2**256
SPIN_RECORD = "spin"
"""The record of a spin."""


def weight(raw: object) -> int:
    """A weight as it was typed, in millionths; 0 for a field that cannot come. Raises InvalidField."""
    typed = str(raw).strip().replace(",", ".")
    try:
        told = Decimal(typed)
    except InvalidOperation:
        raise InvalidField(f"“{typed[:20]}” is no weight. Give a number, as 1 or 0.3.") from None
    if not told.is_finite() or told < 0:
        raise InvalidField("A weight is 0 or more. With 0 a field stays on the wheel and never comes.")
    if told and not LEAST <= told <= MOST_WEIGHT:
        raise InvalidField("A weight goes from 0.000001 to 1,000,000,000. Make the others larger or smaller instead.")
    return int(told * MILLION)


def chances(weights: Sequence[int]) -> list[Fraction]:
    """The exact chance of each field. Raises InvalidField when none can come."""
    total = sum(weights)
    if total <= 0:
        raise InvalidField("All weights are 0. Give at least one field a weight.")
    return [Fraction(one, total) for one in weights]


def hash_of(secret: bytes) -> str:
    """What is shown of a secret before its spin."""
    return hashlib.sha256(secret).hexdigest()


def drawn(secret: bytes, number: int, weights: Sequence[int]) -> int:
    """The place of the field that comes, from 0. Raises InvalidField when none can."""
    total = sum(weights)
    chances(weights)
    value = int.from_bytes(hmac.new(secret, f"spin {number}".encode(), hashlib.sha256).digest(), "big")
    place = value * total // _SPACE
    return next(at for at, reached in enumerate(accumulate(weights)) if reached > place)


@dataclass(frozen=True, slots=True)
class SpinRecord:
    """A spin as it is told to whoever wants to check it: the hash that was shown, the secret, its number, the weights
    in millionths, and the place of the field that came."""

    hash: str
    secret: str
    number: int
    weights: tuple[int, ...]
    came: int


def problem_of(told: SpinRecord) -> str | None:
    """What is wrong with a spin, in a sentence; None when all of it is as it should be."""
    try:
        secret = bytes.fromhex(told.secret)
    except ValueError:
        return "The secret is not written in hexadecimal digits."
    if not hmac.compare_digest(hash_of(secret), told.hash.strip().lower()):
        return "The secret is not the one whose hash was shown before the spin."
    if any(one < 0 for one in told.weights) or sum(told.weights) <= 0:
        return "Invalid weights: one is negative, or all are 0."
    came = drawn(secret, told.number, told.weights)
    if came != told.came:
        return f"By the secret, field {came + 1} had to come, and not field {told.came + 1}."
    return None
