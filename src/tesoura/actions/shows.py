"""A whole show brought in from a file, at once or not at all."""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given, perform
from tesoura.actions.media import keep_file
from tesoura.actions.overlay_setup import free_name
from tesoura.actions.roles import MACHINE
from tesoura.actions.starters import take_steps
from tesoura.actions.values import COMMAND
from tesoura.archives import WAITING
from tesoura.bundles import shows
from tesoura.bundles.shows import DAMAGED, OF_ODD_SHAPES, CarriedShow
from tesoura.bundles.starters import with_names
from tesoura.core.computed.definitions import COMPUTED, build
from tesoura.core.desk.leaves import leaves_of
from tesoura.core.forms.checks import group, text
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.names import unused
from tesoura.core.overlays import looks as look_rules
from tesoura.core.overlays.document import from_document
from tesoura.errors import CommandRefused, FileRefused, FormulaError, Invalid, InvalidField, NewerDocument
from tesoura.links.registry import KINDS
from tesoura.store import computed as stored_computed
from tesoura.store import feeds as stored_feeds
from tesoura.store import keys, paused
from tesoura.store import looks as stored_looks
from tesoura.store import overlays as stored_overlays
from tesoura.store import text_files as stored_files
from tesoura.store.overlays import OnAir
from tesoura.store.paused import PausedImports
from tesoura.store.secrets import Secrets
from tesoura.store.tables import RuleRow, SignalRow
from tesoura.workers import entered

"""How the file is called that waits in the data folder to be imported."""
MOST_TEXT = 400


@dataclass(slots=True)
class _Written:
    """What was written of a show, and what takes it back."""

    feeds: list[str] = field(default_factory=list)
    rows: list[int] = field(default_factory=list)
    instruments: list[tuple[str, list[Any]]] = field(default_factory=list)
    on_air: list[OnAir] = field(default_factory=list)
    undo: list[Call] = field(default_factory=list)
    left: list[str] = field(default_factory=list)
    paused: list[str] = field(default_factory=list)
    """The feeds that would connect to something."""


