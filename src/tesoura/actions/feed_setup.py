"""Feeds: connected, changed, put away."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from functools import partial
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given, one_of_these
from tesoura.actions.roles import MACHINE, SET_UP
from tesoura.core.forms.checks import group, text
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import Filled, fill, secret_names
from tesoura.core.forms.meanwhile import OPENED_WITH, merged
from tesoura.core.names import free_title, snake, unused
from tesoura.core.signals.by_hand import checked
from tesoura.errors import Gone, InvalidField, InvalidPiece
from tesoura.feeds.api import FeedKind
from tesoura.links.registry import KINDS
from tesoura.store import feeds as stored
from tesoura.store import rules
from tesoura.store.tables import FeedRow, RuleRow, SignalRow

FEED = {"feed": Field("Feed", text(60))}


def _gone(name: str) -> Gone:
    return Gone(f"There is no feed {name[:60]}. It may have been deleted.")


def feed_row(session: Session, name: str) -> FeedRow:
    """The feed of this name. Raises Gone."""
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


def with_made(kind: FeedKind, typed: Mapping[str, Any], kept: Mapping[str, str]) -> dict[str, str]:
    """The keys that are kept, and with them those that Tesoura makes itself where none was given."""
    missing = [name for name in kind.makes if not typed.get(name) and not kept.get(name)]
    return {**kept, **{name: kind.makes[name](secrets.token_bytes(32)) for name in missing}}


def filled_in(kind: FeedKind, typed: Mapping[str, Any], kept: Mapping[str, str]) -> Filled:
    """A feed's form, filled in. Raises InvalidPiece, which names every field that is wrong."""
    filled = fill(kind.fields, typed, with_made(kind, typed, kept))
    if wrong := dict(filled.wrong) or dict(kind.check(filled.choices, filled.secrets)):
        raise InvalidPiece(wrong)
    return filled


def may_reach(doing: Doing, kind: FeedKind, choices: Mapping[str, Any]) -> None:
    """Let a feed that reaches this machine itself be set up by the owner here alone. Raises NotYours."""
    if kind.on_machine(choices):
        doing.must_be(MACHINE, f"Setting up a feed of the kind “{kind.title}”, which accesses this machine,")


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
            session.add(
                SignalRow(
                    name=f"{name}.{one.field}", feed_id=row.id or 0, path=one.path, unit=one.unit, wanted=one.wanted
                )
            )
        return name

    name = await doing.write(job)
    await doing.runtime.refresh_feed(name)
    if kind.name == "hand":
        start = checked(filled.choices, filled.choices["start"])
        await doing.runtime.set_by_hand(name, lambda present: start, doing.actor)
    return Done(
        f"{title} is connected. Its signals start with {name}.", {"feed": name}, Call("feed.remove", {"feed": name})
    )


async def _copy(doing: Doing, given: Given) -> Done:
    """A copy is paused: it would bring the same events again until its settings are others."""
    name, secrets, in_use = given["feed"].lower(), doing.runtime.store.secrets, doing.runtime.names_taken()
    row = await doing.read(lambda session: feed_row(session, name))
    kind = kind_called(row.kind)
    may_reach(doing, kind, row.choices)

    def job(session: Session) -> tuple[str, str]:
        old = feed_row(session, name)
        title = free_title([one.title for one in stored.all_feeds(session)], old.title, 55)
        new = unused(snake(title, "feed"), stored.names_taken(session) | in_use)
        filled = Filled(old.choices, stored.secrets_of(session, old.id or 0, secrets), {})
        made = add_feed(session, new, title, filled, kind, doing)
        made.paused = True
        for one in stored.signals_of(session, old.id or 0):
            field = one.name.partition(".")[2]
            session.add(SignalRow(**{**one.model_dump(), "name": f"{new}.{field}", "feed_id": made.id}))
        for rule in rules.of_feed(session, old.id or 0):
            session.add(RuleRow(**{**rule.model_dump(), "id": None, "feed_id": made.id, "primed": False}))
        return new, title

    new, title = await doing.write(job)
    await doing.runtime.refresh_feed(new)
    words = f"{title} was created, paused. Change its settings, then resume it."
    return Done(words, {"feed": new}, Call("feed.remove", {"feed": new}))


