"""An overlay saved as a starter: with the feed that it reads, what is computed, its instruments and their buttons."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any

import tomli_w
from flask import Blueprint, Response, flash, redirect, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.actions.starters import read_starter
from tesoura.bundles.private_parts import private_parts, without
from tesoura.bundles.recipes import document_of
from tesoura.bundles.starters import VERSION
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.forms.covering import known_in
from tesoura.core.forms.form import Fields
from tesoura.core.instruments.items import ADD
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.overlays.document import MEDIA, Piece
from tesoura.errors import RecipeRefused
from tesoura.links.registry import KINDS
from tesoura.store import computed as stored_computed
from tesoura.store import feeds as stored_feeds
from tesoura.store import rules as stored_rules
from tesoura.store.tables import ComputedRow, FeedRow
from tesoura.web.mat.draft import laid
from tesoura.web.recipes.views import recipe_of
from tesoura.web.shared.doors import runtime, store

blueprint = Blueprint("starter_saving", __name__, url_prefix="/begin/of")
_HALF = re.compile(r"(?<![\w.])([a-z][a-z0-9_]*)(?=\.[a-z_])")
MOST_THINGS = 60


@blueprint.get("/<int:overlay_id>.toml")
def save(overlay_id: int) -> ResponseReturnValue:
    """An overlay as a starter, to give away: without secrets, links and added files."""
    there = laid(overlay_id)

    def ask(session: Session) -> tuple[dict[str, FeedRow], dict[str, ComputedRow], dict[str, str]]:
        feeds = {one.name: one for one in stored_feeds.all_feeds(session)}
        computed = {one.name: one for one in stored_computed.all_computed(session)}
        makes = {rule.type: name for name, one in feeds.items() for rule in stored_rules.of_feed(session, one.id or 0)}
        return feeds, computed, makes

    feeds, computed, makes = store().read(ask)
    used = _used(there.draft.pieces, computed, makes)
    read = [feeds[name] for name in used if name in feeds]
    if len(read) > 1:
        titles = ", ".join(one.title for one in read)
        flash(
            f"A starter carries one feed, and “{there.row.name}” reads {len(read)}: {titles}. Save the whole show "
            "instead.",
            "wrong",
        )
        return redirect(url_for("shows.index"))
    rows = [computed[name] for name in used if name in computed]
    document: dict[str, Any] = {"version": VERSION, "title": there.row.name, "about": ""}
    if read:
        document["feed"] = [_feed(read[0])]
    document["computed"] = [
        {"kind": one.kind, "name": one.name, **_chosen(one.choices, COMPUTED[one.kind].fields)}
        for one in rows
        if one.kind in COMPUTED
    ]
    document["instrument"] = [_instrument(one) for one in rows if one.kind in INSTRUMENTS]
    document["overlay"] = {
        "name": there.row.name,
        "width_px": there.draft.width_px,
        "height_px": there.draft.height_px,
        "piece": [_piece(one) for one in there.draft.pieces],
    }
    if leaf := _leaf({one.name for one in rows}):
        document["leaf"] = leaf
    text = tomli_w.dumps({key: value for key, value in document.items() if value != []}, multiline_strings=True)
    try:
        read_starter(text)
    except RecipeRefused as error:
        flash(f"It can't be saved as a starter: {error}", "wrong")
        return redirect(url_for("links.show", overlay_id=overlay_id))
    name = re.sub(r"[^a-z0-9]+", "_", there.row.name.lower()).strip("_") or "starter"
    return Response(
        text, mimetype="application/toml", headers={"Content-Disposition": f'attachment; filename="{name}.toml"'}
    )


def _used(pieces: Iterable[Piece], computed: Mapping[str, ComputedRow], makes: Mapping[str, str]) -> list[str]:
    """The names of the feeds and computations that pieces read, those that others read before them.

    `makes` tells which feed makes a type of event.
    """
    found: dict[str, None] = {}

    def add(texts: Iterable[str]) -> None:
        for text in texts:
            halves = _HALF.findall(text)
            whole = [text] if text in computed else []
            for name in (*halves, *whole, *(makes[one] for one in (text, *halves) if one in makes)):
                if name in found or len(found) >= MOST_THINGS:
                    continue
                if name in computed:
                    add(_texts(computed[name].choices))
                found[name] = None

    for piece in pieces:
        add(_texts(piece.choices))
    return list(found)


def _texts(value: Any) -> list[str]:
    if isinstance(value, Mapping):
        return [text for one in value.values() for text in _texts(one)]
    if isinstance(value, list):
        return [text for one in value for text in _texts(one)]
    return [value] if isinstance(value, str) else []


def _feed(row: FeedRow) -> dict[str, Any]:
    """A feed as a way to get the data; what may be private of it is asked for."""
    fields = KINDS[row.kind].fields
    document = document_of(recipe_of(row))
    known = known_in(store().read(lambda session: stored_feeds.all_secrets(session, store().secrets)))
    parts = private_parts(document, {name for name, field in fields.items() if field.private}, known)
    open_one = without(document, parts, {name: field.label for name, field in fields.items()})
    told = {"way": row.title, "title": row.title, **open_one["feed"]}
    first = next(iter(fields))
    if first in told["choices"] and fields[first].kind == "line":
        told.setdefault("ask", {})[first] = fields[first].label
    return {**told, **{name: open_one[name] for name in ("signal", "event") if open_one.get(name)}}


def _chosen(choices: Mapping[str, Any], fields: Fields) -> dict[str, Any]:
    """The choices that are not as they begin with; added files stay here."""
    return {
        name: value
        for name, value in choices.items()
        if name in fields
        and fields[name].kind not in (*MEDIA, "sound")
        and value is not None
        and str(value) != str(fields[name].default)
    }


def _instrument(row: ComputedRow) -> dict[str, Any]:
    kind = INSTRUMENTS[row.kind]
    standing = runtime().call(lambda self: self.instruments.standing(row.name))
    then: list[dict[str, Any]] = []
    if standing is not None and not standing.broken:
        fields = kind.items.fields if kind.items else {}
        then = [
            {
                "command": ADD,
                "given": {
                    name: str(value)
                    for name, value in item.values.items()
                    if value != "" and fields[name].kind not in MEDIA
                },
            }
            for item in standing.items
        ]
        then += [{"command": command, "given": dict(given)} for command, given in kind.carries(standing.instrument)]
    told = {"kind": row.kind, "name": row.name, "choices": _chosen(row.choices, kind.fields)}
    return {**told, **({"then": then} if then else {})}


def _piece(piece: Piece) -> dict[str, Any]:
    fields, defaults = piece.kind_of.all_fields, piece.kind_of.defaults
    own = {
        name: value
        for name, value in piece.choices.items()
        if name in fields and fields[name].kind not in MEDIA and value != defaults.get(name)
    }
    return {"kind": piece.kind, "look": piece.look, **own, **piece.style}


def _leaf(instruments: set[str]) -> dict[str, Any] | None:
    """The leaf on which buttons of these instruments lie."""
    for leaf in runtime().call(lambda self: self.leaves.present).leaves:
        operated = {
            name
            for button in leaf.buttons
            for name in (button.own.get("instrument"), button.own.get("board"))
            if name in instruments
        }
        if operated:
            return {"name": leaf.name, "buttons_of": sorted(str(one) for one in operated)}
    return None
