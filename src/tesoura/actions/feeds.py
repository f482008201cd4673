"""Feeds: held on purpose and let go on, asked at once."""

from __future__ import annotations

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.core.forms.checks import choice, text
from tesoura.core.forms.fields import Field
from tesoura.errors import Gone
from tesoura.store import feeds as stored

_FEED = {"feed": Field("Feed", text(60))}


def _gone(name: str) -> Gone:
    return Gone(f"There is no feed {name[:60]}. It may have been deleted.")


async def _pause(doing: Doing, given: Given) -> Done:
    name, paused = given["feed"].lower(), given["paused"] == "yes"

    def job(session: Session) -> str:
        row = stored.by_name(session, name)
        if row is None:
            raise _gone(name)
        row.paused = paused
        session.add(row)
        return row.title

    title = await doing.write(job)
    await doing.runtime.refresh_feed(name)
    words = f"{title} is paused. Its values are held." if paused else f"{title} resumed."
    return Done(words, {"paused": paused}, Call("feed.pause", {"feed": name, "paused": "no" if paused else "yes"}))


async def _ask(doing: Doing, given: Given) -> Done:
    name = given["feed"].lower()
    if name not in {report.name for report in doing.runtime.feeds.reports()}:
        raise _gone(name)
    doing.runtime.feeds.ask_now(name)
    return Done("Fetching now.")


PAUSE = Action(
    "feed.pause",
    "Pause a feed",
    "Hold its values, or resume it.",
    {**_FEED, "paused": Field("Held", choice(("yes", "no")), kind="switch", default="yes")},
    _pause,
    noted=True,
)
ASK = Action("feed.ask", "Fetch a feed now", "Without waiting for its next poll or retry.", _FEED, _ask)

ALL = (PAUSE, ASK)
