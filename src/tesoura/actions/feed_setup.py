"""Feeds: connected, changed, put away; the signals picked from them, and the rules that make events."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Mapping
from functools import partial
from pathlib import Path
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given, one_of_these
from tesoura.actions.roles import MACHINE, SET_UP
from tesoura.bundles.examples import put
from tesoura.core.forms.checks import choice, line, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import Filled, fill
from tesoura.core.names import is_part, snake, unused
from tesoura.core.signals.by_hand import checked
from tesoura.core.signals.engine import OWN_TYPES
from tesoura.core.values import Wanted
from tesoura.errors import Gone, InvalidField, InvalidPiece
from tesoura.feeds.api import FeedKind
from tesoura.feeds.registry import KINDS
from tesoura.runtime.text_files import own_folder
from tesoura.store import feeds as stored
from tesoura.store import state
from tesoura.store.tables import FeedRow, RuleRow, SignalRow

MAX_PATH, MAX_UNIT, MAX_FIELDS = 500, 60, 30
_FEED = {"feed": Field("Feed", text(60))}


def group(raw: object) -> dict[str, Any]:
    """A group of values by name. Raises InvalidField."""
    if raw in ("", None):
        return {}
    if not isinstance(raw, Mapping):
        raise InvalidField('Give an object, as in {"url": "http://127.0.0.1:5050/"}.')
    return dict(raw)


def _gone(name: str) -> Gone:
    return Gone(f"There is no feed {name[:60]}. Perhaps it was removed.")


def _row(session: Session, name: str) -> FeedRow:
    row = stored.by_name(session, name.lower())
    if row is None:
        raise _gone(name)
    return row


def kind_called(name: str) -> FeedKind:
    """The kind of feed of this name. Raises InvalidField, which names those there are."""
    found = KINDS.get(name.lower())
    if found is None:
        raise one_of_these("kind of feed", name, list(KINDS))
    return found


def filled_in(kind: FeedKind, typed: Mapping[str, Any], kept: Mapping[str, str]) -> Filled:
    """A feed's form, filled in. Raises InvalidPiece, which names every field that is wrong."""
    filled = fill(kind.fields, typed, kept)
    if wrong := dict(filled.wrong) or dict(kind.check(filled.choices)):
        raise InvalidPiece(wrong)
    return filled


def may_reach(doing: Doing, kind: FeedKind, choices: Mapping[str, Any]) -> None:
    """Let a feed that reaches this machine itself be set up by the owner here alone. Raises NotYours."""
    if kind.on_machine(choices):
        doing.must_be(MACHINE, f"Setting up a feed of the kind “{kind.title}”, which reaches this machine itself,")


def add_feed(session: Session, name: str, title: str, filled: Filled, kind: FeedKind, doing: Doing) -> FeedRow:
    """Write a new feed with its secrets, and an address of its own if its kind is sent to."""
    row = stored.add_feed(session, name, title, kind.name, filled.choices, doing.now())
    if kind.receive is not None:
        row.token = stored.new_token()
    stored.keep_secrets(session, row.id or 0, filled.secrets, doing.runtime.store.secrets)
    return row


async def _new(doing: Doing, given: Given) -> Done:
    kind = kind_called(given["kind"])
    filled = filled_in(kind, given["choices"], given["secrets"])
    may_reach(doing, kind, filled.choices)
    in_use, title = doing.runtime.names_taken(), given["title"] or kind.called

    def job(session: Session) -> str:
        name = unused(snake(title, "feed"), stored.names_taken(session) | in_use)
        row = add_feed(session, name, title, filled, kind, doing)
        for one in kind.suggested(filled.choices):
            session.add(SignalRow(name=f"{name}.{one.field}", feed_id=row.id or 0, path=one.path, unit=one.unit,
                                  wanted=one.wanted))  # fmt: skip
        return name

    name = await doing.write(job)
    await doing.runtime.refresh_feed(name)
    if kind.name == "hand":
        start = checked(filled.choices, filled.choices["start"])
        await doing.runtime.set_by_hand(name, lambda present: start, doing.actor)
    return Done(f"{title} is connected. Its signals begin with {name}.", {"feed": name},
                Call("feed.remove", {"feed": name}))  # fmt: skip