def _with_persons(show: CarriedShow, answers: Mapping[str, str]) -> CarriedShow:
    """The show with these names of persons in the place of those that it has."""

    def own(rows: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
        found = []
        for row in rows:
            choices = dict(row.get("choices", {}))
            start = f"person-{row['name']}-"
            choices |= {
                key.removeprefix(start): value
                for key, value in answers.items()
                if key.startswith(start) and key.removeprefix(start) in choices
            }
            found.append({**row, "choices": choices})
        return found

    return replace(show, feeds=own(show.feeds), instruments=own(show.instruments))


def _names(show: CarriedShow, taken: set[str]) -> dict[str, str]:
    """Under which name each thing comes in: its own, unless that is taken."""
    names: dict[str, str] = {}
    for one in (*show.feeds, *show.instruments, *(row for row in show.computed if row.get("kind") != "formula")):
        names[str(one["name"])] = free = unused(str(one["name"]), taken)
        taken.add(free)
    return names


async def _bring_in(doing: Doing, given: Given) -> Done:
    path = doing.runtime.store.folder / given["file"]
    if not WAITING.fullmatch(given["file"]) or not path.is_file():
        raise CommandRefused("The file is no longer here. Choose it again.")
    show = await asyncio.to_thread(shows.read, path)
    async with entered(shows.added_files(path)) as added:
        for row in show.media:
            data = await asyncio.to_thread((added / str(row["name"])).read_bytes)
            await keep_file(doing, str(row["kind"]), str(row.get("title", ""))[:80], data)
    taken = doing.runtime.names_taken() | await doing.read(stored_feeds.names_taken)
    taken |= await doing.read(stored_computed.names_ever_used)
    show = _with_persons(show, {str(key): str(value) for key, value in given["persons"].items()})
    names, at = _names(show, taken), doing.now()
    sealing = doing.runtime.store.secrets

    def job(session: Session) -> _Written:
        written = _Written()
        for row in show.feeds:
            _feed(session, row, names, written, sealing, at)
        for row in (*show.computed, *show.instruments):
            _computed(session, row, names, written, at)
        there = stored_looks.all_looks(session)
        for name, look in show.looks.items():
            if name not in there:
                stored_looks.keep(session, look_rules.from_document(name, look), at)
        for row in show.overlays:
            _overlay(session, row, names, written, at)
        taken_files = {one.name.casefold() for one in stored_files.all_files(session)}
        for row in show.files:
            _file(session, row, names, written, taken_files, at)
        # What comes from elsewhere does nothing in front of viewers before somebody here starts it.
        paused.add(session, written.paused, [name for name, _ in written.instruments])
        return written

    try:
        written = await doing.write(job)
    except OF_ODD_SHAPES as error:
        raise FileRefused(DAMAGED) from error
    try:
        await _alive(doing, show, names, written)
    except OF_ODD_SHAPES as error:
        await take_steps(doing, list(reversed(written.undo)))
        raise FileRefused(DAMAGED) from error
    steps = [[one.action, dict(one.given)] for one in reversed(written.undo)]
    words = f"The show is in: {', '.join(f'{count} {what}' for count, what in show.counts())}."
    return Done(words, {"steps": steps, "left": written.left}, Call("starter.take_back", {"steps": steps}))


def _feed(
    session: Session, row: Mapping[str, Any], names: Mapping[str, str], written: _Written, sealing: Secrets, at: Any
) -> None:
    kind = KINDS.get(str(row.get("kind")))
    if kind is None:
        return
    given = {
        one: value
        for one, value in dict(row.get("choices", {})).items()
        if one in kind.fields and kind.fields[one].kind != "secret"
    }
    choices, name = fill(kind.fields, given).choices, names[str(row["name"])]
    full = {**given, **choices}
    made = stored_feeds.add_feed(session, name, str(row.get("title", name))[:60], kind.name, full, at)
    if kind.receive is not None:
        made.token = stored_feeds.new_token()
    if kind.tried:
        made.paused = True
        written.paused.append(name)
    own = {one: make(secrets.token_bytes(32)) for one, make in kind.makes.items()}
    if own and choices.get("signed", "yes") == "yes":
        stored_feeds.keep_secrets(session, made.id or 0, own, sealing)
    for one in _tables(row, "signals"):
        full_name = f"{name}.{str(one.get('name', ''))[:48]}"
        if session.get(SignalRow, full_name) is None:
            session.add(
                SignalRow(
                    name=full_name,
                    feed_id=made.id or 0,
                    path=str(one.get("path", ""))[:500],
                    unit=str(one.get("unit", ""))[:60],
                    wanted="text" if one.get("wanted") == "text" else "number",
                )
            )
    for one in _tables(row, "rules"):
        paths = {name: str(one.get(name, ""))[:MOST_TEXT] for name in ("items", "id_path", "time_path")}
        fields = {str(key): str(path) for key, path in dict(one.get("fields", {})).items()}
        session.add(
            RuleRow(
                feed_id=made.id or 0,
                type=str(one.get("type", "event"))[:120],
                fields=fields,
                items=paths["items"],
                id_path=paths["id_path"],
                time_path=paths["time_path"],
            )
        )
    written.feeds.append(name)
    written.undo.append(Call("feed.remove", {"feed": name}))


def _tables(row: Mapping[str, Any], name: str) -> list[dict[str, Any]]:
    rows = row.get(name, [])
    return [one for one in rows if isinstance(one, dict)][:200] if isinstance(rows, list) else []


def _computed(session: Session, row: Mapping[str, Any], names: Mapping[str, str], written: _Written, at: Any) -> None:
    kind, old = str(row.get("kind")), str(row["name"])
    name = names.get(old, old)
    choices = with_names(dict(row.get("choices", {})), names)
    try:
        if kind in COMPUTED:
            filled = fill(COMPUTED[kind].fields, choices)
            build(kind, name, filled.choices)
        elif kind in INSTRUMENTS:
            filled = fill(INSTRUMENTS[kind].fields, choices)
        else:
            return
    except (FormulaError, ValueError, KeyError, TypeError):
        written.left.append(old)
        return
    if filled.wrong:
        written.left.append(old)
        return
    if kind in COMPUTED and any(one.name == name for one in stored_computed.all_computed(session)):
        return
    made = stored_computed.keep(session, None, kind, name, filled.choices, at).id or 0
    written.rows.append(made)
    if kind in INSTRUMENTS:
        then = row.get("then", [])
        written.instruments.append((name, then if isinstance(then, list) else []))
        written.undo.append(Call("instrument.remove", {"instrument": name}))
    else:
        written.undo.append(Call("computed.remove", {"computed": made}))


def _overlay(session: Session, row: Mapping[str, Any], names: Mapping[str, str], written: _Written, at: Any) -> None:
    try:
        draft = from_document(row.get("document", {}))
    except (NewerDocument, TypeError, AttributeError, KeyError, ValueError):
        written.left.append(str(row.get("name", "an overlay"))[:60])
        return
    pieces = tuple(replace(one, choices=with_names(dict(one.choices), names)) for one in draft.pieces)
    name = free_name(session, str(row.get("name", "My overlay"))[:60] or "My overlay")
    made = stored_overlays.new_overlay(session, name, replace(draft, pieces=pieces), at)
    written.on_air.append(stored_overlays.on_air(session, made))
    written.undo.append(Call("overlay.remove", {"overlay": made.id}))


def _file(
    session: Session, row: Mapping[str, Any], names: Mapping[str, str], written: _Written, taken: set[str], at: Any
) -> None:
    name = str(row.get("name", ""))[:100]
    if not name or name.casefold() in taken or "/" in name or "\\" in name:
        written.left.append(name or "a text file")
        return
    taken.add(name.casefold())
    told = {
        key: with_names(str(row.get(key, ""))[:4_000], names)
        for key in ("wording", "nothing_yet", "when_down", "down_text")
    }
    choices = {**told, "name": name, "when_down": told["when_down"] or "keep", "newline": bool(row.get("newline"))}
    made = stored_files.keep(session, None, choices, at).id
    written.undo.append(Call("file.remove", {"file": made}))


async def _alive(doing: Doing, show: CarriedShow, names: Mapping[str, str], written: _Written) -> None:
    """Let what was written run."""
    runtime = doing.runtime
    await runtime.paused.refresh()
    for name in written.feeds:
        await runtime.refresh_feed(name)
    for row_id in written.rows:
        await runtime.refresh_computed(row_id)
    for on_air in written.on_air:
        await runtime.stage.put(on_air)
    await runtime.text_files.refresh()
    runtime.studio.faces.forget()
    runtime.touched("overlays", "files", "feeds", "signals")
    for name, then in written.instruments:
        for step in then:
            if not (isinstance(step, list) and len(step) == 2 and isinstance(step[1], dict)):
                continue
            wished = {**with_names(step[1], dict(names)), "instrument": name, "command": str(step[0])}
            try:
                await perform(doing, replace(COMMAND, takes_back=False), wished)
            except Invalid:
                written.left.append(f"{name}: {step[0]}")
    present = runtime.leaves.present
    try:
        coming = leaves_of(with_names(dict(show.leaves), dict(names)))
        leaves = present
        for leaf in coming.leaves:
            leaves = leaves.with_leaf(_free_leaf(leaf.name, {one.name.casefold() for one in leaves.leaves}))
            for button in leaf.buttons:
                leaves, _ = leaves.laid(leaves.leaves[-1].id, replace(button, id="new"))
    except (InvalidField, Invalid, KeyError, TypeError, ValueError, AttributeError):
        written.left.append("the buttons")
        return
    if leaves is not present:
        await runtime.leaves.keep(leaves)
        written.undo.append(Call("leaves.put", {"leaves": present.saved()}))
        runtime.touched("leaves")


def _free_leaf(name: str, taken: set[str]) -> str:
    number, free = 2, name
    while free.casefold() in taken:
        free, number = f"{name[:26]} {number}", number + 1
    return free


BRING_IN = Action(
    "show.bring_in",
    "Bring a show in",
    "From a file that Tesoura saved, which waits in the data folder.",
    {"file": Field("File", text(80)), "persons": Field("Names of persons", group, kind="data", default={})},
    _bring_in,
    noted=True,
    may=MACHINE,
)


async def _start(doing: Doing, given: Given) -> Done:
    runtime = doing.runtime
    waiting = runtime.paused.present
    if not waiting:
        raise CommandRefused("Nothing imported is paused.")

    def job(session: Session) -> None:
        for name in waiting.feeds:
            if row := stored_feeds.by_name(session, name):
                row.paused = False
                session.add(row)
        for number in waiting.keys:
            keys.revoke(session, number, None)
        paused.keep(session, PausedImports())

    await doing.write(job)
    await runtime.paused.refresh()
    for name in waiting.feeds:
        await runtime.refresh_feed(name)
    runtime.touched("feeds", "overlays")
    runtime.store.forget_keys()
    count = len(waiting.feeds) + len(waiting.instruments) + len(waiting.keys)
    return Done(f"Started: {count} imported {'part' if count == 1 else 'parts'}.")


START_IMPORTED = Action(
    "show.start_imported",
    "Start what was imported",
    "Connect imported feeds; let imported cues and instruments act.",
    {},
    _start,
    noted=True,
    may=MACHINE,
)

ALL = (BRING_IN, START_IMPORTED)
