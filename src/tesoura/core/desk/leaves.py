"""How buttons lie on leaves, and every way to change that. A change is a new value."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from tesoura.core.desk.buttons import KINDS, DeskButton
from tesoura.errors import Gone, InvalidField, InvalidPiece

MOST_LEAVES, MOST_BUTTONS, LONGEST_NAME = 12, 60, 30


@dataclass(frozen=True, slots=True)
class Leaf:
    """A page of buttons."""

    id: str
    name: str
    buttons: tuple[DeskButton, ...] = ()


@dataclass(frozen=True, slots=True)
class Leaves:
    """All leaves in their order. `next_id` is the number of the next thing that gets one."""

    leaves: tuple[Leaf, ...] = ()
    next_id: int = 1

    # Leaves

    def with_leaf(self, name: str) -> Leaves:
        """With one more, behind the others. Raises InvalidField."""
        if len(self.leaves) >= MOST_LEAVES:
            raise InvalidField(f"There are {MOST_LEAVES} button pages already. Delete one first.")
        leaf = Leaf(f"l{self.next_id}", self._name(name, None))
        return Leaves((*self.leaves, leaf), self.next_id + 1)

    def renamed(self, leaf_id: str, name: str) -> Leaves:
        """With a leaf called otherwise. Raises Gone, and InvalidField."""
        return self._with(replace(self.leaf(leaf_id), name=self._name(name, leaf_id)))

    def without_leaf(self, leaf_id: str) -> Leaves:
        """Without a leaf and its buttons. Raises Gone."""
        gone = self.leaf(leaf_id)
        return replace(self, leaves=tuple(one for one in self.leaves if one is not gone))

    def leaf(self, leaf_id: str) -> Leaf:
        """One leaf. Raises Gone."""
        for one in self.leaves:
            if one.id == leaf_id:
                return one
        raise Gone("This button page no longer exists.")

    def _name(self, name: str, own: str | None) -> str:
        name = " ".join(name.split())
        if not name or len(name) > LONGEST_NAME:
            raise InvalidField(f"Give it a name of 1 to {LONGEST_NAME} characters, such as Breaks.")
        if any(one.name.casefold() == name.casefold() and one.id != own for one in self.leaves):
            raise InvalidField(f"There is a button page {name} already. Choose another name.")
        return name

    # Buttons

    def laid(self, leaf_id: str, button: DeskButton) -> tuple[Leaves, DeskButton]:
        """With a button more at the end of a leaf, and the button with its id. Raises Gone, and InvalidField."""
        leaf = self.leaf(leaf_id)
        self._free(button)
        if len(leaf.buttons) >= MOST_BUTTONS:
            raise InvalidField(f"{leaf.name} has {MOST_BUTTONS} buttons already. Use another button page.")
        button = replace(button, id=f"b{self.next_id}")
        changed = self._with(replace(leaf, buttons=(*leaf.buttons, button)))
        return replace(changed, next_id=self.next_id + 1), button

    def found(self, button_id: str) -> tuple[Leaf, DeskButton]:
        """A button and the leaf it lies on. Raises Gone."""
        for leaf in self.leaves:
            for one in leaf.buttons:
                if one.id == button_id:
                    return leaf, one
        raise Gone("This button no longer exists.")

    def changed(self, button: DeskButton) -> Leaves:
        """With a button in the place of the one with its id. Raises Gone."""
        leaf, before = self.found(button.id)
        self._free(button)
        return self._with(replace(leaf, buttons=tuple(button if one is before else one for one in leaf.buttons)))

    def _free(self, button: DeskButton) -> None:
        """Raises InvalidPiece when another button has this one's key or control."""
        wrong = {}
        for one in (one for leaf in self.leaves for one in leaf.buttons if one.id != button.id):
            for field in ("key", "control"):
                if (own := getattr(button, field)) and own == getattr(one, field):
                    wrong[field] = f"{own} presses “{one.shown_words}” already. Press another."
        if wrong:
            raise InvalidPiece(wrong)

    def with_keys(self) -> list[tuple[Leaf, DeskButton]]:
        """The buttons that have a key, each with its leaf."""
        return [(leaf, one) for leaf in self.leaves for one in leaf.buttons if one.key]

    def with_controls(self) -> list[tuple[Leaf, DeskButton]]:
        """The buttons that a control of a panel has, each with its leaf."""
        return [(leaf, one) for leaf in self.leaves for one in leaf.buttons if one.control]

    def without(self, button_id: str) -> Leaves:
        """Without a button. Raises Gone."""
        leaf, gone = self.found(button_id)
        return self._with(replace(leaf, buttons=tuple(one for one in leaf.buttons if one is not gone)))

    def moved(self, button_id: str, place: int, leaf_id: str = "") -> Leaves:
        """With a button at another place of its leaf, or of another one; 0 is the first. Raises Gone, InvalidField."""
        leaf, button = self.found(button_id)
        target = self.leaf(leaf_id) if leaf_id else leaf
        taken = self.without(button_id)
        rest = list(taken.leaf(target.id).buttons)
        if target.id != leaf.id and len(rest) >= MOST_BUTTONS:
            raise InvalidField(f"{target.name} has {MOST_BUTTONS} buttons already.")
        rest.insert(min(max(place, 0), len(rest)), button)
        return taken._with(replace(target, buttons=tuple(rest)))

    def _with(self, leaf: Leaf) -> Leaves:
        return replace(self, leaves=tuple(leaf if one.id == leaf.id else one for one in self.leaves))

    # Kept

    def saved(self) -> dict[str, Any]:
        """All, as it is stored."""
        leaves = [
            {"id": one.id, "name": one.name, "buttons": [its.saved() for its in one.buttons]} for one in self.leaves
        ]
        return {"leaves": leaves, "next_id": self.next_id}


def leaves_of(saved: Mapping[str, Any]) -> Leaves:
    """Leaves that were stored. A button of a kind that there is no more is left out."""
    leaves = tuple(
        Leaf(str(one["id"]), str(one["name"]), tuple(_buttons(one["buttons"]))) for one in saved.get("leaves", ())
    )
    return Leaves(leaves, int(saved.get("next_id", 1)))


_ONCE_CALLED = {"saves_do": "what"}
"""Under which other name a choice was stored by earlier versions."""


def _buttons(saved: Iterable[Mapping[str, Any]]) -> Iterable[DeskButton]:
    for one in saved:
        if (kind := KINDS.get(str(one["does"]))) is not None:
            told = one["own"]
            own = {
                name: str(told.get(name, told.get(_ONCE_CALLED.get(name), field.default)))
                for name, field in kind.fields.items()
            }
            yield DeskButton(
                str(one["id"]),
                kind.name,
                own,
                one["words"],
                one["colour"],
                one["size"],
                str(one.get("key", "")),
                str(one.get("control", "")),
            )
