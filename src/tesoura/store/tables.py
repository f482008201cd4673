"""The tables. Instants are stored as unix microseconds, so that they sort, compare and stay exact."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import BigInteger, Column, Dialect, Index, LargeBinary, Text, UniqueConstraint
from sqlalchemy.types import JSON, TypeDecorator
from sqlmodel import Field, SQLModel

from tesoura.core.instants import EPOCH, stored_instant


class Instant(TypeDecorator[datetime]):
    """An aware UTC datetime, stored as whole microseconds since 1970."""

    impl = BigInteger
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> int | None:
        """To the database."""
        return None if value is None else (value - EPOCH) // timedelta(microseconds=1)

    def process_result_value(self, value: int | None, dialect: Dialect) -> datetime | None:
        """From the database."""
        return None if value is None else stored_instant(value)


def _instant(**options: Any) -> Any:
    return Field(sa_column=Column(Instant, **options))


class EventRow(SQLModel, table=True):
    """One accepted event; `seq` is its place in the log. `source` and `id` together are unique."""

    __tablename__ = "event"
    __table_args__ = (
        UniqueConstraint("source", "id"),
        Index("ix_event_type", "type"),
        Index("ix_event_type_time", "type", "time", "accepted_at"),
        Index("ix_event_time", "time", "type"),
        Index("ix_event_source_time", "source", "time"),
        Index("ix_event_cause", "cause"),
    )
    seq: int | None = Field(default=None, primary_key=True)
    id: str
    source: str
    type: str
    time: datetime = _instant(nullable=False)
    accepted_at: datetime = _instant(nullable=False)
    subject: str | None = Field(default=None, index=True)
    data: dict[str, object] = Field(sa_column=Column(JSON, nullable=False))
    cause: int | None = None
    actor: str | None = None


class ReadingRow(SQLModel, table=True):
    """A value that a signal came to by no event of the log: a feed's reading. Changes only; `after_seq` is its place.

    A reading without a value tells that there was none any more.
    """

    __tablename__ = "reading"
    __table_args__ = (
        Index("ix_reading_signal_observed_at", "signal", "observed_at"),
        Index("ix_reading_observed_at", "observed_at"),
    )
    id: int | None = Field(default=None, primary_key=True)
    signal: str
    value: object = Field(default=None, sa_column=Column(JSON(none_as_null=True), nullable=True))
    observed_at: datetime = _instant(nullable=False)
    after_seq: int


class PastCountRow(SQLModel, table=True):
    """How many events of a type a stream session had that the log has let go of."""

    __tablename__ = "past_count"
    session_id: int = Field(primary_key=True)
    type: str = Field(primary_key=True)
    count: int
    last_at: datetime = _instant(nullable=False)


class SourceRow(SQLModel, table=True):
    """A type of event that a feed has brought."""

    __tablename__ = "event_source"
    type: str = Field(primary_key=True)
    feed: str = Field(primary_key=True)


class RecordRow(SQLModel, table=True):
    """What an instrument wrote down for good. `seq` and `number` are its place: the event of the log that led to it."""

    __tablename__ = "record"
    __table_args__ = (Index("ix_record_instrument_kind_at", "instrument", "kind", "at"),)
    instrument: str = Field(primary_key=True)
    seq: int = Field(primary_key=True)
    number: int = Field(primary_key=True)
    kind: str
    at: datetime = _instant(nullable=False)
    data: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))


class FeedRow(SQLModel, table=True):
    """One feed: its kind, the half of its signals' names before the dot, and its choices without secrets.

    `token` is the private part of the address to which a feed is sent, for a kind that is.
    """

    __tablename__ = "feed"
    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(unique=True)
    title: str
    kind: str
    choices: dict[str, object] = Field(sa_column=Column(JSON, nullable=False))
    token: str | None = Field(default=None, unique=True, index=True)
    paused: bool = False
    removed_at: datetime | None = _instant(nullable=True)
    created_at: datetime = _instant(nullable=False)


class SecretRow(SQLModel, table=True):
    """A feed's key, encrypted."""

    __tablename__ = "secret"
    feed_id: int = Field(primary_key=True, foreign_key="feed.id")
    name: str = Field(primary_key=True)
    sealed: bytes = Field(sa_column=Column(LargeBinary, nullable=False))