async def _change(doing: Doing, given: Given) -> Done:
    name, secrets = given["feed"].lower(), doing.runtime.store.secrets

    def ask(session: Session) -> tuple[FeedRow, dict[str, str]]:
        row = _row(session, name)
        return row, stored.secrets_of(session, row.id or 0, secrets)

    row, kept = await doing.read(ask)
    kind = kind_called(row.kind)
    filled = filled_in(kind, given["choices"], {**kept, **given["secrets"]})
    may_reach(doing, kind, filled.choices)

    def job(session: Session) -> None:
        present = _row(session, name)
        present.choices = dict(filled.choices)
        session.add(present)
        stored.keep_secrets(session, present.id or 0, filled.secrets, secrets)

    before = dict(row.choices)
    await doing.write(job)
    await doing.runtime.refresh_feed(name)
    return Done("Changed. It goes that way from now on.", {"feed": name},
                Call("feed.change", {"feed": name, "choices": before}))  # fmt: skip


async def _put_away(doing: Doing, given: Given, away: bool) -> Done:
    name, at = given["feed"].lower(), doing.now() if away else None

    def job(session: Session) -> str:
        row = stored.by_name_ever(session, name)
        if row is None or (away and row.removed_at is not None):
            raise _gone(name)
        stored.remove_feed(session, row.id or 0, at)
        return row.title

    title = await doing.write(job)
    await doing.runtime.refresh_feed(name)
    if away:
        return Done(f"{title} was removed.", {"feed": name}, Call("feed.restore", {"feed": name}))
    return Done(f"{title} is back.", {"feed": name}, Call("feed.remove", {"feed": name}))


async def _new_address(doing: Doing, given: Given) -> Done:
    name = given["feed"].lower()

    def job(session: Session) -> None:
        row = _row(session, name)
        if not row.token:
            raise InvalidField(f"{row.title} has no address of its own: nothing is sent to it.")
        row.token = stored.new_token()
        session.add(row)

    await doing.write(job)
    await doing.runtime.refresh_feed(name)
    return Done("It has a new address; the old one takes nothing any more. Give the sender the new one.")


async def keep_permission(doing: Doing, name: str, given: Mapping[str, str]) -> None:
    """Keep what a service gave when the user signed in there."""
    secrets = doing.runtime.store.secrets
    await doing.write(lambda session: stored.keep_secrets(session, _row(session, name).id or 0, given, secrets))
    await doing.runtime.refresh_feed(name)


NEW = Action(
    "feed.new", "Connect a feed", "`choices` are those of its form, `secrets` its keys; it is not tried first.",
    {"kind": Field("Kind", text(40)), "title": Field("Name", text(60, empty=True)),
     "choices": Field("Choices", group, kind="data"), "secrets": Field("Keys", group, kind="data")},
    _new, needs=("kind",), noted=True, may=SET_UP,
)  # fmt: skip
CHANGE = Action(
    "feed.change", "Change a feed", "All its choices anew; a key that is not given stays.",
    {**_FEED, "choices": Field("Choices", group, kind="data"), "secrets": Field("Keys", group, kind="data")},
    _change, noted=True, may=SET_UP,
)  # fmt: skip
REMOVE = Action("feed.remove", "Put a feed away", "It can be brought back.", _FEED, partial(_put_away, away=True),
                noted=True, may=SET_UP)  # fmt: skip
RESTORE = Action("feed.restore", "Bring a feed back", "One that was put away.", _FEED, partial(_put_away, away=False),
                 noted=True, may=SET_UP)  # fmt: skip
