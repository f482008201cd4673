"""The page of signals: every value, how fresh it is, and its last ten minutes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from flask import Blueprint, abort, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.core.computed.derived import OWN
from tesoura.core.names import snake
from tesoura.core.signals.assignments import AIR_FEED, SCENE_FEED, SCRIPT_FEED, SEEN_FEED
from tesoura.core.values import Freshness, Signal
from tesoura.runtime.computations import defined
from tesoura.runtime.facade import Runtime
from tesoura.store import computed as stored_computed
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.shared.shown import told

blueprint = Blueprint("signals", __name__, url_prefix="/signals")
_OWN = {
    SCRIPT_FEED: "From scripts",
    SCENE_FEED: "What viewers see",
    AIR_FEED: "What viewers see",
    SEEN_FEED: "What viewers see",
    OWN: "Formulas",
}
FEW_OPEN = 24
"""So many signals in all are shown unfolded."""
FEW_VALUES, LONGEST = 3, 24
GRAVEST = (Freshness.DOWN, Freshness.LATE, Freshness.NEVER, Freshness.HELD, Freshness.LIVE)


@dataclass(frozen=True, slots=True)
class SignalGroup:
    """The signals that come from one place. `few` are some of their values, told while the group is folded."""

    id: str
    words: str
    signals: Sequence[Signal]
    opened: bool

    @property
    def count(self) -> int:
        """How many they are."""
        return len(self.signals)

    @property
    def freshness(self) -> Freshness:
        """The gravest state among those that have told anything, so that nothing stale hides in a fold."""
        states = {one.freshness for one in self.signals}
        known = states - {Freshness.NEVER} or states
        return next(state for state in GRAVEST if state in known)

    @property
    def few(self) -> list[tuple[str, str]]:
        """Some short values, each with the second half of its name."""
        short = [
            (one.name.partition(".")[2], told(one.value, one.unit))
            for one in self.signals
            if one.value not in (None, "") and len(told(one.value, one.unit)) <= LONGEST
        ]
        return short[:FEW_VALUES]


def _found() -> dict[str, Any]:
    """The signals whose name or unit has all the words looked for, by what they come from."""
    words = request.args.get("find", "").casefold().split()
    wanted = set(request.args.get("open", "").split(","))

    def gather(self: Runtime) -> tuple[list[Signal], dict[str, str]]:
        titles = {one.name: one.title for one in self.instruments.setups()}
        return self.signals(trails=True), {**dict(self.feeds.titles()), **titles}

    every, titles = runtime().call(gather)
    edit: dict[str, int] = {}
    for row in store().read(stored_computed.all_computed):
        definition = defined(row)
        for name in definition.outputs() if definition else ():
            edit[name] = row.id or 0
    found = [one for one in every if all(word in f"{one.name} {one.unit}".casefold() for word in words)]
    by_place: dict[str, list[Signal]] = {}
    for one in found:
        by_place.setdefault(_OWN.get(half := one.name.partition(".")[0], half), []).append(one)
    order = {name: at for at, name in enumerate(titles)}
    unfolded = len(found) <= FEW_OPEN or bool(words)
    groups = [
        SignalGroup(
            snake(place, "group"), titles.get(place, place), signals, unfolded or snake(place, "group") in wanted
        )
        # What comes from outside stands first, then what is made of it here, then the rest by name.
        for place, signals in sorted(by_place.items(), key=lambda one: (order.get(one[0], len(order)), one[0]))
    ]
    return {"groups": groups, "edit": edit, "now": now(), "find": request.args.get("find", "")}


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """All signals."""
    return render_template("signals/show.html", **_found())


@blueprint.get("/<name>/why")
def why(name: str) -> ResponseReturnValue:
    """What stands behind a signal: the events that changed it, its readings, the signals it is computed from."""
    if not request.headers.get("HX-Request"):
        # Looking through the log may take a while; what is known at once is shown at once.
        one = runtime().call(Runtime.signal, name)
        if one is None:
            abort(404)
        return render_template("signals/why.html", one=one)
    found = runtime().call(Runtime.explain, name)
    if found is None:
        abort(404)
    return render_template("signals/_because.html", it=found, one=found.signal)


@blueprint.get("/table")
def table_fragment() -> ResponseReturnValue:
    """The table alone."""
    return render_template("signals/_table.html", **_found())