class SignalRow(SQLModel, table=True):
    """A value picked from a feed's payload."""

    __tablename__ = "signal"
    name: str = Field(primary_key=True)
    feed_id: int = Field(foreign_key="feed.id", index=True)
    path: str
    unit: str = ""
    wanted: str = "number"


class RuleRow(SQLModel, table=True):
    """How a feed's payload makes events: which items, of which type, with which id, time and fields (JMESPaths).

    `primed` once the items that were there when the rule was made have been passed over.
    """

    __tablename__ = "event_rule"
    id: int | None = Field(default=None, primary_key=True)
    feed_id: int = Field(foreign_key="feed.id", index=True)
    items: str = ""
    type: str
    id_path: str = ""
    time_path: str = ""
    fields: dict[str, str] = Field(sa_column=Column(JSON, nullable=False))
    primed: bool = False


class SeenRow(SQLModel, table=True):
    """One item that a feed has brought before, so that it makes an event once."""

    __tablename__ = "seen"
    feed_id: int = Field(primary_key=True, foreign_key="feed.id")
    item: str = Field(primary_key=True)
    seen_at: datetime = _instant(nullable=False)


class MemoryRow(SQLModel, table=True):
    """What a feed must know to go on after a restart, such as how far a file was read."""

    __tablename__ = "feed_memory"
    feed_id: int = Field(primary_key=True, foreign_key="feed.id")
    memory: dict[str, object] = Field(sa_column=Column(JSON, nullable=False))


class ComputedRow(SQLModel, table=True):
    """Computed signals: a formula, a window, a chain, a goal or a change, with the choices made for it."""

    __tablename__ = "computed"
    id: int | None = Field(default=None, primary_key=True)
    kind: str
    name: str
    choices: dict[str, object] = Field(sa_column=Column(JSON, nullable=False))
    removed_at: datetime | None = _instant(nullable=True)
    created_at: datetime = _instant(nullable=False)


class ComputedStateRow(SQLModel, table=True):
    """How a computation stood at a place in the log; good for the same definition and the same calendar alone."""

    __tablename__ = "computed_state"
    key: str = Field(primary_key=True)
    seq: int
    stands_for: str
    state: dict[str, object] = Field(sa_column=Column(JSON, nullable=False))


class TextFileRow(SQLModel, table=True):
    """A wording that is kept in a text file of the folder which the user named."""

    __tablename__ = "text_file"
    id: int | None = Field(default=None, primary_key=True)
    name: str
    wording: str
    nothing_yet: str = ""
    when_down: str = "keep"
    down_text: str = ""
    newline: bool = False
    removed_at: datetime | None = _instant(nullable=True)
    created_at: datetime = _instant(nullable=False)


class SavedSignalRow(SQLModel, table=True):
    """The last value of a signal, to go on from after a restart."""

    __tablename__ = "saved_signal"
    name: str = Field(primary_key=True)
    feed: str
    value: object = Field(sa_column=Column(JSON))
    unit: str = ""
    observed_at: datetime | None = _instant(nullable=True)
    fresh_for_s: float | None = None
    event_type: str | None = None
    trail: list[list[float]] = Field(sa_column=Column(JSON, nullable=False))


class PositionRow(SQLModel, table=True):
    """Up to which place in the log something stands: the saved signals (1), the index of words (2)."""

    __tablename__ = "position"
    id: int = Field(default=1, primary_key=True)
    seq: int


