"""Help with wordings: what one says now, at its longest, and when nothing has come."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.actions.text_files import wording as checked
from tesoura.core.language.functions import FUNCTIONS
from tesoura.core.language.numbers import NAMED
from tesoura.core.language.wording import compile_wording
from tesoura.core.names import closest
from tesoura.core.signals.texts import Say
from tesoura.errors import InvalidField
from tesoura.runtime.facade import Runtime
from tesoura.web.shared.doors import runtime

blueprint = Blueprint("wordings", __name__, url_prefix="/wordings")


def sight(wording: str, nothing_yet: str) -> dict[str, Any]:
    """What a wording says now, at its longest, and with nothing; or what is wrong with it."""
    try:
        say = Say(compile_wording(checked(wording)), nothing_yet)
    except InvalidField as error:
        return {"wrong": str(error)}

    def ask(self: Runtime) -> tuple[Any, ...]:
        texts = self.engine.texts
        names = [one.name for one in self.signals()]
        return texts.preview(say), texts.longest(say), texts.empty(say), names

    now_says, longest, empty, names = runtime().call(ask)
    notes = []
    for name in say.wording.names:
        if name not in names:
            near = closest(name, names)
            notes.append(f"There is no signal {name}. {f'Did you mean {near}?' if near else ''}".strip())
    if not notes and now_says.why:
        notes.append(now_says.problem or f"{now_says.missing} has no value yet.")
    return {"now": now_says.text, "longest": longest.text, "empty": empty.text, "notes": notes}


@blueprint.post("/try")
def attempt() -> ResponseReturnValue:
    """A wording, as it is being written."""
    return render_template(
        "wordings/_sight.html", sight=sight(request.form.get("wording", ""), request.form.get("nothing_yet", ""))
    )


def inserts() -> dict[str, Any]:
    """What can be put into a wording by a click."""
    return {"signals": runtime().call(Runtime.signals), "functions": FUNCTIONS, "formats": NAMED}
