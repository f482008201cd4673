"""What is made of what feeds bring: the signals picked from it, and the rules that make events."""

from __future__ import annotations

from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.feed_setup import FEED, feed_row
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import choice, group, line, text, whole
from tesoura.core.forms.fields import Field, checked
from tesoura.core.forms.form import Fields
from tesoura.core.names import is_part, snake
from tesoura.core.signals.engine import OWN_TYPES
from tesoura.core.signals.payload import suggested_name
from tesoura.core.values import Wanted
from tesoura.errors import Gone, InvalidField, InvalidPiece, TooMuch
from tesoura.feeds.rules import EventRule
from tesoura.store.tables import RuleRow, SignalRow

MAX_PATH, MAX_UNIT, MAX_FIELDS = 500, 60, 30


# Signals that are picked


def _part(raw: object) -> str:
    name = snake(str(raw), "")
    if not is_part(name):
        raise InvalidField("Give the signal a name, such as members.")
    return name


async def _pick(doing: Doing, given: Given) -> Done:
    feed, field = given["feed"].lower(), given["field"]
    full = f"{feed}.{field}"
    if given["replace"] == "no":
        await _try_path(doing, feed, given)

    def job(session: Session) -> Call:
        row = feed_row(session, feed)
        known = session.get(SignalRow, full)
        if known is not None and given["replace"] == "no":
            raise InvalidPiece({"field": f"There is a {full} already. Choose another name."})
        undo = _picked(feed, known) if known else Call("feed.unpick", {"feed": feed, "field": field})
        kept = known or SignalRow(name=full, feed_id=row.id or 0, path="")
        kept.path, kept.unit, kept.wanted = given["path"], given["unit"], given["wanted"]
        session.add(kept)
        return undo

    undo = await doing.write(job)
    await doing.runtime.refresh_feed(feed)
    return Done(f"Saved as {full}.", {"signal": full}, undo)


async def _try_path(doing: Doing, feed: str, given: Given) -> None:
    """Raise InvalidPiece when the path reaches nothing in the latest response, if one was received."""
    report = doing.runtime.feeds.report(feed)
    if report is None or report.state.last_ok_at is None:
        return
    try:
        await doing.runtime.feeds.pick(feed, given["path"], Wanted(given["wanted"]))
    except (ValueError, TooMuch) as error:
        raise InvalidPiece({"path": str(error)}) from None


def _picked(feed: str, row: SignalRow) -> Call:
    return Call(
        "feed.pick",
        {
            "feed": feed,
            "field": row.name.partition(".")[2],
            "path": row.path,
            "unit": row.unit,
            "wanted": row.wanted,
            "replace": "yes",
        },
    )


async def _unpick(doing: Doing, given: Given) -> Done:
    feed = given["feed"].lower()
    full = f"{feed}.{given['field']}"

    def job(session: Session) -> Call:
        feed_row(session, feed)
        kept = session.get(SignalRow, full)
        if kept is None:
            raise Gone(f"There is no signal {full}.")
        session.delete(kept)
        return _picked(feed, kept)

    undo = await doing.write(job)
    await doing.runtime.refresh_feed(feed)
    return Done(f"{full} was removed. Wordings that use it show “nothing yet”.", {"signal": full}, undo)


PICK = Action(
    "feed.pick",
    "Pick a signal",
    "From a feed's data; `replace` replaces one of the same name.",
    {
        **FEED,
        "field": Field("Name", _part),
        "path": Field("Path", text(MAX_PATH, empty=True)),
        "unit": Field("Unit", text(MAX_UNIT, empty=True)),
        "wanted": Field("As", choice([*Wanted]), default=Wanted.NUMBER.value),
        "replace": Field("Replace", choice(("yes", "no")), kind="switch", default="no"),
    },
    _pick,
    noted=True,
    may=SET_UP,
)
UNPICK = Action(
    "feed.unpick",
    "Remove a signal",
    "Wordings that use it show “nothing yet”.",
    {**FEED, "field": Field("Name", _part)},
    _unpick,
    noted=True,
    may=SET_UP,
)


