"""What can be done to the routes of a run, also while it goes on: hits stay with their split."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, TypeVar

from tesoura.core.instruments.commands import PLACE, Command
from tesoura.core.instruments.run.signals import counted
from tesoura.core.instruments.run.state import RunBase
from tesoura.core.overlays.pieces.kind import media
from tesoura.core.runs.route import MOST_ROUTES, Route, RouteSplit, lines_of, read_file, tidy
from tesoura.errors import CommandRefused, InvalidField

R = TypeVar("R", bound=RunBase)
Undo = tuple[str, Mapping[str, object]] | None
Changed = tuple[R, str, Undo]
"""The run after, what is different in words, and the command that takes it back."""


def _id(command: Command, at: int = 0) -> str:
    """An id that comes of the command's place in the log, so that it is the same whenever that is read."""
    place = str(command.seq) if command.seq else PLACE
    return f"{place}.{at}" if at else place


def _text(command: Command, name: str) -> str:
    return str(command.given.get(name) or "")


def _route(run: R, command: Command) -> Route:
    wanted = _text(command, "route") or run.route_id
    route = run.route_of(wanted)
    if route is None:
        named = [one for one in run.routes if one.name.casefold() == wanted.casefold()]
        if len(named) != 1:
            raise CommandRefused("This route no longer exists." if run.routes else "Create a route first.")
        [route] = named
    return route


def _with(run: R, route: Route) -> R:
    return replace(run, routes=tuple(route if one.id == route.id else one for one in run.routes))


def _split(run: R, command: Command) -> tuple[Route, int]:
    """The split that is meant, by its id, in whichever route it stands."""
    wanted = _text(command, "split")
    for route in run.routes:
        if (at := route.place(wanted)) is not None:
            return route, at
    raise CommandRefused("This split no longer exists.")


# Routes


def new_route(run: R, command: Command) -> Changed[R]:
    """One more route, which is the one that is run while no other is."""
    if len(run.routes) >= MOST_ROUTES:
        raise CommandRefused(f"There are {MOST_ROUTES} routes already, which is the maximum.")
    name = _free(run, tidy(_text(command, "title") or run.plan.game or "Route", "A route"))
    id = _text(command, "id") or _id(command)
    if isinstance(whole := command.given.get("splits"), list | tuple):
        splits = tuple(RouteSplit(*map(str, one)) for one in whole)
    else:
        lines = lines_of(_text(command, "lines")) if _text(command, "lines").strip() else []
        splits = tuple(RouteSplit(_id(command, at), one, group) for at, (one, group) in enumerate(lines, 1))
    route = Route(id, name).with_splits(0, splits)
    # It is run at once where nothing is, and where what is run has not begun.
    chosen = run.route_id if run.attempt.began or run.routes else id
    after = replace(run, routes=(*run.routes, route), route_id=chosen)
    return after, f"the route “{name}” is there", ("remove_route", {"route": id})


def _free(run: R, name: str, but: str = "") -> str:
    """A name that no other route has: one that is taken gets the next number."""
    taken = {one.name.casefold() for one in run.routes if one.id != but}
    found, number = name, 1
    while found.casefold() in taken:
        number += 1
        found = f"{name[:190]} {number}"
    return found


def copy_route(run: R, command: Command) -> Changed[R]:
    """A route once more, with splits of its own."""
    route = _route(run, command)
    if len(run.routes) >= MOST_ROUTES:
        raise CommandRefused(f"There are {MOST_ROUTES} routes already, which is the maximum.")
    splits = tuple(replace(one, id=_id(command, at)) for at, one in enumerate(route.splits, 1))
    copy = Route(_id(command), _free(run, route.name), splits)
    return replace(run, routes=(*run.routes, copy)), f"“{copy.name}” is there", ("remove_route", {"route": copy.id})


def rename_route(run: R, command: Command) -> Changed[R]:
    """Another name for a route."""
    route = _route(run, command)
    name = _free(run, tidy(_text(command, "title"), "A route"), route.id)
    undo = ("rename_route", {"route": route.id, "title": route.name})
    return _with(run, replace(route, name=name)), f"{route.name} → {name}", undo


def remove_route(run: R, command: Command) -> Changed[R]:
    """A route away; not while it is run."""
    route = _route(run, command)
    if route.id == run.route_id and run.attempt.began:
        raise CommandRefused(f"“{route.name}” is being run. Start over, or choose another route first.")
    rest = tuple(one for one in run.routes if one.id != route.id)
    chosen = run.route_id if route.id != run.route_id else (rest[0].id if rest else "")
    splits = [[one.id, one.name, one.group, one.picture, one.save] for one in route.splits]
    undo = ("new_route", {"title": route.name, "id": route.id, "splits": splits})
    after = replace(run, routes=rest, route_id=chosen)
    return after, f"“{route.name}” is deleted; its attempts stay", undo


def bring_route(run: R, command: Command) -> Changed[R]:
    """A route out of a file. What goes into the log are its rows."""
    name, rows = file_rows(command)
    splits = [[_id(command, at), one, group] for at, (one, group) in enumerate(rows, 1)]
    after, words, undo = new_route(run, replace(command, given={"title": name, "splits": splits}))
    return after, f"{words}, with {_counted(len(rows))}", undo


def file_rows(command: Command) -> tuple[str, list[tuple[str, str]]]:
    """The name and the rows of the file that was given, or of the log. Raises InvalidField."""
    if isinstance(rows := command.given.get("rows"), list | tuple):
        return _text(command, "title"), [(str(name), str(group)) for name, group in rows]
    name, found = read_file(_text(command, "file"))
    return tidy(_text(command, "title").strip() or name or "Route", "A route"), found


