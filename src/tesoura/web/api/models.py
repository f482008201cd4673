"""What the API takes, as Pydantic models, and how their errors are put into words."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable, Mapping
from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, StringConstraints, ValidationError, field_validator
from pydantic_core import ErrorDetails

from tesoura.core.signals.engine import OWN_TYPES
from tesoura.core.values import Event, from_json
from tesoura.errors import KeyRefused, Unreadable

MAX_EVENTS = 1_000
MAX_DATA_BYTES = 64_000
OWN_SOURCE = "tesoura"

Kind = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Short = Annotated[str, StringConstraints(min_length=1, max_length=200)]


def _checked_data(data: object) -> dict[str, Any]:
    if data is None:
        return {}
    if not isinstance(data, dict):
        data = {"value": data}
    return data


def _checked_time(time: datetime | None) -> datetime | None:
    if time is not None and not 1971 <= time.year <= 2999:
        raise ValueError("time is outside the years 1971 to 2999; send a date, not seconds")
    return time


class PlainEvent(BaseModel):
    """An event in plain JSON. Without `id` it gets one; without `time` it happened now."""

    model_config = ConfigDict(extra="forbid")

    type: Kind = Field(description="Event type, such as kill or match.end")
    source: Short | None = Field(default=None, description="Source; default: the key's name")
    id: Short | None = Field(default=None, description="With source, prevents duplicates")
    time: AwareDatetime | None = Field(default=None, description="Time with zone; default: now")
    subject: Short | None = Field(default=None, description="Event data")
    data: dict[str, Any] = Field(default_factory=dict, description="Data")

    _data = field_validator("data", mode="before")(_checked_data)
    _time = field_validator("time")(_checked_time)


class CloudEvent(BaseModel):
    """An event in CloudEvents' JSON format, version 1.0. Extension attributes are accepted and passed over."""

    model_config = ConfigDict(extra="allow")

    specversion: Literal["1.0"]
    id: Short
    source: Short
    type: Kind
    time: AwareDatetime | None = None
    subject: Short | None = None
    data: dict[str, Any] = Field(default_factory=dict)

    _data = field_validator("data", mode="before")(_checked_data)
    _time = field_validator("time")(_checked_time)


class SignalValue(BaseModel):
    """A value that a script sets."""

    model_config = ConfigDict(extra="forbid")

    value: bool | int | float | str = Field(description="A number, a text, or true or false")
    unit: Annotated[str, StringConstraints(max_length=60)] | None = Field(default=None, description="Such as points")
    fresh_for_s: Annotated[float, Field(gt=0, le=86_400)] | None = Field(
        default=None, description="Seconds until the value is late; default: never"
    )


def parsed(body: bytes) -> object:
    """What a request's body holds. Raises Unreadable."""
    try:
        return from_json(body, _refuse)
    except ValueError as error:
        why = str(error)
        if isinstance(error, json.JSONDecodeError):
            why = f"syntax error at line {error.lineno}, column {error.colno}"
        raise Unreadable(f"The body is not JSON: {why}. Nothing was logged.") from None


def _refuse(name: str) -> float:
    raise ValueError(f"{name} is not a number in JSON")


def whose(authorization: str, name_of: Callable[[str], str | None]) -> str:
    """Whose key a request brings in its header `Authorization`. Raises KeyRefused."""
    scheme, _, given = authorization.partition(" ")
    if scheme.lower() != "bearer" or not given:
        raise KeyRefused(
            "Send a key", "Send the header “Authorization: Bearer KEY”. Create a key with: tesoura key new NAME"
        )
    name = name_of(given.strip())
    if name is None:
        raise KeyRefused("Invalid key", "It is misspelled or was revoked. Create another with: tesoura key new NAME")
    return name


