"""What forms offer, so that nobody types the name of a thing that exists."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

from tesoura.bundles.examples import programs
from tesoura.core.nearest import nearest
from tesoura.runtime.facade import Runtime
from tesoura.store import devices, log_search, media
from tesoura.store import log as event_log
from tesoura.store import overlays as stored_overlays
from tesoura.store import saves as stored_saves
from tesoura.store.tables import MediaRow
from tesoura.web.shared.doors import runtime, store

MAX_TYPES = 40
SOUNDS = (
    ("bell", "Bell"),
    ("wood", "Wood block"),
    ("chimes", "Three chimes"),
    ("gong", "Low gong"),
    ("peg", "Wheel peg"),
)
"""The sounds that ship: the name of each file, and its title."""


class Offers:
    """The names of signals, of types of events, and of fields in events' data; each found when it is asked for."""

    @cached_property
    def signals(self) -> list[str]:
        """All signals' names."""
        return [one.name for one in runtime().call(Runtime.signals)]

    @cached_property
    def types(self) -> list[tuple[str, str]]:
        """The types of events that have come, each as it is kept and as it is shown."""
        known = store().read(log_search.types)
        return [(one, one) for one in known if not one.startswith("tesoura.")][:MAX_TYPES]

    @cached_property
    def sounds(self) -> list[tuple[str, str]]:
        """The sounds that ship and those that were added: each one's name and title."""
        added = store().read(lambda session: media.all_media(session, "sound"))
        return [*SOUNDS, *((row.name, row.title) for row in added)]

    @cached_property
    def saves(self) -> list[str]:
        """The games that have a shelf."""
        return [one.title for one in store().read(stored_saves.games)]

    @staticmethod
    def media(kind: str) -> Sequence[MediaRow]:
        """The files of a kind that were added."""
        return store().read(lambda session: media.all_media(session, kind))

    @staticmethod
    def seen(of: str) -> list[str]:
        """What the newest events of a type told in a field, as in `kill.tags`."""
        kind, _, field = of.rpartition(".")
        found: dict[str, None] = {}
        for data in store().read(lambda session: event_log.recent_data(session, [kind], 200)):
            told = data.get(field)
            found |= {str(one): None for one in (told if isinstance(told, list) else [told]) if one}
        return sorted(found)

    @cached_property
    def overlays(self) -> list[str]:
        """The overlays' names."""
        return [row.name for row in store().read(stored_overlays.all_overlays)]

    @cached_property
    def moment_pieces(self) -> list[str]:
        """The pieces on air that show moments, each with its overlay's name before."""
        return runtime().call(lambda self: self.stage.moment_pieces())

    @cached_property
    def part_pieces(self) -> list[str]:
        """The pieces on air that can be shown and hidden, each with its overlay's name before."""
        return runtime().call(lambda self: self.stage.curtain.names())

    @staticmethod
    def seen_pieces(asking: str) -> list[str]:
        """The pieces on air of which an instrument of a kind can ask, each with its overlay's name before."""
        return runtime().call(lambda self: self.sightings.pieces(asking))

    @cached_property
    def devices(self) -> list[str]:
        """The names of the phones and pads that are paired."""
        return [one.name for one in store().read(devices.listed)]

    @property
    def scripts_folder(self) -> str:
        """Where the programs lie that feeds and cues can run."""
        return str(store().folder / "scripts")

    @cached_property
    def programs(self) -> list[str]:
        """The programs in the scripts folder."""
        return programs(store().folder / "scripts")

    @staticmethod
    def feeds_of(kind: str) -> list[tuple[str, str]]:
        """The feeds of a kind, or all: each one's name and title."""
        return runtime().call(lambda self: self.feeds.titles(kind))

    @cached_property
    def feeds(self) -> list[tuple[str, str]]:
        """The feeds: each one's name and title."""
        return self.feeds_of("")

    @staticmethod
    def instruments_of(kind: str) -> list[tuple[str, str]]:
        """The instruments of a kind, or all that take commands: the name and the title of each."""
        every = runtime().call(lambda self: self.instruments.setups("cues" if kind == "cue" else "instruments"))
        return [(one.name, one.title) for one in every if kind in ("", one.kind)]

    @cached_property
    def commands(self) -> list[str]:
        """The commands that instruments know."""
        every = runtime().call(lambda self: self.instruments.setups("instruments"))
        return list(dict.fromkeys(known.name for one in every for known in one.kind_of.all_commands))

    @cached_property
    def moments(self) -> list[tuple[str, str]]:
        """The moments that instruments tell of: the type of each one's event, and its words."""
        every = runtime().call(lambda self: self.instruments.setups("instruments"))
        told = (one.kind_of.moments(one.name, one.choices) for one in every)
        return [(kind, words) for moments in told for kind, words in moments.items()]

    @cached_property
    def scenes(self) -> list[str]:
        """The scenes there are."""
        return list(runtime().call(lambda self: self.scenes()))

    def nearest_scene(self, name: str) -> str | None:
        """The scene that is most like a name that is none."""
        return nearest(name, self.scenes)

    @cached_property
    def data(self) -> list[str]:
        """The fields in the data of the newest events."""
        kinds = [one for one, _ in self.types]
        found: dict[str, None] = {}
        for data in store().read(lambda session: event_log.recent_data(session, kinds, 60)) if kinds else ():
            found |= dict.fromkeys(key for key, value in data.items() if not isinstance(value, dict | list))
        return sorted(found)
