"""A data folder of an earlier version is brought up to this one, and what was in it is found."""

from __future__ import annotations

import json
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, text

from tesoura.core.overlays.document import from_document
from tesoura.store import log, log_search, overlays
from tesoura.store.database import _MIGRATIONS, FILE_NAME
from tesoura.store.log_search import Search
from tesoura.store.store import open_store


def test_events_of_the_first_version_can_be_searched_and_overlays_read(tmp_path: Path) -> None:
    engine = create_engine(f"sqlite:///{tmp_path / FILE_NAME}")
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.set_main_option("path_separator", "os")
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
        connection.execute(
            text(
                "INSERT INTO event (id, source, type, time, accepted_at, data) VALUES (:id, 'x', 'gift', 1, 1, :data)"
            ),
            [{"id": str(n), "data": json.dumps({"name": name})} for n, name in enumerate(("Teacup_Ana", "tuck"))],
        )
        draft = {"version": 1, "width_px": 9, "height_px": 9, "pieces": [{"id": "a", "when_stale": "hide"}]}
        connection.execute(
            text("INSERT INTO overlay (name, token, draft, draft_edit, created_at) VALUES ('O', 't', :draft, 0, 1)"),
            {"draft": json.dumps(draft)},
        )
    engine.dispose()
    store = open_store(tmp_path)
    assert store.write(log.index_words) == 2
    found = store.read(lambda session: log_search.page(session, Search(words="teacup"), None, 9))
    assert [one.event.data for one in found] == [{"name": "Teacup_Ana"}]
    assert store.read(log.last_seq) == 2
    [row] = store.read(overlays.all_overlays)
    assert from_document(row.draft).pieces[0]["when_down"] == "hide"
    store.close()