# Rules


def _event_type(raw: object) -> str:
    try:
        kind = line(120)(raw)
    except InvalidField:
        raise InvalidField("Give an event type, such as follow.") from None
    if kind.startswith(OWN_TYPES):
        raise InvalidField(f"Types that begin with {OWN_TYPES} are reserved. Choose another.")
    return kind


def _fields(raw: object) -> dict[str, str]:
    """Paths by name: an object, or lines of `name = path` or of a path alone."""
    given = _lines(raw) if isinstance(raw, str) else group(raw)
    fields = {snake(str(name), "field"): str(path)[:MAX_PATH] for name, path in given.items()}
    if len(fields) > MAX_FIELDS:
        raise InvalidField(f"At most {MAX_FIELDS} fields.")
    return fields


def _lines(typed: str) -> dict[str, str]:
    fields = {}
    for one in filter(str.strip, typed.splitlines()):
        name, equals, path = (part.strip() for part in one.partition("="))
        fields[name if equals else suggested_name(name)] = path if equals else name
    return fields


def rule_choices(typed: Given) -> dict[str, Any]:
    """A rule's choices, each checked. Raises InvalidPiece, which names every one that is wrong."""
    return checked(_RULE, typed)


async def _rule(doing: Doing, given: Given) -> Done:
    feed = given["feed"].lower()
    if problem := await doing.runtime.feeds.rule_problem(EventRule(0, **{name: given[name] for name in _RULE})):
        raise InvalidField(problem)

    def job(session: Session) -> int:
        row = feed_row(session, feed)
        made = RuleRow(
            feed_id=row.id or 0,
            type=given["type"],
            items=given["items"],
            id_path=given["id_path"],
            time_path=given["time_path"],
            fields=given["fields"],
        )
        session.add(made)
        session.flush()
        return made.id or 0

    number = await doing.write(job)
    await doing.runtime.refresh_feed(feed)
    words = f"From now on, this feed creates events of type {given['type']}. Existing entries create none."
    return Done(words, {"rule": number}, Call("feed.unrule", {"feed": feed, "rule": number}))


async def _unrule(doing: Doing, given: Given) -> Done:
    feed = given["feed"].lower()

    def job(session: Session) -> RuleRow:
        row, kept = feed_row(session, feed), session.get(RuleRow, given["rule"])
        if kept is None or kept.feed_id != row.id:
            raise Gone("There is no such rule.")
        session.delete(kept)
        return kept

    kept = await doing.write(job)
    await doing.runtime.refresh_feed(feed)
    undo = Call(
        "feed.rule",
        {
            "feed": feed,
            "type": kept.type,
            "items": kept.items,
            "id_path": kept.id_path,
            "time_path": kept.time_path,
            "fields": dict(kept.fields),
        },
    )
    return Done(f"This feed creates no more events of type {kept.type}. Past events stay.", {}, undo)


_PATH = text(MAX_PATH, empty=True)
_RULE: Fields = {
    "type": Field("Event type", _event_type),
    "items": Field("List path", _PATH),
    "id_path": Field("Id path", _PATH),
    "time_path": Field("Time path", _PATH),
    "fields": Field("Fields, by name", _fields, kind="data"),
}
RULE = Action(
    "feed.rule",
    "Create events from a feed",
    "One event for each new entry.",
    {**FEED, **_RULE},
    _rule,
    noted=True,
    may=SET_UP,
)
UNRULE = Action(
    "feed.unrule",
    "Delete an event rule",
    "Past events stay.",
    {**FEED, "rule": Field("Rule", whole(1, 2**53), kind="number")},
    _unrule,
    noted=True,
    may=SET_UP,
)

ALL = (PICK, UNPICK, RULE, UNRULE)
