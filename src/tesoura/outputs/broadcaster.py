"""What the stage and the desks ask of whoever reaches the pages: the hub on this machine, or a relay."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Protocol

from tesoura.core.values import Json
from tesoura.outputs.hub import Audience, Channel, Values

__all__ = ["Audience", "Broadcaster"]


class Broadcaster(Protocol):
    """Reaches every page that shows an overlay. Values are latest-wins for each page; moments come in order."""

    def put_on_air(self, overlay_id: int, token: str, rev: int, values: Values) -> None:
        """Make this the version that an overlay's pages show."""
        ...

    def take_off(self, overlay_id: int, why: str = "") -> None:
        """Forget an overlay; its pages are told why."""
        ...

    def replace_link(self, overlay_id: int, token: str, why: str) -> None:
        """Give an overlay's link another token; pages of the old one stop."""
        ...

    def change(self, overlay_id: int, values: Values) -> None:
        """Tell an overlay's pages what some of its pieces say now."""
        ...

    def moment(self, overlay_id: int, moment_id: str, piece_id: str, said: Json, for_s: float) -> int:
        """Show what a piece says once, for so long; by how many viewers' pages it was dropped."""
        ...

    def sound(self, overlay_id: int, source: str) -> None:
        """Let an overlay's pages play a sound, once."""
        ...

    def values_of(self, overlay_id: int) -> Values:
        """What all pieces of an overlay say; nothing when it is not on air."""
        ...

    def said(self, overlay_id: int, own: str) -> Json:
        """What a piece of an overlay said last; nothing when it is not on air."""
        ...

    def channel(self, token: str) -> Channel | None:
        """The overlay behind a link's token."""
        ...

    def audience(self, overlay_id: int) -> Audience:
        """Who shows an overlay."""
        ...

    def tell_watchers(self, names: Iterable[str], written: Callable[[str], str]) -> None:
        """Signals changed; `written` gives the text of one."""
        ...

    def touch_desks(self, topics: Iterable[str]) -> None:
        """Tell every open desk what has changed."""
        ...
