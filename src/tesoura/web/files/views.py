"""Text files: wordings kept in files that other programs read; ready-made ones to tick."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import fields as fields_of
from datetime import datetime
from pathlib import Path
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.bundles.ready_made import ReadyMadeWords, definitions, files, with_needed
from tesoura.core.computed.definitions import COMPUTED, build
from tesoura.core.forms.checks import choice, text
from tesoura.core.forms.form import fill
from tesoura.core.language.wording import compile_wording
from tesoura.core.signals.texts import Say
from tesoura.errors import InvalidField
from tesoura.runtime.facade import Runtime
from tesoura.runtime.text_files import FOLDER_CHOICE, STOPPED
from tesoura.store import computed as stored_computed
from tesoura.store import feeds as stored_feeds
from tesoura.store import state
from tesoura.store import text_files as stored
from tesoura.store.tables import TextFileRow
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.signals.wordings import checked, inserts, sight

blueprint = Blueprint("files", __name__, url_prefix="/files")
_NAME = re.compile(r"[^\\/:*?\"<>|\x00-\x1f]{1,100}")
_RESERVED = re.compile(r"(?i)(con|prn|aux|nul|com\d|lpt\d)(\..*)?")


def file_name(raw: object) -> str:
    """A bare file name that any system takes, ending in .txt unless it has an ending; or InvalidField."""
    typed = str(raw).strip()
    if not typed:
        raise InvalidField("Give the file a name, such as latest_gift.txt.")
    if not _NAME.fullmatch(typed) or typed.startswith(".") or typed.endswith((".", " ")) or _RESERVED.fullmatch(typed):
        raise InvalidField("A file's bare name, without folders and without any of \\ / : * ? \" < > |.")
    return typed if "." in typed else f"{typed}.txt"


CHECKS: Mapping[str, Any] = {
    "name": file_name,
    "wording": checked,
    "nothing_yet": text(400, empty=True),
    "when_down": choice(STOPPED),
    "down_text": text(400, empty=True),
    "newline": lambda raw: raw == "yes",
}
DEFAULTS = {"nothing_yet": "", "when_down": "keep", "down_text": "", "newline": "no"}


async def _refresh(self: Runtime) -> None:
    await self.text_files.refresh()
    self.touched("files")


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


@blueprint.post("/folder")
def set_folder() -> ResponseReturnValue:
    """Name the folder that the files are written to."""
    typed = request.form.get("folder", "").strip().strip('"')
    path = Path(typed).expanduser() if typed else store().folder / "texts"
    if not path.is_absolute():
        flash("Give the folder's whole path from the top, such as /home/mara/stream/texts.", "wrong")
        return redirect(url_for("files.index"))
    try:
        path.mkdir(parents=True, exist_ok=True)
        probe = path / ".tesoura-probe"
        probe.write_text("")
        probe.unlink()
    except OSError as error:
        flash(f"Nothing can be written there ({error.strerror}). Give another folder.", "wrong")
        return redirect(url_for("files.index"))
    store().write(lambda session: state.choose(session, FOLDER_CHOICE, str(path)))
    runtime().call(_refresh)
    flash("The files are written there from now on. Those in the folder before stay as they are.", "said")
    return redirect(url_for("files.index"))


def _row(file_id: int) -> TextFileRow:
    row = store().read(lambda session: stored.get(session, file_id))
    if row is None:
        abort(404)
    return row


def _page(typed: Mapping[str, Any], wrong: Mapping[str, str], row: TextFileRow | None) -> str:
    shown = sight(str(typed.get("wording", "")), str(typed.get("nothing_yet", ""))) if typed.get("wording") else None
    return render_template("files/edit.html", typed=typed, wrong=wrong, row=row, sight=shown, **inserts())


def _checked(typed: Mapping[str, str], file_id: int | None) -> tuple[dict[str, Any], dict[str, str]]:
    choices: dict[str, Any] = {}
    wrong: dict[str, str] = {}
    for name, check in CHECKS.items():
        try:
            choices[name] = check(typed.get(name, DEFAULTS.get(name, "")))
        except InvalidField as error:
            wrong[name] = str(error)
    if "name" in choices:
        others = [one for one in store().read(stored.all_files) if one.id != file_id]
        if any(one.name.casefold() == choices["name"].casefold() for one in others):
            wrong["name"] = f"There is a {choices['name']} already. Give this one another name."
    return choices, wrong


@blueprint.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Keep a wording in a file."""
    if request.method == "GET":
        return _page({**DEFAULTS, **request.args.to_dict()}, {}, None)
    return _save(None)


