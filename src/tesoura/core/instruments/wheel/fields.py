"""The fields of a wheel: what stands in each, how likely it is, what follows when it comes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from decimal import Decimal
from typing import Any

from tesoura.core.forms.checks import colour, line, text, whole
from tesoura.core.forms.fields import Field, switch
from tesoura.core.instruments.items import InstrumentItem, ItemForm
from tesoura.core.overlays.fit.colours import contrast, rgb
from tesoura.core.overlays.pieces.kind import media
from tesoura.core.wheel.draw import FEWEST, MILLION, MOST_FIELDS, weight
from tesoura.core.wheel.order import spread
from tesoura.errors import CommandRefused, InvalidField

PALETTE = ("#2F6B5E", "#F1DDB0", "#8C3B2A", "#D9E2DC", "#31455E", "#E7B45A", "#6B4A6E", "#F4EBDD")
"""The colours of fields that have none of their own, in turn."""
INK, SHEET, ENOUGH = "#000000", "#FFFFFF", 4.5


def _weight(raw: object) -> str:
    return f"{Decimal(weight(raw)) / MILLION:f}".rstrip("0").rstrip(".") if weight(raw) else "0"


def _colour_or_none(raw: object) -> str:
    return colour(raw) if str(raw).strip() else ""


FIELDS: Mapping[str, Field] = {
    "words": Field("Text", line(80), placeholder="one lap backwards"),
    "weight": Field(
        "Weight",
        _weight,
        default="1",
        placeholder="1",
        help="Chance relative to the others: 0.3 among nine of 1 is drawn once in 31. 0 = never.",
    ),
    "colour": Field("Colour", _colour_or_none, kind="line", placeholder="by turns", help="Such as #8C3B2A."),
    "letters": Field("Text colour", _colour_or_none, kind="line", placeholder="automatic", advanced=True),
    "picture": Field("Picture", media, kind="picture", advanced=True),
    "chat": Field("Chat message", text(300, empty=True), placeholder="{who} gets: {field}", advanced=True),
    "cue": Field("Event", text(60, empty=True), kind="instrument", of="cue", advanced=True),
    "most": Field("Limit per session", whole(0, 999), default=0, kind="number", help="0 = no limit.", advanced=True),
    "goes": switch("Remove after a draw", "no", advanced=True),
}
ITEMS = ItemForm(
    "field",
    "fields",
    FIELDS,
    MOST_FIELDS,
    "2 to 60 fields. A higher weight makes a field larger and more likely. Equal fields are placed apart.",
    times="weight",
)


@dataclass(frozen=True, slots=True)
class WheelField:
    """One field. `weight` is in millionths; `most` is how often it comes in a session at most, 0 for no bound."""

    id: str
    words: str
    weight: int
    colour: str = ""
    letters: str = ""
    picture: str = ""
    chat: str = ""
    cue: str = ""
    most: int = 0
    goes: bool = False

    def saved(self) -> dict[str, Any]:
        """It, to be stored."""
        return asdict(self)


def field_of(item: InstrumentItem) -> WheelField:
    """The field that an item is."""
    told = item.values
    return WheelField(
        item.id,
        str(told["words"]),
        weight(told["weight"]),
        told["colour"],
        told["letters"],
        told["picture"],
        told["chat"],
        told["cue"],
        int(told["most"] or 0),
        told["goes"] == "yes",
    )


def in_order(fields: Sequence[WheelField]) -> tuple[WheelField, ...]:
    """The fields in the order in which they lie on the wheel: no two of the same words beside each other."""
    return tuple(fields[at] for at in spread([one.words.casefold() for one in fields]))


def painted(fields: Sequence[WheelField]) -> list[tuple[str, str]]:
    """The colour of each field and of its letters. Those without one take turns, no two alike beside each other."""
    found: list[tuple[str, str]] = []
    for at, one in enumerate(fields):
        own = one.colour or PALETTE[at % len(PALETTE)]
        if found and not one.colour and at == len(fields) - 1 and own == found[0][0]:
            own = PALETTE[(at + 1) % len(PALETTE)]
        found.append((own, one.letters or readable_on(own)))
    return found


def readable_on(own: str) -> str:
    """The colour of letters that can be read on a colour."""
    return max((INK, SHEET), key=lambda one: contrast(rgb(one), rgb(own)))


def unreadable(fields: Sequence[WheelField]) -> list[str]:
    """The fields whose letters cannot be read on their colour, a sentence each."""
    found = []
    for one, (own, letters) in zip(fields, painted(fields), strict=True):
        ratio = contrast(rgb(letters), rgb(own))
        if ratio < ENOUGH:
            found.append(
                f"“{one.words}” has {letters} text on {own}: contrast {ratio:.1f}; at least {ENOUGH:g} is needed."
            )
    return found


def weights_now(fields: Sequence[WheelField], gone: frozenset[str], came: Mapping[str, int]) -> tuple[int, ...]:
    """The weights that count now: 0 for a field that is gone, or has come as often as it may in this session."""
    return tuple(
        0 if one.id in gone or (one.most and came.get(one.id, 0) >= one.most) else one.weight for one in fields
    )


def can_be_spun(fields: Sequence[WheelField], weights: Sequence[int]) -> None:
    """Raises CommandRefused, or InvalidField, for a wheel from which nothing can be drawn."""
    if len(fields) < FEWEST:
        raise CommandRefused(f"A wheel needs at least {FEWEST} fields; it has {len(fields)}. Add some first.")
    if sum(weights) <= 0:
        if any(one.weight for one in fields):
            raise CommandRefused(
                "No field can come any more: each is gone, or came as often as it may in this "
                "session. Let them all be there again."
            )
        raise InvalidField("All weights are 0. Give at least one field a weight.")