NEW_ADDRESS = Action("feed.new_address", "Give a feed another private address", "The old one stops at once.", _FEED,
                     _new_address, noted=True, may=SET_UP)  # fmt: skip


# Signals that are picked


def _part(raw: object) -> str:
    name = snake(str(raw), "")
    if not is_part(name):
        raise InvalidField("Give the signal a name, such as members.")
    return name


async def _pick(doing: Doing, given: Given) -> Done:
    feed, field = given["feed"].lower(), given["field"]
    full = f"{feed}.{field}"

    def job(session: Session) -> Call:
        row = _row(session, feed)
        known = session.get(SignalRow, full)
        if known is not None and given["anew"] == "no":
            raise InvalidPiece({"field": f"There is a {full} already. Give this one another name."})
        undo = _picked(feed, known) if known else Call("feed.unpick", {"feed": feed, "field": field})
        kept = known or SignalRow(name=full, feed_id=row.id or 0, path="")
        kept.path, kept.unit, kept.wanted = given["path"], given["unit"], given["wanted"]
        session.add(kept)
        return undo

    undo = await doing.write(job)
    await doing.runtime.refresh_feed(feed)
    return Done(f"Kept as {full}.", {"signal": full}, undo)


def _picked(feed: str, row: SignalRow) -> Call:
    return Call("feed.pick", {"feed": feed, "field": row.name.partition(".")[2], "path": row.path, "unit": row.unit,
                              "wanted": row.wanted, "anew": "yes"})  # fmt: skip


async def _unpick(doing: Doing, given: Given) -> Done:
    feed = given["feed"].lower()
    full = f"{feed}.{given['field']}"

    def job(session: Session) -> Call:
        _row(session, feed)
        kept = session.get(SignalRow, full)
        if kept is None:
            raise Gone(f"There is no signal {full}.")
        session.delete(kept)
        return _picked(feed, kept)

    undo = await doing.write(job)
    await doing.runtime.refresh_feed(feed)
    return Done(f"{full} is not picked any more. Wordings that use it say “nothing yet”.", {"signal": full}, undo)


PICK = Action(
    "feed.pick", "Pick a signal", "Out of what a feed brings; `anew` when it may take the place of one of its name.",
    {**_FEED, "field": Field("Name", _part), "path": Field("Path", text(MAX_PATH, empty=True)),
     "unit": Field("Unit", text(MAX_UNIT, empty=True)),
     "wanted": Field("As", choice([*Wanted]), default=Wanted.NUMBER.value),
     "anew": Field("Anew", choice(("yes", "no")), kind="switch", default="no")},
    _pick, noted=True, may=SET_UP,
)  # fmt: skip
UNPICK = Action("feed.unpick", "Pick a signal no more", "Wordings that use it say “nothing yet”.",
                {**_FEED, "field": Field("Name", _part)}, _unpick, noted=True, may=SET_UP)  # fmt: skip


# Rules


def _event_type(raw: object) -> str:
    try:
        kind = line(120)(raw)
    except InvalidField:
        raise InvalidField("Say what happened, such as follow.") from None
    if kind.startswith(OWN_TYPES):
        raise InvalidField(f"Types that begin with {OWN_TYPES} are its own. Choose another.")
    return kind


def _fields(raw: object) -> dict[str, str]:
    fields = {snake(str(name), "field"): str(path)[:MAX_PATH] for name, path in group(raw).items()}
    if len(fields) > MAX_FIELDS:
        raise InvalidField(f"At most {MAX_FIELDS} fields.")
    return fields


async def _rule(doing: Doing, given: Given) -> Done:
    feed = given["feed"].lower()

    def job(session: Session) -> int:
        row = _row(session, feed)
        made = RuleRow(feed_id=row.id or 0, type=given["type"], items=given["items"], id_path=given["id_path"],
                       time_path=given["time_path"], fields=given["fields"])  # fmt: skip
        session.add(made)
        session.flush()
        return made.id or 0

    number = await doing.write(job)
    await doing.runtime.refresh_feed(feed)
    words = f"From now on it makes events of type {given['type']}. What is there already makes none."
    return Done(words, {"rule": number}, Call("feed.unrule", {"feed": feed, "rule": number}))


