"""Reads typefaces into the tables that widths are computed from: advances, kerning, even-width figures."""

from __future__ import annotations

import re
import threading
from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

from tesoura.core.overlays.fit.faces import Cut, Face, Pairs, Source
from tesoura.core.overlays.typefaces import CARRIED, TYPEFACES, nearest_weight
from tesoura.settings import STATIC

FONTS = STATIC / "fonts"
EVERYTHING = ((0, 0x10FFFF),)
_RULE = re.compile(r'font-family:"([^"]+)".*?font-weight:(\d+).*?src:url\("([^"]+)"\).*?unicode-range:([^}]+)\}')


@lru_cache(maxsize=1)
def shipped_files() -> dict[str, list[tuple[Path, tuple[tuple[int, int], ...]]]]:
    """The font files of each shipped family, and the code points that each stands for."""
    found: dict[str, list[tuple[Path, tuple[tuple[int, int], ...]]]] = {}
    for family, _, file, ranges in _RULE.findall((FONTS / "fonts.css").read_text("utf-8")):
        found.setdefault(family, []).append((FONTS / file, tuple(_ranges(ranges))))
    return found


def _ranges(written: str) -> Iterator[tuple[int, int]]:
    for part in written.split(","):
        low, _, high = part.strip().removeprefix("U+").partition("-")
        yield int(low, 16), int(high or low, 16)


class Faces:
    """All faces by family and weight, read when first asked for. Safe to use from several threads.

    `uploaded` gives the files of the families that the user added, each with the weight it has.
    """

    def __init__(self, uploaded: Callable[[], dict[str, list[tuple[Path, int]]]] = dict) -> None:
        self._uploaded = uploaded
        self._faces: dict[tuple[str, int], Face] = {}
        self._lock = threading.Lock()

    def __call__(self, family: str, weight: int) -> Face:
        """A family at a weight, with the family that stands in for letters it has not."""
        with self._lock:
            face = self._faces.get((family, weight))
            if face is None:
                sources = [*self._sources(family, weight)]
                if family != CARRIED:
                    sources += self._sources(CARRIED, weight)
                face = self._faces[family, weight] = Face(sources)
            return face

    def forget(self) -> None:
        """Typefaces were added or taken away."""
        with self._lock:
            self._faces.clear()

    def _sources(self, family: str, weight: int) -> Iterator[Source]:
        shipped = shipped_files().get(family)
        if shipped is not None:
            weights = next(face.weights for face in TYPEFACES if face.family == family)
            at = nearest_weight(weights, weight)
            for path, ranges in shipped:
                yield Source(ranges, partial(read_cut, path, at))
            return
        files = self._uploaded().get(family, [])
        if files:
            best = nearest_weight([own for _, own in files], weight)
            path = next(path for path, own in files if own == best)
            yield Source(EVERYTHING, partial(read_cut, path, weight))


@lru_cache(maxsize=256)
def read_cut(path: Path, weight: int) -> Cut:
    """The tables of one font file, a variable one at this weight."""
    from fontTools.ttLib import TTFont

    with TTFont(path, lazy=True) as font:
        return _Reader(font, weight).cut()


