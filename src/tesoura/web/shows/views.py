"""The whole show: saved as one file, looked at before it comes in, brought in at once."""

from __future__ import annotations

import tempfile

from flask import Blueprint, Response, flash, redirect, render_template, request, send_file, url_for
from flask.typing import ResponseReturnValue

from tesoura.actions.action import Doing
from tesoura.actions.show_contents import acting, lacks, names_asked, show_of
from tesoura.bundles import shows
from tesoura.core.names import unused
from tesoura.errors import CommandRefused, FileRefused
from tesoura.runtime.facade import Runtime
from tesoura.store.tables import MediaRow
from tesoura.web.shared.acting import act, must_be_here
from tesoura.web.shared.doors import actor, now, runtime, store
from tesoura.web.shared.incoming import GONE, take_in, waiting

blueprint = Blueprint("shows", __name__, url_prefix="/show")


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """What goes into a show's file, and where one is imported."""
    show, rows = _present()
    return render_template(
        "shows/index.html", counts=show.counts(), added=len(rows), size=sum(one.size for one in rows)
    )


def _present() -> tuple[shows.CarriedShow, list[MediaRow]]:
    who = actor()
    return runtime().call(lambda self: show_of(Doing(self, who)))


@blueprint.get("/tesoura-show.zip")
def out() -> ResponseReturnValue:
    """The show as one file, without secrets."""
    show, rows = _present()
    # The response closes it.
    file = tempfile.TemporaryFile(dir=store().folder)  # noqa: SIM115 - it lives until it is sent
    try:
        shows.write_out(file, show, rows, store().folder, now())
    except FileRefused as error:
        file.close()
        flash(str(error), "wrong")
        return redirect(url_for("shows.index"))
    file.seek(0)
    response: Response = send_file(
        file, mimetype="application/zip", as_attachment=True, download_name=f"show-{now():%Y-%m-%d}.zip"
    )
    return response


@blueprint.post("/look")
def look() -> ResponseReturnValue:
    """What is in a show's file, and what will be missing; nothing is imported."""
    must_be_here("Importing a show")
    sent = request.files.get("file")
    if sent is None or not sent.filename:
        flash("Choose a file first.", "wrong")
        return redirect(url_for("shows.index"))
    at = None
    try:
        token, at = take_in(sent, store().folder)
        show = shows.read(at)
        missing, does, persons = lacks(show, store().folder), acting(show), names_asked(show)
    except (FileRefused, OSError) as error:
        if at is not None:
            at.unlink(missing_ok=True)
        flash(str(error), "wrong")
        return redirect(url_for("shows.index"))
    taken = runtime().call(Runtime.names_taken)
    renamed = [
        (name, unused(name, set(taken)))
        for one in (*show.feeds, *show.instruments)
        if (name := str(one["name"])) in taken
    ]
    return render_template(
        "shows/preview.html", show=show, token=token, lacks=missing, renamed=renamed, acting=does, persons=persons
    )


@blueprint.post("/bring")
def bring() -> ResponseReturnValue:
    """Bring in the file that was looked at."""
    at = waiting(request.form.get("token", ""), store().folder)
    if at is None:
        flash(GONE, "wrong")
        return redirect(url_for("shows.index"))
    try:
        persons = {key: value for key, value in request.form.items() if key.startswith("person-")}
        done = act("show.bring_in", file=at.name, persons=persons)
    except (FileRefused, CommandRefused) as error:
        flash(str(error), "wrong")
        return redirect(url_for("shows.index"))
    at.unlink(missing_ok=True)
    flash(done.words + " Nothing is on air, and automatic actions are paused. Start them on the desk.", "said")
    if left := done.result["left"]:
        flash(f"Left out, because it can't be used here: {', '.join(map(str, left))}.", "wrong")
    return redirect(url_for("overlays.index"))