class OverlayRow(SQLModel, table=True):
    """One overlay: its name, the token of its link, and its draft.

    `draft_edit` is the number of the edit at which the draft stands; `draft_rev` counts every change of it, those that
    take edits back included; `recent` tells of the last of those: which, from which window, in words, what it touched.
    """

    __tablename__ = "overlay"
    id: int | None = Field(default=None, primary_key=True)
    name: str
    token: str = Field(unique=True)
    draft: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    draft_edit: int = 0
    draft_rev: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    recent: list[Any] = Field(default_factory=list, sa_column=Column(JSON, nullable=False, server_default="[]"))
    removed_at: datetime | None = _instant(nullable=True)
    created_at: datetime = _instant(nullable=False)


class EditRow(SQLModel, table=True):
    """A draft as it was after one edit. Those behind `draft_edit` can be made again."""

    __tablename__ = "edit"
    overlay_id: int = Field(primary_key=True, foreign_key="overlay.id")
    number: int = Field(primary_key=True)
    document: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    words: str = ""
    window: str = ""
    touched: list[Any] = Field(sa_column=Column(JSON, nullable=False))
    at: datetime = _instant(nullable=False)


class VersionRow(SQLModel, table=True):
    """One version of an overlay that was put on air, by whom; the one with the highest `rev` is on air."""

    __tablename__ = "version"
    overlay_id: int = Field(primary_key=True, foreign_key="overlay.id")
    rev: int = Field(primary_key=True)
    document: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    published_at: datetime = _instant(nullable=False)
    who: str = Field(default="", sa_column_kwargs={"server_default": ""})
    note: str = Field(default="", sa_column_kwargs={"server_default": ""})


class OldLinkRow(SQLModel, table=True):
    """The token of a link that was replaced, so that it can say so."""

    __tablename__ = "old_link"
    token: str = Field(primary_key=True)
    overlay_id: int = Field(foreign_key="overlay.id", index=True)
    replaced_at: datetime = _instant(nullable=False)


class LookRow(SQLModel, table=True):
    """A look that the user made, or a shipped one that the user changed."""

    __tablename__ = "look"
    id: str = Field(primary_key=True)
    document: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    removed_at: datetime | None = _instant(nullable=True)
    changed_at: datetime = _instant(nullable=False)


class MediaRow(SQLModel, table=True):
    """A file that was added: a `picture`, a `video`, a `typeface`, or a `scenery` (a picture to lay overlays over).

    `name` is its fingerprint and ending, under which it lies in the folder; `facts` what is known of it. One that an
    instrument made says whose it is and until when it is kept; the user's own are kept until they are deleted.
    """

    __tablename__ = "media"
    name: str = Field(primary_key=True)
    kind: str = Field(index=True)
    title: str
    type: str
    width_px: int = 0
    height_px: int = 0
    size: int = 0
    facts: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    removed_at: datetime | None = _instant(nullable=True)
    added_at: datetime = _instant(nullable=False)
    owner: str | None = Field(default=None, index=True)
    kept_until: datetime | None = _instant(nullable=True)


class ClipRow(SQLModel, table=True):
    """A clip on the shelf, or a reel of several: its file, what it is of, and what is shown of it. Lengths in µs.

    `at` is the moment that it is of, `shows_from` the instant that its first picture shows, µs since 1970. `parts` are
    what is shown of it by itself, `trim_begin` and `trim_end` what the user chose instead. `cause` is the place in the
    log of what it is of, `figures` are the statistics at that moment.
    """

    __tablename__ = "clip"
    __table_args__ = (Index("ix_clip_at", "at"), Index("ix_clip_kind_at", "kind", "at"))
    id: int | None = Field(default=None, primary_key=True)
    kind: str = "clip"
    file: str
    type: str
    title: str
    instrument: str = ""
    source: str = ""
    cause: int | None = None
    at: datetime = _instant(nullable=False)
    made_at: datetime = _instant(nullable=False)
    session_at: datetime | None = _instant(nullable=True)
    length: int
    shows_from: int = Field(default=0, sa_column=Column(BigInteger, nullable=False))
    kills: list[int] = Field(sa_column=Column(JSON, nullable=False))
    parts: list[list[int]] = Field(sa_column=Column(JSON, nullable=False))
    trim_begin: int | None = None
    trim_end: int | None = None
    width_px: int = 0
    height_px: int = 0
    size: int = 0
    codec: str = ""
    sound: str = ""
    still: str = ""
    strip: str = ""
    figures: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    starred: bool = False
    removed_at: datetime | None = _instant(nullable=True)


