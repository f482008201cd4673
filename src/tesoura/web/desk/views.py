"""The desk: what runs now, what viewers have, what just happened."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from flask import Blueprint, jsonify, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.signals.sessions import suggestion
from tesoura.core.values import Freshness
from tesoura.errors import TesouraError
from tesoura.outputs.hub import Audience
from tesoura.runtime.facade import Runtime
from tesoura.runtime.feed_reports import FeedReport
from tesoura.store import log as event_log
from tesoura.web.begin.views import with_pictures, without_pictures
from tesoura.web.desk import leaves, scenes
from tesoura.web.desk.cards import cards
from tesoura.web.desk.hand import controls
from tesoura.web.desk.needs import needs, upcoming
from tesoura.web.desk.panels import full_panels
from tesoura.web.log.views import moments_drawn
from tesoura.web.shared.acting import act, effect_of
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.shared.shown import zone

blueprint = Blueprint("desk", __name__)
HAPPENED = 12


@dataclass(frozen=True, slots=True)
class Strip:
    """What the top of every page tells."""

    session_started_at: datetime | None
    on_air: int
    pages: int
    feeds: Mapping[Freshness, int]


def strip() -> Strip:
    """The top strip's facts."""

    def gather(self: Runtime) -> tuple[list[FeedReport], dict[int, Audience]]:
        published = {one.overlay_id for one in self.stage.on_air() if one.rev}
        return self.feeds.reports(), {key: one for key, one in self.stage.audiences().items() if key in published}

    reports, audiences = runtime().call(gather)
    feeds: dict[Freshness, int] = {}
    for report in reports:
        feeds[report.state.freshness] = feeds.get(report.state.freshness, 0) + 1
    shown = [audience.pages for audience in audiences.values() if audience.pages]
    return Strip(
        runtime().session_started_at,
        len(shown),
        sum(shown),
        {state: feeds[state] for state in Freshness if state in feeds},
    )


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """The desk, or on an empty data folder the first step."""
    # What viewers see comes first; what nobody shows is a line below.
    shown = sorted(cards(), key=lambda card: not card.audience.pages)
    reports = runtime().call(lambda self: self.feeds.reports())
    happened = store().read(lambda session: event_log.happened(session, HAPPENED))
    panels = full_panels()
    # Whoever wants to lay buttons first, has the desk before there is anything else on it.
    laid = runtime().call(lambda self: self.leaves.present.leaves)
    if not (shown or reports or happened or panels or laid or "desk" in request.args):
        return render_template("desk/first.html", starters=with_pictures(), others=without_pictures())
    last = happened[0].event.time.astimezone(zone()) if happened else None
    started = runtime().session_started_at
    due = suggestion(started.astimezone(zone()) if started else None, last, now().astimezone(zone()))
    return render_template(
        "desk/show.html",
        cards=shown,
        reports=reports,
        happened=happened,
        suggestion=due,
        streaming=_streaming(),
        **air(),
        needs=needs(),
        upcoming=upcoming(),
        live=sum(one.state.freshness is Freshness.LIVE for one in reports),
        hands=controls(),
        panels=panels,
        leaves=leaves.drawn(),
        scenes=scenes.drawn(),
        moments=moments_drawn(),
    )


@blueprint.get("/strip")
def strip_fragment() -> ResponseReturnValue:
    """The top strip."""
    return render_template("_strip.html")


@blueprint.get("/desk/feeds")
def feeds_fragment() -> ResponseReturnValue:
    """The feeds' health."""
    return render_template("desk/_feeds.html", reports=runtime().call(lambda self: self.feeds.reports()))


@blueprint.get("/desk/streaming")
def streaming_fragment() -> ResponseReturnValue:
    """That streaming began, and the offer to let the session have begun then."""
    return render_template("desk/_streaming.html", streaming=_streaming())


def _streaming() -> datetime | None:
    """Since when the picture is streamed, where no session has begun since."""

    def ask(self: Runtime) -> tuple[datetime | None, datetime | None]:
        return self.talking.streaming_since(), self.session_started_at

    since, session = runtime().call(ask)
    return since if since is not None and (session is None or session < since) else None


@blueprint.get("/desk/air")
def air_fragment() -> ResponseReturnValue:
    """Whether the air is cleared, and what can be taken back; what the last press led to stays beside it."""
    return render_template("desk/_air_acts.html", **air())


def air() -> dict[str, Any]:
    """Whether the air is cleared, and what would be taken back next."""

    def ask(self: Runtime) -> dict[str, Any]:
        return {"cleared": self.stage.curtain.cleared, "last": self.undo_line.last()}

    return runtime().call(ask)


def _air(said: str = "", wrong: str = "") -> ResponseReturnValue:
    return render_template("desk/_air.html", **air(), said=said, wrong=wrong), 422 if wrong else 200


@blueprint.post("/desk/air")
def clear_air() -> ResponseReturnValue:
    """Hide everything at once, or bring it back."""
    return _air(act("air.clear", cleared=request.form.get("cleared", "yes")).words)


@blueprint.post("/desk/undo")
def undo_last() -> ResponseReturnValue:
    """Take the last act back."""
    try:
        return _air(act("desk.undo").words)
    except TesouraError as error:
        return _air(wrong=str(error))


@blueprint.get("/desk/undo")
def undoable() -> ResponseReturnValue:
    """What can be undone, newest first: the last fifteen, or all of it."""

    def ask(self: Runtime) -> dict[str, Any]:
        return {"line": self.undo_line.all(), "titles": {one.name: one.title for one in self.instruments.setups()}}

    return render_template("desk/undo.html", **runtime().call(ask), most=None if request.args.get("all") else 15)


@blueprint.get("/desk/undo/<int:number>/effect")
def undo_effect(number: int) -> ResponseReturnValue:
    """What would be different once it were taken back, or why it cannot be."""
    try:
        return render_template("desk/_undo_effect.html", lines=effect_of("desk.undo", number=number).splitlines())
    except TesouraError as error:
        return render_template("desk/_undo_effect.html", wrong=str(error))


@blueprint.get("/desk/cover")
def covered() -> ResponseReturnValue:
    """Whether what is private is covered."""
    return jsonify(covered=runtime().covering.covered)


@blueprint.post("/desk/cover")
def cover() -> ResponseReturnValue:
    """Cover what is private on all pages, or show it."""
    act("private.cover", covered=request.form.get("covered", "yes"))
    return "", 204


@blueprint.get("/desk/needs")
def needs_fragment() -> ResponseReturnValue:
    """What needs somebody."""
    return render_template("desk/_needs.html", needs=needs())


@blueprint.get("/desk/coming")
def coming_fragment() -> ResponseReturnValue:
    """What comes by itself."""
    return render_template("desk/_coming.html", upcoming=upcoming())


@blueprint.get("/desk/happened")
def happened_fragment() -> ResponseReturnValue:
    """What just happened."""
    happened = store().read(lambda session: event_log.happened(session, HAPPENED))
    return render_template("desk/_happened.html", happened=happened)


@blueprint.get("/desk/overlays/<int:overlay_id>")
def overlay_fragment(overlay_id: int) -> ResponseReturnValue:
    """Who shows one overlay, and what is wrong with it. The card of a deleted overlay removes itself."""
    card = next(iter(cards(overlay_id)), None)
    if card is None:
        return "", {"HX-Retarget": f".card-overlay:has(#overlay-{overlay_id})", "HX-Reswap": "delete"}
    return render_template("desk/_overlay_state.html", card=card)