async def _unrule(doing: Doing, given: Given) -> Done:
    feed = given["feed"].lower()

    def job(session: Session) -> RuleRow:
        row, kept = _row(session, feed), session.get(RuleRow, given["rule"])
        if kept is None or kept.feed_id != row.id:
            raise Gone("There is no such rule.")
        session.delete(kept)
        return kept

    kept = await doing.write(job)
    await doing.runtime.refresh_feed(feed)
    undo = Call("feed.rule", {"feed": feed, "type": kept.type, "items": kept.items, "id_path": kept.id_path,
                              "time_path": kept.time_path, "fields": dict(kept.fields)})  # fmt: skip
    return Done(f"It makes no more events of type {kept.type}. Those that happened stay.", {}, undo)


_PATH = text(MAX_PATH, empty=True)
RULE = Action(
    "feed.rule", "Make events of what a feed brings", "Of each item that is new.",
    {**_FEED, "type": Field("What happened", _event_type), "items": Field("The items' path", _PATH),
     "id_path": Field("Their id's path", _PATH), "time_path": Field("Their time's path", _PATH),
     "fields": Field("Fields, by name", _fields, kind="data")},
    _rule, noted=True, may=SET_UP,
)  # fmt: skip
UNRULE = Action("feed.unrule", "Make no more events by a rule", "Those that happened stay.",
                {**_FEED, "rule": Field("Rule", whole(1, 2**53), kind="number")}, _unrule, noted=True,
                may=SET_UP)  # fmt: skip


# Folders that files are read from


def _folder(raw: object) -> Path:
    path = Path(text(1_000)(raw).strip().strip('"')).expanduser()
    if not path.is_absolute():
        raise InvalidField("Give the folder's whole path from the top, such as /home/mara/stats.")
    return path


async def _let_read(doing: Doing, given: Given) -> Done:
    path, present = given["folder"], list(doing.runtime.preferences.folders)
    if given["read"] == "yes":
        if not await asyncio.to_thread(path.is_dir):
            raise InvalidField("There is no such folder. Make it first, or give another.")
        if await asyncio.to_thread(own_folder, path, doing.runtime.store.folder):
            raise InvalidField("This is Tesoura's own folder, with its keys in it. Give another.")
        present = list(dict.fromkeys([*present, path]))
    else:
        present = [one for one in present if one != path]
    kept = json.dumps([str(one) for one in present])
    await doing.write(lambda session: state.choose(session, "folders", kept))
    await doing.runtime.preferences_changed()
    undo = Call("folder.read", {"folder": str(path), "read": "no" if given["read"] == "yes" else "yes"})
    return Done("Files may be read from the folders on the list, and from no other.", {}, undo)


FOLDER = Action(
    "folder.read", "Let files be read from a folder", "Or, with `read` no, from it no more.",
    {"folder": Field("Folder", _folder), "read": Field("Read", choice(("yes", "no")), kind="switch", default="yes")},
    _let_read, noted=True, may=MACHINE,
)  # fmt: skip


async def _examples(doing: Doing, given: Given) -> Done:
    count = await asyncio.to_thread(put, doing.runtime.store.folder / "scripts")
    words = f"{count} examples were put into the scripts folder." if count else "The examples are there already."
    return Done(words, {"put": count})


EXAMPLES = Action("scripts.examples", "Put the example programs there", "Into the scripts folder.",
                  {}, _examples, noted=True, may=MACHINE)  # fmt: skip

ALL = (NEW, CHANGE, REMOVE, RESTORE, NEW_ADDRESS, PICK, UNPICK, RULE, UNRULE, FOLDER, EXAMPLES)