async def _change(doing: Doing, given: Given) -> Done:
    name, secrets = given["feed"].lower(), doing.runtime.store.secrets

    def ask(session: Session) -> tuple[FeedRow, dict[str, str]]:
        row = feed_row(session, name)
        return row, stored.secrets_of(session, row.id or 0, secrets)

    row, kept = await doing.read(ask)
    kind = kind_called(row.kind)
    typed = {one: given["choices"][one] for one in secret_names(kind.fields) if given["choices"].get(one)}
    every = {**kept, **typed, **given["secrets"]}
    mine = filled_in(kind, given["choices"], every).choices
    filled = filled_in(kind, merged(given["opened_with"], mine, row.choices), every)
    may_reach(doing, kind, filled.choices)

    def job(session: Session) -> None:
        present = feed_row(session, name)
        present.choices = dict(filled.choices)
        session.add(present)
        stored.keep_secrets(session, present.id or 0, filled.secrets, secrets)

    before = dict(row.choices)
    await doing.write(job)
    await doing.runtime.refresh_feed(name)
    return Done("Settings saved.", {"feed": name}, Call("feed.change", {"feed": name, "choices": before}))


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
    return Done(f"{title} was restored.", {"feed": name}, Call("feed.remove", {"feed": name}))


async def _new_address(doing: Doing, given: Given) -> Done:
    name = given["feed"].lower()

    def job(session: Session) -> None:
        row = feed_row(session, name)
        if not row.token:
            raise InvalidField(f"{row.title} has no private address.")
        row.token = stored.new_token()
        session.add(row)

    await doing.write(job)
    await doing.runtime.refresh_feed(name)
    return Done("The address was replaced. Give the sender the new one; the old one no longer works.")


async def keep_permission(doing: Doing, name: str, given: Mapping[str, str]) -> None:
    """Keep what a service gave when the user signed in there."""
    secrets = doing.runtime.store.secrets
    await doing.write(lambda session: stored.keep_secrets(session, feed_row(session, name).id or 0, given, secrets))
    await doing.runtime.refresh_feed(name)


NEW = Action(
    "feed.new",
    "Connect a feed",
    "`choices` are its settings, `secrets` its keys; the connection is not tested.",
    {
        "kind": Field("Kind", text(40)),
        "title": Field("Name", text(60, empty=True)),
        "choices": Field("Choices", group, kind="data"),
        "secrets": Field("Keys", group, kind="data"),
    },
    _new,
    needs=("kind",),
    noted=True,
    may=SET_UP,
)
COPY = Action(
    "feed.copy",
    "Duplicate a feed",
    "With its settings, keys, signals and events; paused until it is resumed.",
    FEED,
    _copy,
    noted=True,
    may=SET_UP,
)
CHANGE = Action(
    "feed.change",
    "Change a feed",
    "Replaces all its settings; a key that is not given stays.",
    {
        **FEED,
        "choices": Field("Choices", group, kind="data"),
        "secrets": Field("Keys", group, kind="data"),
        **OPENED_WITH,
    },
    _change,
    noted=True,
    may=SET_UP,
)
REMOVE = Action(
    "feed.remove", "Delete a feed", "It can be restored.", FEED, partial(_put_away, away=True), noted=True, may=SET_UP
)
RESTORE = Action(
    "feed.restore",
    "Restore a feed",
    "One that was deleted.",
    FEED,
    partial(_put_away, away=False),
    noted=True,
    may=SET_UP,
)
NEW_ADDRESS = Action(
    "feed.new_address",
    "Replace a feed's private address",
    "The old one stops at once.",
    FEED,
    _new_address,
    noted=True,
    may=SET_UP,
)

ALL = (NEW, COPY, CHANGE, REMOVE, RESTORE, NEW_ADDRESS)