def read_events(body: object, size_bytes: int, key: str, now: datetime) -> list[Event]:
    """The events in a request's body of so many bytes, sent with the key of this name.

    What tells of Tesoura itself in a log that comes in again, as JSON lines of it hold it, is passed over. Raises
    Unreadable; then none of them is taken.
    """
    items = body if isinstance(body, list) else [body]
    if len(items) > MAX_EVENTS:
        raise Unreadable(f"{len(items):,} events are too many. Send at most {MAX_EVENTS:,} in one request.")
    wrong: list[dict[str, str]] = []
    events = []
    for index, item in enumerate(items):
        at = f"[{index}]" if isinstance(body, list) else ""
        try:
            events.append(_event(item, key, now))
        except ValidationError as error:
            wrong += [_worded(one, at) for one in error.errors()[:20]]
    for index, event in enumerate(events):
        at = f"[{index}]." if isinstance(body, list) else ""
        if event.type.startswith(OWN_TYPES):
            own = f"begins with {OWN_TYPES}, which is reserved for Tesoura; choose another"
            if event.source != OWN_SOURCE:
                wrong.append({"at": f"{at}type", "problem": own})
        if size_bytes > MAX_DATA_BYTES and len(json.dumps(event.data)) > MAX_DATA_BYTES:
            large = f"has more than {MAX_DATA_BYTES // 1000} kB; send less data"
            wrong.append({"at": f"{at}data", "problem": large})
    if wrong:
        raise Unreadable(_summary(wrong, "no event was logged"), wrong)
    return [event for event in events if not event.type.startswith(OWN_TYPES)]


def _event(item: object, key: str, now: datetime) -> Event:
    actor = f"key:{key}"
    if isinstance(item, dict) and "specversion" in item:
        cloud = CloudEvent.model_validate(item)
        return Event(cloud.id, cloud.source, cloud.type, cloud.time or now, cloud.data, cloud.subject, actor=actor)
    plain = PlainEvent.model_validate(item)
    event_id = plain.id or uuid.uuid4().hex
    source = plain.source or f"api:{key}"
    return Event(event_id, source, plain.type, plain.time or now, plain.data, plain.subject, actor=actor)


def read_value(body: object) -> SignalValue:
    """The value in a request's body. Raises Unreadable."""
    try:
        return SignalValue.model_validate(body, strict=True)
    except ValidationError as error:
        told = {
            (one["at"], one["problem"]): one for one in (_worded(each, "", _OF_A_VALUE) for each in error.errors()[:20])
        }
        wrong = list(told.values())
        raise Unreadable(_summary(wrong, "the signal keeps its value"), wrong) from None


NO_WORDS: Mapping[str, str] = {}
_SAY = {
    "missing": "is missing",
    "extra_forbidden": "is unknown; remove it, or put it into data",
    "timezone_aware": "has no zone; write it as 2026-11-24T19:02:00Z",
    **dict.fromkeys(
        ("datetime_from_date_parsing", "datetime_parsing", "datetime_type"),
        "is not a date with a time; write it as 2026-11-24T19:02:00Z",
    ),
    "dict_type": 'must be an object, such as {"actor": "mara_vane"}',
    "model_type": 'must be an object with a type, such as {"type": "kill"}',
    "model_attributes_type": 'must be an object with a type, such as {"type": "kill"}',
    "string_too_short": "is empty",
    "string_too_long": "is too long",
    "string_type": "must be a text",
    **dict.fromkeys(("float_type", "float_parsing", "int_type", "finite_number"), "must be a number"),
    "greater_than": "must be more than 0",
    "less_than_equal": "is too large",
    "string_pattern_mismatch": "has characters that are not allowed",
}
_OF_A_VALUE = {
    "extra_forbidden": "is unknown; a signal accepts value, unit and fresh_for_s",
    **dict.fromkeys(("model_type", "model_attributes_type"), 'must be an object with a value, such as {"value": 3}'),
}
NOT_A_VALUE = "must be a number, a text, or true or false"


def _worded(error: ErrorDetails, at: str, own_words: Mapping[str, str] = NO_WORDS) -> dict[str, str]:
    loc = error["loc"]
    of_value = bool(loc) and loc[0] == "value"
    # Of a value that may be of several kinds, the checks of each would be told.
    place = "value" if of_value else ".".join(str(part) for part in loc)
    where = f"{at}{'.' if at and place else ''}{place}" or "the body"
    own = error["msg"].removeprefix("Value error, ") if error["type"] == "value_error" else "is invalid"
    said = NOT_A_VALUE if of_value and error["type"] != "missing" else {**_SAY, **own_words}.get(error["type"], own)
    return {"at": where, "problem": said}


def _summary(wrong: list[dict[str, str]], so: str) -> str:
    first = "; ".join(f"{one['at']} {one['problem']}" for one in wrong[:3])
    more = f"; and {len(wrong) - 3} more" if len(wrong) > 3 else ""
    return f"{first}{more}. Correct that and send it again; {so}."
