"""`/api/clips`: clips sent in by programs, written to the disk as they come; and what is on the shelf."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, request
from flask.typing import ResponseReturnValue

from tesoura.core.replays.occasions import MICRO
from tesoura.errors import Invalid, TooMuch
from tesoura.store import clips as stored
from tesoura.store.clips import ClipQuery
from tesoura.store.tables import ClipRow
from tesoura.web.api.views import check_key
from tesoura.web.clips.views import keep_sent
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import store
from tesoura.web.shared.errors import problem

blueprint = Blueprint("api_clips", __name__, url_prefix="/api/clips")
blueprint.before_request(check_key)
MOST_LISTED = 500
PARAMETERS = ("title", "ends_at", "show")


def _told(row: ClipRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "title": row.title,
        "at": row.at.isoformat(),
        "seconds": round(row.length / MICRO, 2),
        "instrument": row.instrument or None,
        "width_px": row.width_px,
        "height_px": row.height_px,
        "size": row.size,
        "starred": row.starred,
        "file": f"/clips/file/{row.file}",
    }


@blueprint.get("")
def index() -> ResponseReturnValue:
    """The clips on the shelf, the newest first."""
    rows = store().read(lambda session: list(stored.listed(session, ClipQuery(most=MOST_LISTED))))
    return jsonify([_told(row) for row in rows])


@blueprint.post("")
def send() -> ResponseReturnValue:
    """A clip as the body, as it is; `title`, `ends_at` and `show` in the address."""
    given = request.args
    if strange := sorted(set(given) - set(PARAMETERS)):
        detail = f"{strange[0][:40]} is not a parameter. Known ones: {', '.join(PARAMETERS)}."
        return problem(422, "Not accepted", detail)
    try:
        row = keep_sent(request.stream, given.get("title", "").strip(), given.get("ends_at", ""))
    except Invalid as error:
        return problem(422, "Not accepted", str(error))
    except TooMuch as error:
        return problem(413, "Not accepted", str(error))
    told = _told(row)
    if by := given.get("show", ""):
        try:
            told["effect"] = act("clip.show", clip=row.id, by=by).words
        except Invalid as error:
            return problem(422, "The clip was saved but not shown", str(error), clip=told)
    return told, 201
