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
    return Gone(f"There is no feed {name[:60]}. Perhaps it was removed.")


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
    words = f"{title} is held: its values stand as they are." if paused else f"{title} goes on."
    return Done(words, {"paused": paused}, Call("feed.pause", {"feed": name, "paused": "no" if paused else "yes"}))


async def _ask(doing: Doing, given: Given) -> Done:
    name = given["feed"].lower()
    if name not in {report.name for report in doing.runtime.feeds.reports()}:
        raise _gone(name)
    doing.runtime.feeds.ask_now(name)
    return Done("It is being asked now.")


PAUSE = Action(
    "feed.pause",
    "Hold a feed",
    "Hold a feed's values on purpose, or let it go on.",
    {**_FEED, "paused": Field("Held", choice(("yes", "no")), kind="switch", default="yes")},
    _pause,
    noted=True,
)
ASK = Action("feed.ask", "Ask a feed now", "Without waiting for its period, or for its next try.", _FEED, _ask)

ALL = (PAUSE, ASK)
