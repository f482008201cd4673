"""Scenes: the present one, by hand from the desk; which there are, and which signal tells the present one."""

from __future__ import annotations

import json

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.core.names import is_signal_name
from tesoura.runtime.facade import Runtime
from tesoura.runtime.preferences import SCENE_SIGNAL
from tesoura.store import state
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store

blueprint = Blueprint("scenes", __name__)
MAX_SCENES = 24


def present() -> str:
    """The present scene; empty when nobody has said."""
    return runtime().call(lambda self: self.stage.scene)


@blueprint.get("/desk/scene")
def fragment() -> ResponseReturnValue:
    """The scenes, the present one marked."""
    return render_template("desk/_scene.html", scenes=runtime().preferences.scenes, present=present())


@blueprint.post("/scene")
def choose() -> ResponseReturnValue:
    """Make a scene the present one, as the streaming software would report it."""
    act("scene.set", scene=request.form.get("scene", ""))
    if "HX-Request" in request.headers:
        return fragment()
    return redirect(url_for("desk.show"))


@blueprint.post("/preferences/scenes")
def name_them() -> ResponseReturnValue:
    """Say which scenes there are, and which signal tells the present one."""
    typed = request.form.get("scenes", "").replace(",", "\n").splitlines()
    scenes = list(dict.fromkeys(" ".join(one.split())[:60] for one in typed if one.strip()))[:MAX_SCENES]
    signal = request.form.get("scene_signal", "").strip().lower() or SCENE_SIGNAL
    if not is_signal_name(signal):
        flash(f"“{signal[:40]}” is not a signal's name. Choose one from the list, such as {SCENE_SIGNAL}.", "wrong")
        return redirect(url_for("preferences.show") + "#scenes")

    def job(session: Session) -> None:
        state.choose(session, "scenes", json.dumps(scenes))
        state.choose(session, "scene_signal", signal)

    store().write(job)
    runtime().call(Runtime.preferences_changed)
    flash("The scenes are so from now on.", "said")
    return redirect(url_for("preferences.show") + "#scenes")