class SessionRow(SQLModel, table=True):
    """One stream session; it lasts until the next one starts."""

    __tablename__ = "stream_session"
    id: int | None = Field(default=None, primary_key=True)
    started_at: datetime = _instant(nullable=False, index=True)


class SessionReportRow(SQLModel, table=True):
    """What a stream session came to, kept before the log let go of its events; until when something happened in it."""

    __tablename__ = "session_report"
    session_id: int = Field(primary_key=True)
    until: datetime = _instant(nullable=False)
    facts: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))


class KeyRow(SQLModel, table=True):
    """A key for the API, known only by its hash."""

    __tablename__ = "api_key"
    id: int | None = Field(default=None, primary_key=True)
    name: str
    hash: str = Field(unique=True)
    ending: str
    created_at: datetime = _instant(nullable=False)
    revoked_at: datetime | None = _instant(nullable=True)


class ChoiceRow(SQLModel, table=True):
    """One of the user's general choices, such as the language numbers are written in."""

    __tablename__ = "choice"
    name: str = Field(primary_key=True)
    value: str = Field(sa_column=Column(Text, nullable=False))


class DeviceRow(SQLModel, table=True):
    """A phone or a pad that was paired, known only by the hash of its token; `leaves` are those it may press on."""

    __tablename__ = "device"
    id: int | None = Field(default=None, primary_key=True)
    name: str
    kind: str
    hash: str = Field(unique=True)
    leaves: list[str] = Field(sa_column=Column(JSON, nullable=False))
    paired_at: datetime = _instant(nullable=False)
    seen_at: datetime | None = _instant(nullable=True)


class SaveGameRow(SQLModel, table=True):
    """A game whose saves are kept: where its save lies, what is to be done in the game first, the one that is marked.

    `most_before` is how many of what put-backs replaced are kept, `wait_s` how long a save that is written is waited
    for, `last_put` the entry that was put back last.
    """

    __tablename__ = "save_game"
    id: int | None = Field(default=None, primary_key=True)
    title: str
    path: str
    folder: bool = False
    leave_first: str = ""
    keeps_times: bool = False
    most_before: int = 20
    wait_s: int = 10
    marked: int | None = None
    last_put: int | None = None
    added_at: datetime = _instant(nullable=False)
    removed_at: datetime | None = _instant(nullable=True)


class SaveRow(SQLModel, table=True):
    """An entry of a game's shelf: a folder, a kept save, or what a put-back replaced (`before`).

    `content` lists a save's files by their hashes; None for a folder, and while it stands beside the game's own file
    (`beside`). `same` is what saves of the same content have in common, `place` the order among its neighbours.
    """

    __tablename__ = "save"
    __table_args__ = (Index("ix_save_game", "game_id", "removed_at"),)
    id: int | None = Field(default=None, primary_key=True)
    game_id: int = Field(foreign_key="save_game.id")
    parent_id: int | None = None
    kind: str = "save"
    name: str
    note: str = ""
    picture: str = ""
    place: int = 0
    content: dict[str, Any] | None = Field(default=None, sa_column=Column(JSON, nullable=True))
    size: int = Field(default=0, sa_column=Column(BigInteger, nullable=False))
    same: str = ""
    beside: bool = False
    made_at: datetime = _instant(nullable=False)
    removed_at: datetime | None = _instant(nullable=True)
