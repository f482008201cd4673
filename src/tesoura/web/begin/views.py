"""Starters: chosen by their pictures, asked what they must, tried, made, and looked at once they are there."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from tesoura.actions.recipes import recipe_filled
from tesoura.actions.starters import PICK, checked, own_fields, read_starter, way_fields
from tesoura.bundles.starters import Starter, StarterWay
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.names import is_part
from tesoura.core.overlays.fit.boxes import hull
from tesoura.core.overlays.fit.missing import EVENT
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.core.signals.payload import TreeNode
from tesoura.core.values import from_json
from tesoura.errors import InvalidPiece, RecipeRefused
from tesoura.links.registry import KINDS
from tesoura.runtime.facade import Runtime
from tesoura.runtime.feed_reports import Proof
from tesoura.store import computed as stored_computed
from tesoura.store import feeds as stored_feeds
from tesoura.store import overlays as stored_overlays
from tesoura.store import text_files as stored_files
from tesoura.studio.samples import Sample, sample_of
from tesoura.web.feeds.views import seal, unsealed
from tesoura.web.mat.draft import laid
from tesoura.web.shared.acting import act, back_to, must_be_here
from tesoura.web.shared.doors import runtime, settings, store, studio
from tesoura.web.shared.shown import zone
from tesoura.web.shared.typed import typed_texts

blueprint = Blueprint("begin", __name__, url_prefix="/begin")
MOST_PICKS = 12


@dataclass(frozen=True, slots=True)
class ShippedStarter:
    """A starter that ships: its key, what it says, and its text."""

    key: str
    starter: Starter
    text: str

    @property
    def asks_nothing(self) -> bool:
        """Whether it can be made with one press: there is nothing that must be said or chosen first."""
        starter = self.starter
        return (
            len(starter.ways) <= 1
            and not own_fields(starter)
            and all(one.kind == "secret" for one in (way_fields(starter, 0) if starter.ways else {}).values())
        )


@lru_cache(maxsize=1)
def shipped_starters() -> tuple[ShippedStarter, ...]:
    """All starters that ship, in their order."""
    folder = resources.files("tesoura").joinpath("bundles", "outcomes")
    found = []
    for one in folder.iterdir():
        if one.name.endswith(".toml"):
            text = one.read_text("utf-8")
            found.append(ShippedStarter(one.name.removesuffix(".toml"), read_starter(text), text))
    return tuple(sorted(found, key=lambda one: one.starter.place))


def with_pictures() -> list[ShippedStarter]:
    """The starters that make something to see."""
    return [one for one in shipped_starters() if one.starter.overlay is not None]


def without_pictures() -> list[ShippedStarter]:
    """The starters that make something for another program."""
    return [one for one in shipped_starters() if one.starter.overlay is None]


@lru_cache(maxsize=64)
def _sample(text: str) -> Sample:
    return sample_of(read_starter(text), SHIPPED)


def _shipped(key: str) -> ShippedStarter:
    found = next((one for one in shipped_starters() if one.key == key), None)
    if found is None:
        abort(404)
    return found


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """What one may want to see."""
    return render_template("begin/index.html", starters=with_pictures(), others=without_pictures())


@blueprint.get("/picture/<key>")
def picture(key: str) -> ResponseReturnValue:
    """How what a starter makes would look, on a made-up evening."""
    one = _shipped(key)
    if one.starter.overlay is None:
        abort(404)
    sample = _sample(one.text)
    boxes = [studio().box(piece, sample.overlay, sample.steps[-1].get(piece.id, "")) for piece in sample.overlay.pieces]
    return render_template(
        "begin/picture.html",
        sample=sample,
        title=one.starter.title,
        room=hull(boxes),
        values=sample.steps[0],
        faces=Markup(studio().face_rules()),  # noqa: S704 - names and numbers that were checked
    )


# Being asked


@blueprint.get("/<key>")
def show(key: str) -> ResponseReturnValue:
    """A starter: what it makes, and what it asks."""
    one = _shipped(key)
    return _page(one.starter, one.text, request.args.to_dict(), {}, None, "", one.key)


def starter_page(text: str) -> ResponseReturnValue:
    """What a starter makes that somebody brought, and what it asks. Raises RecipeRefused."""
    return _page(read_starter(text), text, {}, {}, None, "", "")


@blueprint.post("/use")
def use() -> ResponseReturnValue:
    """Make what a starter says, once what it connects has answered."""
    typed = typed_texts()
    text, key = typed.get("starter", ""), typed.get("key", "")
    try:
        starter = read_starter(text)
    except RecipeRefused as error:
        flash(str(error), "wrong")
        return redirect(url_for("recipes.index"))
    way = _way_of(typed)
    kept = unsealed(typed.get("sealed", ""))
    typed |= {name: value for name, value in kept.items() if not typed.get(name)}
    if name := typed.pop("practice", ""):
        typed |= _practised(name, way)
        return _page(starter, text, typed, {}, None, _sealed(starter, typed), key)
    try:
        found = checked(starter, way, typed, zone())
    except InvalidPiece as error:
        return _page(starter, text, typed, error.wrong, None, _sealed(starter, typed), key)
    proof = _tried(found.way, found.feed, typed)
    if not _proven(found.way, proof, typed):
        return _page(starter, text, typed, {}, proof, _sealed(starter, typed), key)
    try:
        done = act("starter.use", starter=text, way=way, answers=typed)
    except RecipeRefused as error:
        flash(str(error), "wrong")
        page, _ = _page(starter, text, typed, {}, proof, _sealed(starter, typed), key)
        return page, 422
    made = {"of": starter.title, **{name: one for name, one in done.result.items() if one}}
    made["steps"] = json.dumps(done.result["steps"])
    return redirect(url_for("begin.made", **made))


def _page(
    starter: Starter,
    text: str,
    typed: Mapping[str, Any],
    wrong: Mapping[str, str],
    proof: Proof | None,
    sealed: str,
    key: str,
) -> tuple[str, int]:
    way = _way_of(typed)
    ways = [(one, way_fields(starter, at)) for at, one in enumerate(starter.ways)]
    picks = _picks(starter.ways[way], proof) if proof and starter.ways else []
    page = render_template(
        "begin/show.html",
        starter=starter,
        text=text,
        typed=typed,
        wrong=wrong,
        proof=proof,
        sealed=sealed,
        key=key,
        way=way,
        ways=ways,
        own=own_fields(starter),
        makes=_makes(starter),
        picks=picks,
        likely=_likely(starter.ways[way], picks) if picks else "",
        practice=settings().practice is not None,
        has_secret=dict.fromkeys(unsealed(sealed), True),
    )
    return page, 422 if wrong or (proof and proof.problem) else 200


def _way_of(typed: Mapping[str, Any]) -> int:
    """The way to get the data that was chosen, or the first."""
    chosen = str(typed.get("way", ""))
    return int(chosen) if chosen.isdecimal() and len(chosen) < 4 else 0


def _sealed(starter: Starter, typed: Mapping[str, Any]) -> str:
    """The keys that were typed, kept for the next try without standing in the page."""
    names = {
        name for at in range(len(starter.ways)) for name, one in way_fields(starter, at).items() if one.kind == "secret"
    }
    return seal({name: str(typed[name]) for name in names if typed.get(name)})


def _practised(name: str, way: int) -> dict[str, str]:
    """The answers with which a stand-in is reached, which runs from now on."""
    practice = settings().practice
    if practice is None:
        flash("There is no practice service here.", "wrong")
        return {}
    try:
        told = practice.start(name)
    except (LookupError, OSError) as error:
        flash(f"The practice service didn't start: {error}", "wrong")
        return {}
    return {"way": str(way), **{f"way{way}-{field}": value for field, value in told.items()}}


# Proving it


def _tried(way: StarterWay, answers: Mapping[str, str], typed: Mapping[str, Any]) -> Proof:
    if way.recipe is None or not KINDS[way.recipe.kind].tried:
        return Proof()
    if typed.get("name_folder"):
        act("folder.read", folder=typed["name_folder"])
    kind, filled = KINDS[way.recipe.kind], recipe_filled(way.recipe, answers)
    if kind.on_machine(filled.choices):
        must_be_here(f"Trying a feed of the kind “{kind.title}”, which accesses this machine,")
    return runtime().call(lambda self: self.feeds.trials.probe(kind.name, filled.choices, filled.secrets))


def _proven(way: StarterWay, proof: Proof, typed: Mapping[str, Any]) -> bool:
    """Whether it can be made now: what it connects has answered, and it is known which value of that is meant."""
    if "keep_anyway" in typed:
        return True
    if proof.problem:
        return False
    return not way.pick or bool(typed.get(PICK)) or proof.tree is None or _usual(way, proof) is not None


def _usual(way: StarterWay, proof: Proof) -> TreeNode | None:
    """What came at the place where the starter looks for its value."""
    path = next((one["path"] for one in way.recipe.signals if one["name"] == way.pick), "") if way.recipe else ""
    return next((one for one in _numbers(proof.tree) if one.path == path), None)


def _numbers(node: TreeNode | None) -> Iterable[TreeNode]:
    if node is None:
        return
    if node.kind == "number" or (node.kind == "text" and node.shown.strip("'\"").replace(",", "").isdecimal()):
        yield node
    for child in node.children:
        yield from _numbers(child)


def _picks(way: StarterWay, proof: Proof) -> list[TreeNode]:
    """The numbers in what came, of which one is meant."""
    return list(_numbers(proof.tree))[:MOST_PICKS] if way.pick and not proof.problem else []


def _likely(way: StarterWay, picks: Sequence[TreeNode]) -> str:
    """Which of them it most likely is: one that is called so, or else the largest."""
    called = next((one for one in picks if way.pick in one.path.rpartition(".")[2]), None)
    return (called or max(picks, key=_amount)).path


def _amount(node: TreeNode) -> float:
    try:
        return float(node.shown.strip("'\"").replace(",", ""))
    except ValueError:
        return 0.0


def _makes(starter: Starter) -> list[tuple[str, str]]:
    """What it makes: what each thing is, and how it is called."""
    found = [
        ("What is computed", f"{COMPUTED[str(one['kind'])].title.lower()}: {one['name']}") for one in starter.computed
    ]
    found += [("An instrument", INSTRUMENTS[part.kind].title) for part in starter.instruments]
    if starter.overlay:
        pieces = ", ".join(str(one.get("name", one["kind"])) for one in starter.overlay.pieces)
        found.append(("An overlay", f"{starter.overlay.name}: {pieces}"))
    if starter.leaf:
        found.append(("Buttons on the desk", f"on the button page {starter.leaf}"))
    found += [("A text file", str(one["name"])) for one in starter.files]
    return found


# What it made


@blueprint.get("/made")
def made() -> ResponseReturnValue:
    """What a starter made, where it is, and what comes next."""
    args = request.args
    feed, leaf, overlay = args.get("feed", ""), args.get("leaf", ""), args.get("overlay", type=int)

    def ask(session: Any) -> dict[str, Any]:
        row = stored_overlays.get(session, overlay) if overlay else None
        return {
            **_size(session, row),
            "overlay": row,
            "on_air": stored_overlays.on_air(session, row) if row else None,
            "feed": stored_feeds.by_name(session, feed) if is_part(feed) else None,
            "computed": [
                one
                for at in args.getlist("computed", type=int)
                if (one := stored_computed.get(session, at)) is not None
            ],
            "instruments": [
                one
                for name in args.getlist("instruments")
                if (one := stored_computed.by_name(session, name)) is not None
            ],
            "files": [
                file for at in args.getlist("files", type=int) if (file := stored_files.get(session, at)) is not None
            ],
        }

    def gather(self: Runtime) -> dict[str, Any]:
        audiences = self.stage.audiences()
        return {
            "report": next((one for one in self.feeds.reports() if one.name == feed), None),
            "signals": [one for one in self.signals() if one.name.startswith(f"{feed}.")][:6] if feed else [],
            "leaf": next((one for one in self.leaves.present.leaves if one.id == leaf), None),
            "pages": audiences[overlay].pages if overlay in audiences else 0,
        }

    return render_template(
        "begin/made.html",
        of=args.get("of", "")[:80],
        steps=args.get("steps", ""),
        kinds=KINDS,
        **store().read(ask),
        **runtime().call(gather),
    )


def _size(session: Any, row: Any) -> dict[str, int]:
    """The size of an overlay's draft, px."""
    draft = stored_overlays.draft_of(session, row) if row else None
    return {"width": draft.width_px, "height": draft.height_px} if draft else {"width": 16, "height": 9}


