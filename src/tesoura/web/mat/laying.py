"""A piece laid on an overlay's draft from another room, and the way to it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import redirect, url_for
from flask.typing import ResponseReturnValue

from tesoura.web.shared.acting import act


def lay_on(overlay_id: int, kind: str, choices: Mapping[str, Any], window: str) -> ResponseReturnValue:
    """Lay a piece of this kind where there is room, and go to it. Raises InvalidPiece."""
    edit = {"do": "add", "kind": kind, "set": dict(choices)}
    done = act("draft.edit", overlay=overlay_id, edits=[edit], window=window)
    return redirect(url_for("mat.show", overlay_id=overlay_id, piece=",".join(done.result["chosen"] or ())))
