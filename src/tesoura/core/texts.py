"""The texts that viewers see: each wording kept up to date, redrawn only when a signal that it reads has changed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

from tesoura.core.functions import Undefined
from tesoura.core.numbers import FormatError, NumberStyle
from tesoura.core.scope import Missing, Scope
from tesoura.core.wording import Rendered, Wording


class Shown(NamedTuple):
    """What viewers see of one wording, and why it is the "nothing yet" text when it is.

    A named tuple and not a dataclass, because one is made for every text of every event.
    """

    text: str
    missing: str | None = None
    problem: str | None = None

    @property
    def why(self) -> str | None:
        """What keeps the wording from being said, if anything does."""
        return self.missing or self.problem


@dataclass(slots=True)
class _Text:
    wording: Wording
    nothing_yet: str
    shown: Shown


def _shown(rendered: Rendered, nothing_yet: str) -> Shown:
    if rendered.text is None:
        return Shown(nothing_yet, rendered.missing, rendered.problem)
    return Shown(rendered.text)


class Texts:
    """Wordings under keys, an index from signals to the wordings that read them, and what each says now."""

    def __init__(self, scope: Scope) -> None:
        self._scope = scope
        self._texts: dict[str, _Text] = {}
        self._readers: dict[str, set[str]] = {}

    def show(self, key: str, wording: Wording, nothing_yet: str) -> Shown:
        """Keep a wording's text up to date under this key from now on; what it says now."""
        self.hide(key)
        shown = self.preview(wording, nothing_yet)
        self._texts[key] = _Text(wording, nothing_yet, shown)
        for name in wording.names:
            self._readers.setdefault(name, set()).add(key)
        return shown

    def hide(self, key: str) -> None:
        """Stop keeping the text under this key."""
        text = self._texts.pop(key, None)
        for name in text.wording.names if text else ():
            self._readers[name].discard(key)
            if not self._readers[name]:
                del self._readers[name]

    def preview(self, wording: Wording, nothing_yet: str, more_digits: int = 0) -> Shown:
        """What a wording says now, or would with so many digits more, without keeping it."""
        return _shown(wording.render(self._scope, more_digits), nothing_yet)

    def shown(self, key: str) -> Shown | None:
        """What the text under this key says now."""
        text = self._texts.get(key)
        return text.shown if text else None

    def redraw(self, names: Iterable[str]) -> dict[str, Shown]:
        """Render again what reads these signals; the texts that came out different, by key."""
        changed: dict[str, Shown] = {}
        for name in names:
            for key in self._readers.get(name, ()):
                if key in changed:
                    continue
                text = self._texts[key]
                shown = self._again(text)
                if shown is not text.shown and shown != text.shown:
                    text.shown = changed[key] = shown
        return changed

    def _again(self, text: _Text) -> Shown:
        # A wording that could be said before can nearly always be said again: try the short way first.
        if text.shown.why is None:
            try:
                said = text.wording.say(self._scope)
                return text.shown if said == text.shown.text else Shown(said)
            except (Missing, Undefined, FormatError):
                pass
        return _shown(text.wording.render(self._scope), text.nothing_yet)

    def restyle(self, style: NumberStyle) -> dict[str, Shown]:
        """Write numbers in another style; the texts that came out different, by key."""
        self._scope = Scope(self._scope.values, style)
        return self.redraw(list(self._readers))
