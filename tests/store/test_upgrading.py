"""Data folders of every earlier version are brought up to this one, and what was in them is found and goes on."""

from __future__ import annotations

import gzip
from pathlib import Path

import pytest

from tesoura.core.overlays.document import from_document
from tesoura.store import log, log_search, overlays, readings, state
from tesoura.store.database import FILE_NAME
from tesoura.store.log_search import Search
from tesoura.store.store import open_store
from tests.conftest import Running

FOLDERS = Path(__file__).parent / "folders"
"""The made-up evening as each version kept it, without secrets and with the last 250 places of its log."""
VERSIONS = ("0.1", "0.2", "0.3", "0.4")


def _copy(version: str, folder: Path) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    (folder / FILE_NAME).write_bytes(gzip.decompress((FOLDERS / f"{version}.db.gz").read_bytes()))
    return folder


@pytest.mark.parametrize("version", VERSIONS)
def test_what_an_earlier_version_kept_is_found(version: str, tmp_path: Path) -> None:
    store = open_store(_copy(version, tmp_path))
    last = store.read(log.last_seq)
    events = store.read(lambda session: log.latest(session, 400))
    assert events[0].seq == last > 0
    assert all(one.event.cause is None and one.event.actor is None for one in events)
    while store.write(log.index_words):
        pass
    found = store.read(lambda session: log_search.page(session, Search(words="mara_vane"), None, 5))
    assert found
    rows = store.read(overlays.all_overlays)
    assert len(rows) >= 2
    assert all(from_document(row.draft).pieces for row in rows)
    assert store.read(state.present_session) is not None
    assert store.read(lambda session: readings.at(session, "reach.members", events[0].accepted_at)) is None
    store.close()


@pytest.mark.parametrize("version", VERSIONS)
def test_tesoura_goes_on_from_what_an_earlier_version_kept(version: str, tmp_path: Path) -> None:
    running = Running(_copy(version, tmp_path / "data"))
    try:
        before = running.store.read(log.last_seq)
        assert running.event(type="kill", data={"actor": "mara_vane"}).status_code == 202
        assert running.store.read(log.last_seq) == before + 1
        assert running.signal("kill.actor")["value"] == "mara_vane"
        for page in ("/", "/feeds/", "/signals/", "/overlays/", "/log/", "/reports/", "/overlays/1"):
            assert running.client.get(page).status_code == 200, page
        [row, *_] = running.store.read(overlays.all_overlays)
        assert running.client.get(f"/o/{row.token}").status_code == 200
    finally:
        running.stop()