def _counted(number: int) -> str:
    return "1 split" if number == 1 else f"{number} splits"


# Splits


def add_splits(run: R, command: Command) -> Changed[R]:
    """More splits, one a line, at the end or at a place that counts from 0."""
    if not run.routes:
        run, _, _ = new_route(run, replace(command, given={"id": f"{_id(command)}.r"}))
    route = _route(run, command)
    found = lines_of(_text(command, "names"))
    raw = command.given.get("at")
    at = len(route.splits) if raw in (None, "") else min(max(int(str(raw)), 0), len(route.splits))
    group = tidy(command.given["group"], "A group") if _text(command, "group").strip() else ""
    splits = tuple(RouteSplit(_id(command, place), name, own or group) for place, (name, own) in enumerate(found, 1))
    undo = ("remove_splits", {"splits": ",".join(one.id for one in splits)})
    words = f"{splits[0].name} is added" if len(splits) == 1 else f"{_counted(len(splits))} are added"
    return _with(run, route.with_splits(at, splits)), words, undo


def put_splits_back(run: R, command: Command) -> Changed[R]:
    """Splits that were taken out, each at its place and with its hits."""
    route, words = _route(run, command), ""
    rows = command.given.get("splits")
    for place, id, name, *rest in rows if isinstance(rows, list | tuple) else ():
        if route.split(str(id)) is not None:
            raise CommandRefused("This split is there already.")
        route = route.with_splits(int(place), (RouteSplit(str(id), tidy(name), *map(str, rest)),))
        words = f"{name} was restored"
    after, stood = _with(run, route), _text(command, "stood")
    if route.place(stood) is not None and run.attempt.began and not run.attempt.through:
        after = replace(after, attempt=replace(after.attempt, at=stood))
    return after, words or "nothing restored", None


def remove_splits(run: R, command: Command) -> Changed[R]:
    """Splits out, one or more with commas between.

    Their hits count no more while they are; a run that stands in one goes on in the next.
    """
    rows, stood, words, hits, route = list[list[object]](), "", "", 0, Route("", "")
    for wanted in filter(None, _text(command, "splits").split(",")):
        route, at = _split(run, replace(command, given={"split": wanted}))
        one, running = route.splits[at], route.id == run.route_id and bool(run.attempt.began)
        rest = replace(route, splits=route.splits[:at] + route.splits[at + 1 :])
        if running and not run.attempt.through and run.attempt.at == one.id:
            if not rest.splits:
                raise CommandRefused("The run is in its only split. Start over first.")
            here = rest.splits[min(at, len(rest.splits) - 1)].id
            run, stood = replace(run, attempt=replace(run.attempt, at=here)), stood or one.id
        hits += sum(run.attempt.of(one.id)[:2]) if running else 0
        run = _with(run, rest)
        rows.append([at, one.id, one.name, one.group, one.picture, one.save])
        words = f"{one.name} was removed"
    if not rows:
        raise CommandRefused("This split no longer exists.")
    words = words if len(rows) == 1 else f"{_counted(len(rows))} were removed"
    words += f"; {counted(hits, run.plan.word)} in it count{'s' if hits == 1 else ''} no more" if hits else ""
    return run, words, ("put_splits_back", {"route": route.id, "splits": rows[::-1], "stood": stood})


def change_split(run: R, command: Command) -> Changed[R]:
    """Another name, group, picture or saved game of a split; what is not given stays."""
    route, at = _split(run, command)
    one, given = route.splits[at], command.given
    name = tidy(given["name"]) if "name" in given else one.name
    group = (
        one.group
        if "group" not in given
        else (tidy(given["group"], "A group") if _text(command, "group").strip() else "")
    )
    picture = media(given["picture"]) if "picture" in given else one.picture
    save = _text(command, "save")[:80] if "save" in given else one.save
    changed = RouteSplit(one.id, name, group, picture, save)
    after = replace(route, splits=(*route.splits[:at], changed, *route.splits[at + 1 :]))
    undo = (
        "change_split",
        {"split": one.id, "name": one.name, "group": one.group, "picture": one.picture, "save": one.save},
    )
    words = f"{one.name} → {name}" if name != one.name else f"{name} is changed"
    return _with(run, after), words, undo


def move_split(run: R, command: Command) -> Changed[R]:
    """A split so many places down, or up with a minus."""
    route, at = _split(run, command)
    one, rest = route.splits[at], [*route.splits[:at], *route.splits[at + 1 :]]
    try:
        by = int(str(command.given.get("by") or 0))
    except ValueError:
        raise InvalidField("Give a number of places.") from None
    to = min(max(at + by, 0), len(rest))
    if to == at:
        raise CommandRefused(f"{one.name} can't move further.")
    after = replace(route, splits=(*rest[:to], one, *rest[to:]))
    return _with(run, after), f"place {at + 1} → {to + 1}", ("move_split", {"split": one.id, "by": at - to})


DOES: Mapping[str, Callable[[Any, Command], Changed[Any]]] = {
    "new_route": new_route,
    "copy_route": copy_route,
    "rename_route": rename_route,
    "remove_route": remove_route,
    "bring_route": bring_route,
    "add_splits": add_splits,
    "remove_splits": remove_splits,
    "put_splits_back": put_splits_back,
    "change_split": change_split,
    "move_split": move_split,
}
