"""Triggers of what happens: an event with what its data must be, a word in chat, a press."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from tesoura.core.chat import LINE, speaker
from tesoura.core.computed.occurrence import Occurrence, field_of, instant, name_of
from tesoura.core.cues.limits import Cause
from tesoura.core.cues.triggers import Blind
from tesoura.core.values import Scalar, scalars

IS, IS_NOT, AT_LEAST, AT_MOST, HOLDS = "is", "is not", "at least", "at most", "contains"
HOW = tuple((one, one) for one in (IS, IS_NOT, AT_LEAST, AT_MOST, HOLDS))


@dataclass(frozen=True, slots=True)
class Condition:
    """What a field of an event must be. Case never decides; a number is compared as one."""

    field: str
    how: str
    value: str

    def met(self, data: Mapping[str, object]) -> bool:
        """Whether an event's data meets it. A field that is not there meets nothing but “is not”."""
        found = field_of(data, self.field)
        if found is None or isinstance(found, Mapping | list):
            inside = isinstance(found, list) and any(same(one, self.value) for one in found)
            return inside if self.how in (IS, HOLDS) else self.how == IS_NOT and not inside
        if self.how in (IS, IS_NOT):
            return same(found, self.value) is (self.how == IS)
        if self.how == HOLDS:
            return self.value.casefold() in _text(found).casefold()
        told, wanted = _number(found), _number(self.value)
        if told is None or wanted is None:
            return False
        return told >= wanted if self.how == AT_LEAST else told <= wanted

    def words(self) -> str:
        """It, in words."""
        return f"{self.field} {self.how} {self.value or 'nothing'}"


def _text(value: object) -> str:
    return {True: "yes", False: "no"}.get(value, str(value)) if isinstance(value, bool) else str(value)


def same(found: object, wanted: str) -> bool:
    """Whether a value is what was typed: numbers as numbers, texts whatever their case."""
    told, number = _number(found), _number(wanted)
    if told is not None and number is not None:
        return told == number
    return _text(found).strip().casefold() == wanted.strip().casefold()


def _number(value: object) -> float | None:
    if isinstance(value, bool):
        return None
    try:
        number = float(str(value)[:40])
    except ValueError:
        return None
    return number if number == number else None


@dataclass(frozen=True, slots=True)
class Happens(Blind):
    """An event of a type, with what its data must be. `person` names the field that tells who did it."""

    type: str
    conditions: tuple[Condition, ...] = ()
    person: str = ""
    said: str = ""
    source: str = ""
    """Who alone may tell it; empty for anybody."""

    @property
    def types(self) -> tuple[str, ...]:
        """The one type."""
        return (self.type,)

    def of_event(self, event: Occurrence) -> Cause | None:
        """It, when all conditions are met."""
        if event.type != self.type or (self.source and event.source != self.source):
            return None
        # What an instrument only tries, to see how it looks, sets nothing off.
        tried = event.data.get("trial") is True and event.source.startswith("instrument:")
        if tried or not all(one.met(event.data) for one in self.conditions):
            return None
        return _told(event, self.said or self.type, name_of(field_of(event.data, self.person)) if self.person else "")

    def words(self) -> str:
        """The type and the conditions."""
        rules = " and ".join(one.words() for one in self.conditions)
        return (self.said or f"{self.type} happens") + (f" with {rules}" if rules else "")


def _told(event: Occurrence, words: str, person: str, **more: Scalar) -> Cause:
    return Cause(str(event.seq), instant(event.at), words, person, event.seq, {**dict(scalars(event.data)), **more})


ANYONE, SUBSCRIBERS, MODERATORS, STREAMER = "anyone", "subscribers", "moderators", "streamer"
WHO = (
    (ANYONE, "anyone"),
    (SUBSCRIBERS, "subscribers and moderators"),
    (MODERATORS, "moderators"),
    (STREAMER, "the streamer alone"),
)
_ROLES = {
    SUBSCRIBERS: {"subscriber", "moderator", "streamer"},
    MODERATORS: {"moderator", "streamer"},
    STREAMER: {"streamer"},
}
FIRST, ANYWHERE = "first", "anywhere"


@dataclass(frozen=True, slots=True)
class ChatWord(Blind):
    """A word in a line of chat, said by somebody who may; in the chat of this feed, or in any.

    What follows it is the field `rest`, and word by word `word_1`, `word_2`, `word_3`.
    """

    word: str
    who: str = ANYONE
    where: str = FIRST
    chat: str = ""
    types: tuple[str, ...] = (LINE,)

    def of_event(self, event: Occurrence) -> Cause | None:
        """The line, when the word stands in it as a word of its own."""
        said = " ".join(str(event.data.get("text", "")).split())
        words = said.split(" ")
        wanted = [_bare(one) for one in self.word.split(" ")]
        places = range(1 if self.where == FIRST else max(len(words) - len(wanted) + 1, 0))
        at = next((n for n in places if [_bare(one) for one in words[n : n + len(wanted)]] == wanted), None)
        if event.type != LINE or at is None or not self._may(event.data.get("roles")):
            return None
        if self.chat and event.source != f"feed:{self.chat}":
            return None
        name = name_of(event.data.get("name"))
        after = words[at + len(wanted) :]
        fields = {"rest": " ".join(after), **{f"word_{n}": one for n, one in enumerate(after[:3], 1)}}
        return _told(event, f"{name or 'somebody'} said “{self.word}”", speaker(event.data), **fields)

    def _may(self, roles: object) -> bool:
        allowed = _ROLES.get(self.who)
        return allowed is None or (isinstance(roles, list) and not allowed.isdisjoint(str(one) for one in roles))

    def words(self) -> str:
        """The word, and who may say it."""
        who = dict(WHO)[self.who]
        says = "say" if who.endswith("s") else "says"
        in_chat = f" in {self.chat}" if self.chat else ""
        return f"{who} {says} “{self.word}”" + (" first" if self.where == FIRST else "") + in_chat


def _bare(word: str) -> str:
    """A word without what may follow it in a sentence."""
    return (word.rstrip(".,;:?!…") or word).casefold()


FEED_CHANGED = "tesoura.feed"
"""The type of the event that tells that a feed went down or came back."""
DOWN, BACK = "down", "back"


@dataclass(frozen=True, slots=True)
class FeedTurns(Blind):
    """A feed that goes down, or comes back."""

    feed: str
    state: str = DOWN
    types: tuple[str, ...] = (FEED_CHANGED,)

    def of_event(self, event: Occurrence) -> Cause | None:
        """It, when that is the feed and the way it went."""
        mine = same(event.data.get("feed"), self.feed) and event.data.get("state") == self.state
        return _told(event, self.words(), "") if event.type in self.types and mine else None

    def words(self) -> str:
        """The feed and the way."""
        return f"{self.feed} {'goes down' if self.state == DOWN else 'comes back'}"


@dataclass(frozen=True, slots=True)
class SessionStarts(Blind):
    """A stream session that somebody starts."""

    types: tuple[str, ...] = ("tesoura.action",)

    def of_event(self, event: Occurrence) -> Cause | None:
        """It, when that was the action."""
        started = event.type in self.types and event.data.get("action") == "session.start"
        return _told(event, self.words(), "") if started else None

    def words(self) -> str:
        """That."""
        return "a stream session starts"


@dataclass(frozen=True, slots=True)
class Pressed(Blind):
    """Nothing but being pressed, which every cue can be."""

    types: tuple[str, ...] = ()

    def of_event(self, event: Occurrence) -> Cause | None:
        """None."""
        return None

    def words(self) -> str:
        """That."""
        return "you press it"
