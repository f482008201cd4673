"""Text files: wordings kept in files that other programs read; ready-made ones to tick."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields as fields_of
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.actions.text_files import FIELDS, words_of
from tesoura.bundles.ready_made import ReadyMadeWords, definitions, files, with_needed
from tesoura.core.computed.definitions import COMPUTED, build
from tesoura.core.forms.form import fill
from tesoura.core.language.wording import compile_wording
from tesoura.core.signals.texts import Say
from tesoura.errors import InvalidField
from tesoura.runtime.facade import Runtime
from tesoura.store import text_files as stored
from tesoura.store.tables import TextFileRow
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store
from tesoura.web.signals.wordings import inserts, sight

blueprint = Blueprint("files", __name__, url_prefix="/files")
DEFAULTS = {name: field.default for name, field in FIELDS.items() if field.default}


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All text files, and the folder they are in."""
    return render_template("files/index.html", **_listed())


@blueprint.get("/table")
def table_fragment() -> ResponseReturnValue:
    """The list alone."""
    return render_template("files/_table.html", **_listed())


def _listed() -> dict[str, Any]:
    reports, folder = runtime().call(lambda self: (list(self.text_files.reports()), self.text_files.folder))
    return {"reports": reports, "folder": folder}


def _row(file_id: int) -> TextFileRow:
    row = store().read(lambda session: stored.get(session, file_id))
    if row is None:
        abort(404)
    return row


def _page(typed: Mapping[str, Any], row: TextFileRow | None) -> str:
    shown = sight(str(typed.get("wording", "")), str(typed.get("nothing_yet", ""))) if typed.get("wording") else None
    return render_template(
        "files/edit.html", typed=typed, row=row, sight=shown, saved=_as_typed(row) if row else {}, **inserts()
    )


@blueprint.get("/new")
def new() -> ResponseReturnValue:
    """The form for a new text file."""
    return _page({**DEFAULTS, **request.args.to_dict()}, None)


@blueprint.get("/<int:file_id>")
def edit(file_id: int) -> ResponseReturnValue:
    """A file's wording and settings."""
    row = _row(file_id)
    return _page(_as_typed(row), row)


def _as_typed(row: TextFileRow) -> dict[str, Any]:
    return {name: getattr(row, name) for name in FIELDS} | {"newline": "yes" if row.newline else "no"}


# Ready-made ones


def _words() -> ReadyMadeWords:
    return words_of(_chosen_words())


def _chosen_words() -> dict[str, str]:
    known = {field.name for field in fields_of(ReadyMadeWords)}
    return {name: value for name, value in request.values.items() if name in known}


@blueprint.get("/ready")
def ready() -> ResponseReturnValue:
    """The ready-made files, each with what it would say now."""
    words = _words()
    present = {row.name for row in store().read(stored.all_files)}
    known = definitions(words)
    ordered = with_needed(set(known), words)
    built = [
        build(known[name][0], name, fill(COMPUTED[known[name][0]].fields, known[name][1]).choices) for name in ordered
    ]

    async def told(self: Runtime) -> dict[str, str]:
        values = await self.computations.preview_all(built)
        say = {one.file: Say(compile_wording(one.wording), one.nothing_yet) for one in files(words)}
        return {name: self.engine.texts.with_values(one, values).text for name, one in say.items()}

    says = runtime().call(told)
    groups: dict[str, list[Any]] = {}
    for one in files(words):
        groups.setdefault(one.group, []).append((one, says[one.file], one.file in present))
    return render_template("files/ready.html", groups=groups, words=words)


@blueprint.post("/ready")
def make_ready() -> ResponseReturnValue:
    """Make the files that were ticked, and the computed signals that they read."""
    ticked = {name: request.form.get(f"wording:{name}", "") for name in request.form.getlist("file")}
    try:
        flash(act("file.ready", files=ticked, words=_chosen_words()).words, "said")
    except InvalidField as error:
        flash(str(error), "wrong")
        return redirect(url_for("files.ready"))
    return redirect(url_for("files.index"))
