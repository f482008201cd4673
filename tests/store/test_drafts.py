"""Drafts, versions, looks and files in the store."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.store import drafts, looks, media, overlays
from tesoura.store.store import Store, open_store
from tesoura.store.tables import MediaRow, OverlayRow

NOON = datetime(2026, 11, 26, 12, tzinfo=UTC)
PIECE = new_piece("text", "a", look="ink")


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Store]:
    opened = open_store(tmp_path)
    yield opened
    opened.close()


@pytest.fixture
def overlay(store: Store) -> OverlayRow:
    return store.write(lambda session: overlays.new_overlay(session, "Kites", Overlay(pieces=(PIECE,)), NOON))


def size(
    store: Store, row: OverlayRow, size_px: int, after_s: float, window: str = "one", field: str = "size_px"
) -> None:
    def job(session: object) -> None:
        present = overlays.get(session, row.id or 0)  # type: ignore[arg-type]
        assert present is not None
        draft = overlays.draft_of(session, present)  # type: ignore[arg-type]
        changed = draft.with_piece(draft.pieces[0].changed({field: size_px}))
        at = NOON + timedelta(seconds=after_s)
        drafts.keep(session, present, changed, f"{field} {size_px}", window, frozenset({("a", field)}), at)  # type: ignore[arg-type]

    store.write(job)


def step(store: Store, row: OverlayRow, by: int) -> str | None:
    return store.write(lambda session: drafts.step(session, overlays.get(session, row.id or 0), by, "one"))  # type: ignore[arg-type]


def now(store: Store, row: OverlayRow) -> tuple[int, str, str]:
    def ask(session: object) -> tuple[int, str, str]:
        present = overlays.get(session, row.id or 0)  # type: ignore[arg-type]
        assert present is not None
        there = drafts.steps(session, present)  # type: ignore[arg-type]
        return overlays.draft_of(session, present).pieces[0]["size_px"], there.undo, there.redo  # type: ignore[arg-type]

    return store.read(ask)


def test_edits_are_taken_back_and_made_again_also_after_a_restart(
    store: Store, overlay: OverlayRow, tmp_path: Path
) -> None:
    assert now(store, overlay) == (48, "", "")
    size(store, overlay, 50, 0)
    size(store, overlay, 60, 10)
    assert now(store, overlay) == (60, "size_px 60", "")
    assert step(store, overlay, -1) == "size_px 60"
    store.close()
    again = open_store(tmp_path)
    assert now(again, overlay) == (50, "size_px 50", "size_px 60")
    assert step(again, overlay, 1) == "size_px 60"
    assert step(again, overlay, 1) is None
    assert [step(again, overlay, -1), step(again, overlay, -1), step(again, overlay, -1)] == [
        "size_px 60",
        "size_px 50",
        None,
    ]
    assert now(again, overlay) == (48, "", "size_px 50")
    again.close()


def test_an_edit_after_undo_takes_the_place_of_what_could_be_made_again(store: Store, overlay: OverlayRow) -> None:
    size(store, overlay, 50, 0)
    size(store, overlay, 60, 10)
    step(store, overlay, -1)
    size(store, overlay, 70, 20)
    assert now(store, overlay) == (70, "size_px 70", "")
    assert step(store, overlay, -1) == "size_px 70"
    assert now(store, overlay) == (50, "size_px 50", "size_px 70")


def test_what_follows_at_once_on_the_same_fields_is_one_edit(store: Store, overlay: OverlayRow) -> None:
    size(store, overlay, 50, 0)
    size(store, overlay, 51, 0.5)
    size(store, overlay, 52, 1.0)
    size(store, overlay, 53, 9.0)
    size(store, overlay, 54, 9.1, window="two")
    assert [step(store, overlay, -1) for _ in range(4)] == ["size_px 54", "size_px 53", "size_px 50", None]
    assert now(store, overlay)[0] == 48


def test_what_other_windows_did_meanwhile_is_known(store: Store, overlay: OverlayRow) -> None:
    size(store, overlay, 50, 0, "one")
    size(store, overlay, 12, 1, "two", "x")
    step(store, overlay, -1)
    row = store.read(lambda session: overlays.get(session, overlay.id or 0))
    assert row is not None
    assert row.draft_rev == 3
    assert list(drafts.meanwhile(row, 1, "one")) == [("x 12", frozenset({("a", "x")}))]
    assert [words for words, _ in drafts.meanwhile(row, 0, "two")] == ["size_px 50", "Undone: x 12"]


def test_only_so_many_edits_are_kept(store: Store, overlay: OverlayRow, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(drafts, "MAX_EDITS", 3)
    for count in range(6):
        size(store, overlay, 50 + count, count * 10)
    assert [step(store, overlay, -1) for _ in range(4)] == ["size_px 55", "size_px 54", "size_px 53", None]


def test_a_version_keeps_its_looks_and_who_made_it(store: Store, overlay: OverlayRow) -> None:
    store.write(lambda session: overlays.publish(session, overlay, NOON, "this machine"))
    store.write(lambda session: looks.keep(session, SHIPPED["ink"].changed({"corner_px": 0}, "dark"), NOON))
    on_air = store.read(lambda session: overlays.on_air(session, overlay))
    draft = store.read(lambda session: overlays.draft_of(session, overlay))
    assert (on_air.overlay.looks["ink"].values["corner_px"], draft.looks["ink"].values["corner_px"]) == (14, 0)
    [version] = store.read(lambda session: overlays.versions(session, overlay))
    assert (version.rev, version.who, version.published_at) == (1, "this machine", NOON)


def test_a_shipped_look_comes_back_as_it_was_and_an_own_one_goes(store: Store) -> None:
    changed = SHIPPED["ink"].changed({"name": "Blue ink"}, "dark")
    store.write(lambda session: looks.keep(session, changed, NOON))
    assert store.read(looks.all_looks)["ink"].name == "Blue ink"
    store.write(lambda session: looks.remove(session, "ink", NOON))
    assert store.read(looks.all_looks)["ink"] == SHIPPED["ink"]
    assert store.write(lambda session: looks.restore(session, "ink"))
    assert store.read(looks.all_looks)["ink"].name == "Blue ink"
    assert not store.write(lambda session: looks.restore(session, "nobody"))


def test_a_link_that_was_replaced_is_remembered(store: Store, overlay: OverlayRow) -> None:
    def job(session: object) -> str:
        row = overlays.get(session, overlay.id or 0)  # type: ignore[arg-type]
        assert row is not None
        return overlays.replace_link(session, row, NOON)  # type: ignore[arg-type]

    old = store.write(job)
    found = store.read(lambda session: overlays.old_link(session, old))
    row = store.read(lambda session: overlays.get(session, overlay.id or 0))
    assert found is not None
    assert row is not None
    assert (found.overlay_id, found.replaced_at, row.token != old) == (overlay.id, NOON, True)


def test_a_file_is_kept_once_under_its_fingerprint_and_taken_away_without_losing_its_bytes(store: Store) -> None:
    name = media.fingerprint(b"kite", "png")
    assert name == f"{name[:32]}.png"
    media.put_file(store.folder, name, b"kite")
    media.put_file(store.folder, name, b"kite")
    row = MediaRow(name=name, kind="picture", title="kite.png", type="image/png", facts={}, added_at=NOON)
    store.write(lambda session: media.keep(session, row) and None)
    store.write(lambda session: media.remove(session, name, NOON))
    assert store.read(lambda session: media.all_media(session, "picture")) == []
    assert media.path_of(store.folder, name).read_bytes() == b"kite"
    again = MediaRow(name=name, kind="picture", title="again.png", type="image/png", facts={}, added_at=NOON)
    store.write(lambda session: media.keep(session, again) and None)
    assert [one.title for one in store.read(lambda session: media.all_media(session, "picture"))] == ["again.png"]
