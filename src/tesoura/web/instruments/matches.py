"""Matches: looked at point by point, taken along as JSON and CSV, told again from a file."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, cast

from flask import Blueprint, Response, abort, flash, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.values import from_json
from tesoura.errors import InvalidField
from tesoura.runtime.facade import Runtime
from tesoura.store.exports import table_line
from tesoura.store.tables import ComputedRow
from tesoura.web.instruments.views import row_of
from tesoura.web.shared.doors import now, runtime

if TYPE_CHECKING:
    from tesoura.core.instruments.scoreboard.sides import Lineup
    from tesoura.core.instruments.scoreboard.state import Board

# Scoreboards take a while to import, so that waits for the first of these pages.
blueprint = Blueprint("matches", __name__, url_prefix="/instruments")
MOST_FILE = 2_000_000
PRESENT = 0
"""The place in the log that stands for the match that is played now."""


def _scoreboard(name: str) -> ComputedRow:
    row = row_of(name)
    if row.kind != "scoreboard":
        abort(404)
    return row


def _board(name: str, seq: int) -> Board:
    """The present match, or one of those that were kept."""
    row = _scoreboard(name)
    if seq == PRESENT:
        standing = runtime().call(lambda self: self.instruments.standing(name))
        if standing is None:
            abort(404)
        return cast("Board", standing.instrument)
    from tesoura.core.instruments.scoreboard.matches import board_of
    from tesoura.core.instruments.scoreboard.state import MATCH_RECORD

    kept = next((one for one in runtime().call(Runtime.records, name, MATCH_RECORD) if one.seq == seq), None)
    if kept is None:
        abort(404)
    return board_of(kept.record.data["match"], str(row.choices["title"]))


@blueprint.app_template_global("board_problems")
def problems(name: str, draft: Lineup) -> list[str]:
    """What viewers could not tell apart of a draft's colours, on what they lie on the overlays that are on air."""
    from tesoura.core.instruments.scoreboard.sides import colour_problems

    backings: dict[str, str] = {}
    for one in runtime().call(lambda self: self.stage.on_air()):
        for piece in one.overlay.pieces:
            if piece.kind == "scoreboard" and piece["scoreboard"] == name:
                style = piece.styled(one.overlay.looks, one.overlay.form)
                if style["backing"] != "none":
                    backings[f"{one.name} / {piece.name}"] = style["backing_colour"]
    return colour_problems(draft, backings)


@blueprint.get("/<name>/matches/<int:seq>")
def show(name: str, seq: int) -> ResponseReturnValue:
    """A match that was played, point by point."""
    return _shown(_scoreboard(name), _board(name, seq), seq)


def _shown(row: ComputedRow, board: Board, seq: int) -> ResponseReturnValue:
    from tesoura.core.instruments.scoreboard.view import view_of

    return render_template(
        "instruments/scoreboard/match.html",
        row=row,
        view=view_of(board, now()),
        seq=seq,
        heading=board.lineup.heading or row.choices["title"],
    )


@blueprint.get("/<name>/matches/<int:seq>/match.json")
def as_json(name: str, seq: int) -> ResponseReturnValue:
    """A match with all that tells it again."""
    from tesoura.core.instruments.scoreboard.matches import match_file

    answer = jsonify(match_file(_board(name, seq)))
    return _file(answer, name, "json")


@blueprint.get("/<name>/matches/<int:seq>/match.csv")
def as_table(name: str, seq: int) -> ResponseReturnValue:
    """A match point by point, as a table."""
    from tesoura.core.instruments.scoreboard.matches import table

    lines = "".join(table_line(row) for row in table(_board(name, seq)))
    return _file(Response(lines, mimetype="text/csv"), name, "csv")


def _file(answer: Response, name: str, ending: str) -> Response:
    answer.headers["Content-Disposition"] = f'attachment; filename="{name}-match.{ending}"'
    return answer


@blueprint.post("/<name>/matches/look")
def look(name: str) -> ResponseReturnValue:
    """A match from a file, told again and looked at; nothing is kept of it."""
    from tesoura.core.instruments.scoreboard.matches import board_of

    row = _scoreboard(name)
    given = request.files.get("file")
    raw = given.stream.read(MOST_FILE + 1) if given else b""
    try:
        if not raw or len(raw) > MOST_FILE:
            raise InvalidField("Choose a match file of at most 2 MB.")
        board = board_of(_told(raw), str(row.choices["title"]))
    except InvalidField as error:
        flash(str(error), "wrong")
        return redirect(url_for("instruments.show", name=name))
    return _shown(row, board, -1)


def _told(raw: bytes) -> Any:
    try:
        return from_json(raw)
    except ValueError:
        raise InvalidField("Not valid JSON. Choose a file exported by Tesoura.") from None
