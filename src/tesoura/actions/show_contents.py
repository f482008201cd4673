"""What of a show goes into its file, and what of one that comes in must still be done by hand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Doing
from tesoura.bundles import shows
from tesoura.bundles.examples import programs
from tesoura.bundles.shows import DAMAGED, OF_ODD_SHAPES, CarriedShow
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.forms.form import secret_names
from tesoura.core.instruments.items import ADD
from tesoura.core.instruments.outward import abilities, persons
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.overlays import looks as look_rules
from tesoura.errors import FileRefused
from tesoura.feeds.api import FeedKind
from tesoura.links.registry import KINDS
from tesoura.runtime.facade import Runtime
from tesoura.store import computed as stored_computed
from tesoura.store import devices as stored_devices
from tesoura.store import feeds as stored_feeds
from tesoura.store import keys as stored_keys
from tesoura.store import looks as stored_looks
from tesoura.store import media as stored_media
from tesoura.store import overlays as stored_overlays
from tesoura.store import rules as stored_rules
from tesoura.store import text_files as stored_files
from tesoura.store.tables import MediaRow


async def show_of(doing: Doing) -> tuple[CarriedShow, list[MediaRow]]:
    """All of the show that goes along, and the files that were added."""
    runtime = doing.runtime
    sealing = runtime.store.secrets

    def ask(session: Session) -> tuple[CarriedShow, list[MediaRow]]:
        known = tuple(stored_feeds.all_secrets(session, sealing).values())
        rows = stored_computed.all_computed(session)
        overlays = [{"name": one.name, "document": dict(one.draft)} for one in stored_overlays.all_overlays(session)]
        show = CarriedShow(
            "",
            [
                shows.feed_told(
                    one,
                    stored_feeds.signals_of(session, one.id or 0),
                    stored_rules.of_feed(session, one.id or 0),
                    secret_names(KINDS[one.kind].fields),
                    known,
                    stored_feeds.secret_names_of(session, one.id or 0),
                )
                for one in stored_feeds.all_feeds(session)
                if one.kind in KINDS
            ],
            [shows.computed_told(one) for one in rows if one.kind in COMPUTED],
            [
                {**shows.computed_told(one), "then": _carried(runtime, one.name)}
                for one in rows
                if one.kind in INSTRUMENTS
            ],
            overlays,
            {
                name: look_rules.to_document(one)
                for name, one in stored_looks.all_looks(session).items()
                if name in stored_looks.changed(session)
            },
            runtime.leaves.present.saved(),
            [shows.file_told(one) for one in stored_files.all_files(session)],
            runtime.preferences.scenes,
            left_here={
                "keys": [one.name for one in stored_keys.listed(session)],
                "devices": [one.name for one in stored_devices.listed(session)],
                "folders": len(runtime.preferences.folders),
            },
        )
        return show, [one for one in stored_media.all_media(session, *shows.CARRIED) if one.owner is None]

    return await doing.read(ask)


def _carried(runtime: Runtime, name: str) -> list[list[Any]]:
    """The commands that give another instrument what this one was given for good: its items, its routes."""
    standing = runtime.instruments.standing(name)
    if standing is None or standing.broken:
        return []
    items = [[ADD, dict(item.values)] for item in standing.items]
    return [*items, *([command, dict(given)] for command, given in standing.setup.kind_of.carries(standing.instrument))]


# Looked at


def lacks(show: CarriedShow, folder: Path) -> list[str]:
    """What must still be done by hand once it is in: keys to be given, files and programs that are not here.

    Raises FileRefused for a document whose parts have another shape than a show's.
    """
    try:
        return _lacks(show, folder)
    except OF_ODD_SHAPES as error:
        raise FileRefused(DAMAGED) from error


def _lacks(show: CarriedShow, folder: Path) -> list[str]:
    found = list(shows.unknown(show, KINDS))
    there = programs(folder / "scripts")
    for one in show.feeds:
        kind = KINDS.get(str(one.get("kind")))
        if kind is None:
            continue
        title, choices = str(one.get("title", one["name"])), dict(one.get("choices", {}))
        standing = {**{name: str(field.default) for name, field in kind.fields.items()}, **choices}
        had = one.get("had")
        keys = [
            field.label.lower()
            for name, field in kind.fields.items()
            if field.kind == "secret"
            and field.plays(standing)
            and name not in kind.makes
            and (name in had if isinstance(had, list) else True)
        ]
        if kind.sign_in is not None:
            found.append(f"{title}: sign in there once more.")
        elif keys:
            found.append(f"{title}: give it its key again ({', '.join(keys)}).")
        elif kind.makes and standing.get("signed", "yes") == "yes":
            found.append(f"{title}: give the sender its new address and signing secret.")
        elif kind.receive is not None:
            found.append(f"{title}: give the sender its new address.")
        for name in one.get("left_out", ()):
            label = kind.fields[name].label if name in kind.fields else str(name)
            found.append(f"{title}: “{label}” held a key, and was left out.")
        if kind.on_machine(choices):
            found += _on_machine(title, choices, there)
    left = show.left_here
    if left.get("folders") or any(
        str(one.get("kind")) in ("file", "follow", "clips", "recording") for one in show.feeds
    ):
        found.append("Allow the folders that Tesoura may read, under Preferences.")
    if show.files:
        found.append("Choose the folder for the text files.")
    if names := ", ".join(str(name) for name in left.get("keys", ())):
        found.append(f"Make API keys again for the programs that send to Tesoura ({names}).")
    if names := ", ".join(str(name) for name in left.get("devices", ())):
        found.append(f"Pair the phones and pads again ({names}).")
    return found


def acting(show: CarriedShow) -> list[tuple[str, list[str]]]:
    """What of a show would act by itself once it is started: each by its title, with what it does."""
    found = []
    for one in show.feeds:
        kind = KINDS.get(str(one.get("kind")))
        if kind is not None and kind.tried:
            found.append((str(one.get("title", one["name"])), [f"connects to {_place(kind, one)}"]))
    for one in show.instruments:
        if (made := INSTRUMENTS.get(str(one.get("kind")))) and (does := abilities(made, one.get("choices", {}))):
            found.append((str(one.get("choices", {}).get("title", one["name"])), does))
    return found


def _place(kind: FeedKind, row: Mapping[str, Any]) -> str:
    standing = {**{name: field.default for name, field in kind.fields.items()}, **dict(row.get("choices", {}))}
    try:
        return kind.place(standing) or kind.title
    except OF_ODD_SHAPES:
        return kind.title


def names_asked(show: CarriedShow) -> list[tuple[str, str, str, str]]:
    """The choices that name a person: under which name it is asked, whose choice, its label, and the name it has."""
    found = []
    for rows, kinds in ((show.feeds, KINDS), (show.instruments, INSTRUMENTS)):
        for one in rows:
            made = kinds.get(str(one.get("kind")))
            choices = dict(one.get("choices", {}))
            if made is None:
                continue
            for name, present in persons(made.fields, choices).items():
                title = str(one.get("title") or choices.get("title") or one["name"])
                found.append((f"person-{one['name']}-{name}", title, made.fields[name].label, present))
    return found


def _on_machine(title: str, choices: Mapping[str, Any], there: Sequence[str]) -> list[str]:
    program = str(choices.get("program", ""))
    if program:
        return [] if program in there else [f"{title}: put the program {program} into the scripts folder."]
    path = str(choices.get("path") or choices.get("where") or "")
    if not path or "://" in path:
        return []
    return [] if Path(path).exists() else [f"{title}: there is no {path} here. Choose where it is."]