@blueprint.post("/made/<int:overlay_id>/on-air")
def on_air(overlay_id: int) -> ResponseReturnValue:
    """Put what was made on air, and stay where its link is; what is not right yet is told first, as on the mat."""
    there = laid(overlay_id)
    stopping = [one for one in there.findings if one.makes != EVENT and not one.asks]
    if stopping:
        return render_template("versions/air.html", row=there.row, findings=stopping, piece="")
    done = act("overlay.put_on_air", overlay=overlay_id)
    flash(done.words, "said")
    return redirect(back_to(url_for("begin.index")))


@blueprint.post("/take-back")
def take_back() -> ResponseReturnValue:
    """Take back what a starter made, or bring it back."""
    try:
        steps = from_json(request.values.get("steps", ""))
        done = act("starter.take_back", steps=steps)
    except (ValueError, InvalidPiece):
        flash("Tesoura no longer knows what was created. Delete each thing on its own page.", "wrong")
        return redirect(url_for("begin.index"))
    back = json.dumps(done.result["steps"])
    if any(action.endswith(("restore", "put")) for action, _ in steps):
        flash("All of it is back.", "said")
        return redirect(url_for("desk.show"))
    flash("All that it made was deleted.", "undo:" + url_for("begin.take_back", steps=back))
    return redirect(url_for("begin.index"))
