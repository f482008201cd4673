"""What a kind of feed is: a form, and one fetch or one stream."""

from __future__ import annotations

from collections.abc import AsyncIterator, Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, tzinfo
from functools import lru_cache
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

from tesoura.core.desk.controls import ControlMoved
from tesoura.core.forms.fields import Field
from tesoura.feeds.apart import LARGE, take_apart
from tesoura.feeds.formats import read
from tesoura.workers import Worker

if TYPE_CHECKING:
    import httpx


class _Nothing:
    """No payload came with this; what came before stands."""

    def __repr__(self) -> str:
        return "NOTHING"


NOTHING = _Nothing()


@dataclass(frozen=True, slots=True)
class Item:
    """Something that happened, as a feed tells it. With an `id` it makes an event once, however often it is told."""

    type: str
    data: Mapping[str, Any]
    id: str | None = None
    time: datetime | None = None


@dataclass(frozen=True, slots=True)
class Fetched:
    """What one try of a feed, or one message of a stream, gave.

    `payload` is what signals are picked from. `message` is what a stream has just told, which is news by itself;
    without one, rules look for what is new in the payload. With `quiet` they do not look at all. `items` are events
    ready made. `unchanged` says that what came before still holds. `memory` is what the feed must be told after a
    restart, `secrets` what has taken the place of its secrets, `note` what the user should see beside.
    """

    payload: object = NOTHING
    size_bytes: int = 0
    took_ms: float = 0.0
    unchanged: bool = False
    message: object = NOTHING
    message_id: str | None = None
    durable: bool = False
    """Whether the sender gets an acknowledgement; events and values are committed together before it."""
    quiet: bool = False
    items: tuple[Item, ...] = ()
    memory: Mapping[str, Any] | None = None
    secrets: Mapping[str, str] | None = None
    note: str = ""
    scene: str | None = None
    """The present scene, told by a link that knows it."""
    control: ControlMoved | None = None
    """A control of a panel that was moved, told by a link with panels."""


@dataclass(frozen=True, slots=True)
class Folders:
    """Which folders a feed may touch: those the user named for files, and the one for scripts."""

    files: tuple[Path, ...] = ()
    scripts: Path = Path("scripts")


WITHIN_BOUNDS = ("html", "toml")
"""What can take far longer than its size lets one think is always read in a process of its own."""


@dataclass(slots=True)
class FetchContext:
    """What a try is given. `memory` and `secrets` are brought up to date with what each `Fetched` carried."""

    client: httpx.AsyncClient
    clock: Callable[[], datetime]
    choices: Mapping[str, Any]
    secrets: Mapping[str, str] = field(default_factory=dict)
    memory: Mapping[str, Any] = field(default_factory=dict)
    folders: Folders = Folders()
    zone: tzinfo = UTC
    scratch: dict[str, Any] = field(default_factory=dict)
    """What is good for this run alone, such as how to ask for what is new."""
    trying: bool = False
    """Whether this is the one try before a feed is kept, which must leave nothing behind."""
    worker: Worker = field(default_factory=Worker)
    """Where large answers are taken apart."""
    link: Link | None = None
    """What can be talked with, while it is open; set and taken away by the stream of a kind that is a link."""

    async def read(self, text: str, form: str, where: str, selector: str = "") -> object:
        """The payload in a text, as `formats.read` gives it; a large one is read beside the loop."""
        if form in WITHIN_BOUNDS or len(text) >= LARGE:
            return await take_apart(self.worker, read, text, form, where, selector, what=where)
        return read(text, form, where, selector)

    def keep(self, came: Fetched) -> None:
        """Go on from what came."""
        if came.memory is not None:
            self.memory = came.memory
        if came.secrets is not None:
            self.secrets = {**self.secrets, **came.secrets}


class Link(Protocol):
    """An open connection that is talked with in both directions."""

    def standing(self) -> Mapping[str, Any]:
        """How it stands, for its page: facts by name, and frozen."""
        ...


@dataclass(frozen=True, slots=True)
class FoundClip:
    """A file of video that a source has given: where it lies, and when its last picture was seen.

    With `tail_bytes` only so many of its last bytes are looked at: it is a recording that goes on. One that is known to
    be `whole` need not be waited for.
    """

    path: Path
    ends_at: datetime
    tail_bytes: int = 0
    whole: bool = False