class _Reader:
    """One open font at one weight."""

    def __init__(self, font: Any, weight: int) -> None:
        self._font = font
        self._where = self._location(weight)
        self._letters: dict[str, list[int]] = {}

    def _location(self, weight: int) -> dict[str, float]:
        if "fvar" not in self._font:
            return {}
        from fontTools.varLib.models import normalizeLocation, piecewiseLinearMap

        axes = {axis.axisTag: (axis.minValue, axis.defaultValue, axis.maxValue) for axis in self._font["fvar"].axes}
        where = normalizeLocation({"wght": weight}, axes)
        if "avar" in self._font:
            maps = self._font["avar"].segments
            where = {tag: piecewiseLinearMap(at, maps[tag]) if maps.get(tag) else at for tag, at in where.items()}
        return dict(where)

    def cut(self) -> Cut:
        """Its tables."""
        font = self._font
        glyphs = dict(font.getBestCmap())
        even = self._singles("tnum")
        glyphs = {code: even.get(glyph, glyph) for code, glyph in glyphs.items()}
        for code, glyph in glyphs.items():
            self._letters.setdefault(glyph, []).append(code)
        moved = self._advance_deltas()
        advances = {code: font["hmtx"][glyph][0] + moved(glyph) for code, glyph in glyphs.items()}
        return Cut(font["head"].unitsPerEm, advances, tuple(self._kerning()))

    def _advance_deltas(self) -> Callable[[str], float]:
        if not self._where or "HVAR" not in self._font:
            return lambda glyph: 0.0
        from fontTools.varLib.varStore import VarStoreInstancer

        table = self._font["HVAR"].table
        deltas = VarStoreInstancer(table.VarStore, self._font["fvar"].axes, self._where)
        mapping = table.AdvWidthMap.mapping if table.AdvWidthMap else None

        def moved(glyph: str) -> float:
            index = mapping[glyph] if mapping else self._font.getGlyphID(glyph)
            return float(round(deltas[index]))

        return moved

    # Features

    def _lookups(self, table: str, feature: str) -> Iterator[Any]:
        if table not in self._font:
            return
        inside = self._font[table].table
        if not inside.FeatureList or not inside.ScriptList:
            return
        wanted = self._features_of_script(inside)
        indices = sorted(
            {
                index
                for number, record in enumerate(inside.FeatureList.FeatureRecord)
                if record.FeatureTag == feature and number in wanted
                for index in record.Feature.LookupListIndex
            }
        )
        for index in indices:
            lookup = inside.LookupList.Lookup[index]
            yield [getattr(one, "ExtSubTable", one) for one in lookup.SubTable]

    @staticmethod
    def _features_of_script(inside: Any) -> set[int]:
        scripts = {record.ScriptTag: record.Script for record in inside.ScriptList.ScriptRecord}
        script = next((scripts[tag] for tag in ("latn", "cyrl", "grek", "hebr", "DFLT") if tag in scripts), None)
        system = script.DefaultLangSys if script else None
        return set(system.FeatureIndex) if system else set(range(len(inside.FeatureList.FeatureRecord)))

    def _singles(self, feature: str) -> dict[str, str]:
        found: dict[str, str] = {}
        for tables in self._lookups("GSUB", feature):
            for table in tables:
                found |= {one: to for one, to in getattr(table, "mapping", {}).items() if isinstance(to, str)}
        return found

    def _kerning(self) -> Iterator[tuple[Pairs, ...]]:
        if "GPOS" not in self._font and "kern" in self._font:
            yield tuple(self._old_pairs(table) for table in self._font["kern"].kernTables)
            return
        value = self._pair_values()
        for tables in self._lookups("GPOS", "kern"):
            pairs = [self._pairs(table, value) for table in tables if type(table).__name__ == "PairPos"]
            if pairs:
                yield tuple(pairs)

    def _old_pairs(self, table: Any) -> Pairs:
        return Pairs(
            {
                (first, second): float(value)
                for (left, right), value in table.kernTable.items()
                for first in self._codes([left])
                for second in self._codes([right])
            }
        )

    def _pair_values(self) -> Callable[[Any], float]:
        font, deltas = self._font, None
        if self._where and "GDEF" in font and getattr(font["GDEF"].table, "VarStore", None):
            from fontTools.varLib.varStore import VarStoreInstancer

            deltas = VarStoreInstancer(font["GDEF"].table.VarStore, font["fvar"].axes, self._where)

        def value(record: Any) -> float:
            if record is None:
                return 0.0
            total = float(getattr(record, "XAdvance", 0) or 0)
            device = getattr(record, "XAdvDevice", None)
            if device is not None and deltas is not None and device.DeltaFormat == 0x8000:
                total += round(deltas[(device.StartSize << 16) + device.EndSize])
            return total

        return value

    def _pairs(self, table: Any, value: Callable[[Any], float]) -> Pairs:
        covered = table.Coverage.glyphs
        if table.Format == 1:
            exact = {
                (first, second): value(record.Value1)
                for glyph, pairs in zip(covered, table.PairSet, strict=True)
                for record in pairs.PairValueRecord
                for first in self._codes([glyph])
                for second in self._codes([record.SecondGlyph])
            }
            return Pairs(exact)
        classes = table.ClassDef1.classDefs
        firsts = {code: classes.get(glyph, 0) for glyph in covered for code in self._codes([glyph])}
        seconds = {code: group for glyph, group in table.ClassDef2.classDefs.items() for code in self._codes([glyph])}
        values = {
            (first, second): kern
            for first, row in enumerate(table.Class1Record)
            for second, record in enumerate(row.Class2Record)
            if (kern := value(record.Value1))
        }
        # A table whose letters are all of another script would look like one without classes.
        return Pairs({}, firsts or {-1: 0}, seconds, values)

    def _codes(self, glyphs: Iterable[str]) -> Iterator[int]:
        for glyph in glyphs:
            yield from self._letters.get(glyph, ())