@blueprint.route("/<int:file_id>", methods=["GET", "POST"])
def edit(file_id: int) -> ResponseReturnValue:
    """Change a file's wording and choices."""
    row = _row(file_id)
    if request.method == "GET":
        typed = {**row.model_dump(), "newline": "yes" if row.newline else "no"}
        return _page(typed, {}, row)
    return _save(row)


def _save(row: TextFileRow | None) -> ResponseReturnValue:
    typed, at = request.form.to_dict(), now()
    choices, wrong = _checked(typed, row.id if row else None)
    if wrong:
        return _page(typed, wrong, row), 422
    store().write(lambda session: stored.keep(session, row.id if row else None, choices, at))
    if runtime().call(lambda self: self.text_files.folder) is None:
        folder = store().folder / "texts"
        folder.mkdir(parents=True, exist_ok=True)
        store().write(lambda session: state.choose(session, FOLDER_CHOICE, str(folder)))
    runtime().call(_refresh)
    flash(f"{choices['name']} is written whenever it changes.", "said")
    return redirect(url_for("files.index"))


@blueprint.post("/<int:file_id>/remove")
def remove(file_id: int) -> ResponseReturnValue:
    """Write a file no more."""
    row, at = _row(file_id), now()
    store().write(lambda session: stored.remove(session, file_id, at))
    runtime().call(_refresh)
    flash(
        f"{row.name} is not written any more; what it holds stays.", "undo:" + url_for("files.restore", file_id=file_id)
    )
    return redirect(url_for("files.index"))


@blueprint.post("/<int:file_id>/restore")
def restore(file_id: int) -> ResponseReturnValue:
    """Write a file again."""
    row = store().write(lambda session: stored.remove(session, file_id, None))
    if row is None:
        abort(404)
    runtime().call(_refresh)
    flash(f"{row.name} is written again.", "said")
    return redirect(url_for("files.index"))


# Ready-made ones


def _words() -> ReadyMadeWords:
    given = request.values
    known = {field.name for field in fields_of(ReadyMadeWords)}
    return ReadyMadeWords(**{name: given[name].strip()[:80] for name in known if given.get(name, "").strip()})


@blueprint.get("/ready")
def ready() -> ResponseReturnValue:
    """The ready-made files, each with what it would say now."""
    words = _words()
    present = {row.name for row in store().read(stored.all_files)}
    known = definitions(words)
    ordered = with_needed(set(known), words)
    built = [build(known[name][0], name, fill(COMPUTED[known[name][0]].fields, known[name][1]).choices)
             for name in ordered]  # fmt: skip

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
    words, ticked = _words(), set(request.form.getlist("file"))
    wanted = [(one, request.form.get(f"wording:{one.file}") or one.wording) for one in files(words)
              if one.file in ticked]  # fmt: skip
    if not wanted:
        flash("Tick at least one.", "wrong")
        return redirect(url_for("files.ready"))
    for one, wording in wanted:
        try:
            checked(wording)
        except InvalidField as error:
            flash(f"{one.file}: {error}", "wrong")
            return redirect(url_for("files.ready"))
    at, in_use, folder = now(), runtime().call(Runtime.names_taken), store().folder / "texts"
    needed = with_needed({name for one, _ in wanted for name in one.needs}, words)
    known = definitions(words)

    def job(session: Session) -> list[int]:
        made = _compute(session, [(name, *known[name]) for name in needed], in_use, at)
        present = {row.name for row in stored.all_files(session)}
        for one, wording in wanted:
            if one.file not in present:
                choices = {"name": one.file, "wording": wording, "nothing_yet": one.nothing_yet}
                stored.keep(session, None, choices, at)
        if state.choice(session, FOLDER_CHOICE) is None:
            folder.mkdir(parents=True, exist_ok=True)
            state.choose(session, FOLDER_CHOICE, str(folder))
        return made

    for row_id in store().write(job):
        runtime().call(Runtime.refresh_computed, row_id)
    runtime().call(_refresh)
    count = len(wanted)
    flash(f"{count} {'file is' if count == 1 else 'files are'} written whenever something changes.", "said")
    return redirect(url_for("files.index"))


def _compute(
    session: Session, wanted: Sequence[tuple[str, str, Mapping[str, Any]]], in_use: set[str], at: datetime
) -> list[int]:
    """Keep the computed signals that are not there yet; a name that something else has is left to it."""
    have = {row.name for row in stored_computed.all_computed(session)}
    taken = stored_feeds.names_taken(session) | in_use | have
    made = []
    for name, kind, choices in wanted:
        if name not in taken:
            filled = fill(COMPUTED[kind].fields, choices)
            made.append(stored_computed.keep(session, None, kind, name, filled.choices, at).id or 0)
    return made