class ClipSource(Protocol):
    """An open connection that gives clips."""

    async def clip(self, begin: datetime, end: datetime) -> FoundClip:
        """A file with what was seen between two instants, once it is whole. Raises SourceError."""
        ...


Receive = Callable[[FetchContext, Mapping[str, str], bytes], Fetched]
Fetch = Callable[[FetchContext], Awaitable[Fetched]]
Follow = Callable[[FetchContext], AsyncIterator[Fetched]]


@dataclass(frozen=True, slots=True)
class NameMatch:
    """One thing that a service has under a name: what to ask for it by, how it is called, what else it says."""

    id: str
    name: str
    about: str = ""


@dataclass(frozen=True, slots=True)
class SignIn:
    """How to sign in at a service. `begin` gives the address to send the user to; `finish` the secrets to keep.

    `begin` takes a feed, the address to come back to, a `state` and a code verifier; `finish` takes a feed, the address
    that was come back to, the code that it brought, and the verifier. Both raise SourceError. `ends` tells from the
    secrets when the permission ends that cannot be renewed by itself, in seconds since 1970; None for one that can.
    """

    begin: Callable[[FetchContext, str, str, str], Awaitable[str]]
    finish: Callable[[FetchContext, str, str, str], Awaitable[Mapping[str, str]]]
    ends: Callable[[Mapping[str, str]], float | None] = lambda secrets: None


LookUp = Callable[[FetchContext, str], Awaitable[list[NameMatch]]]


@dataclass(frozen=True, slots=True)
class Suggested:
    """A signal that is picked without context when a feed of the kind is made."""

    field: str
    path: str
    unit: str = ""
    wanted: str = "number"


@dataclass(frozen=True, slots=True)
class FeedKind:
    """A kind of feed.

    One that is asked has `fetch` and a choice `period_s`; one that tells by itself has `follow`, which yields until it
    breaks; one that is sent to has `receive`, given headers in lower case and a body; one that is set by hand has none
    of them. All raise SourceError. `lasting` is a stream that tells of every change, so
    that its last values are live for as long as it works.
    """

    name: str
    title: str
    about: str
    fields: Mapping[str, Field]
    place: Callable[[Mapping[str, Any]], str]
    """Where the data comes from, short and without anything private."""
    fetch: Fetch | None = None
    follow: Follow | None = None
    receive: Receive | None = None
    lasting: bool = False
    suggested: Callable[[Mapping[str, Any]], Sequence[Suggested]] = lambda choices: ()
    look_up: LookUp | None = None
    """Finds what there is under a name; the form then has the fields `look_up`, the address, and `id`."""
    sign_in: SignIn | None = None
    check: Callable[[Mapping[str, Any], Mapping[str, str]], Mapping[str, str]] = lambda choices, secrets: {}
    """What is wrong with choices and secrets that are right one by one, by field."""
    brings: Callable[[Mapping[str, Any]], Sequence[str]] = lambda choices: ()
    """The types of events that it makes by itself, beside those of its rules."""
    on_machine: Callable[[Mapping[str, Any]], bool] = lambda choices: False
    """Whether, with these choices, it reads files of this machine or runs programs on it."""
    called: str = "Feed"
    """What one is called when the user gives no name."""
    makes: Mapping[str, Callable[[bytes], str]] = field(default_factory=dict)
    """The secrets that are made where none is given, of 32 bytes that were drawn; whoever sends is then told them."""
    shown_by: str = ""
    """The kind of instrument that shows what it tells, with nothing to be picked first."""
    gives_clips: bool = False
    """Whether what is open of it is a `ClipSource`; it then has the field `late_ms`."""
    room: str = "feeds"
    """The room in which its folder is, by its name: that of its page of help."""

    @property
    def asked(self) -> bool:
        """Whether it is asked again and again."""
        return self.fetch is not None

    @property
    def tried(self) -> bool:
        """Whether it can be tried before it is kept."""
        return self.fetch is not None or self.follow is not None

    def help(self) -> str:
        """Its page of help, as HTML."""
        return _help(self.room, self.name)


@lru_cache(maxsize=32)
def _help(room: str, name: str) -> str:
    return resources.files(f"tesoura.{room}.{name}").joinpath("help.html").read_text("utf-8")
