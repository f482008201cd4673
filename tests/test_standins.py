"""The stand-ins: the same seed tells the same story, and each can be set and broken."""

from __future__ import annotations

from collections import Counter
from itertools import islice, pairwise
from pathlib import Path

import httpx
import pytest

from tesoura.core.instruments.statistics.schema import GAME_EVENTS
from tesoura.demo.evening import seed_folder
from tesoura.demo.services import Services
from tesoura.links.registry import KINDS
from tesoura.settings import wall_clock
from tesoura.standins.duels import Duels, Told
from tesoura.standins.evening import evening
from tesoura.standins.growth import Growth
from tesoura.standins.members import CHANNELS, MembersService
from tesoura.store import feeds, overlays
from tesoura.store.store import open_store


def test_counts_grow_the_same_for_the_same_seed_and_sometimes_jump() -> None:
    one, two, other = Growth("7", 100), Growth("7", 100), Growth("8", 100)
    counts = [one.at(second) for second in range(3600)]
    assert counts == [two.at(second) for second in range(3600)]
    assert counts != [other.at(second) for second in range(3600)]
    steps = [after - before for before, after in pairwise(counts)]
    assert min(steps) == 0
    assert max(steps) >= 20
    assert one.at(10) == counts[-1]


def test_the_same_seed_tells_the_same_evening() -> None:
    first, again = list(islice(evening(7), 200)), list(islice(evening(7), 200))
    assert first == again
    assert first != list(islice(evening(8), 200))
    assert [beat.number for beat in first] == list(range(1, 201))
    kinds = Counter(beat.type for beat in first)
    assert set(kinds) == {"match.start", "song", "kill", "death", "gift", "follow", "match.end"}
    assert kinds["kill"] > kinds["death"]


def test_a_count_is_set_and_a_failure_ordered_over_the_admin_address(members: MembersService) -> None:
    admin, channel = f"{members.admin_address}/admin", f"{members.address}/channels/mara_vane"
    assert httpx.get(admin, trust_env=False).json()["failing"] is None
    httpx.post(f"{admin}/value", json={"channel": "mara_vane", "members": 9999}, trust_env=False)
    assert httpx.get(channel, trust_env=False).json()["channel"]["members"] == 9999
    httpx.post(f"{admin}/fail", json={"how": "closed", "for_s": 60}, trust_env=False)
    with pytest.raises(httpx.ConnectError):
        httpx.get(channel, trust_env=False)
    httpx.post(f"{admin}/fail", json={"how": None}, trust_env=False)
    assert httpx.get(channel, trust_env=False).status_code == 200


@pytest.mark.parametrize(
    ("to", "wish"),
    [("value", {"channel": "nobody", "members": 1}), ("value", {"channel": "tuck"}), ("fail", {"how": "fire"})],
)
def test_a_wish_that_makes_no_sense_is_answered_with_what_would(
    members: MembersService, to: str, wish: dict[str, object]
) -> None:
    answer = httpx.post(f"{members.admin_address}/admin/{to}", json=wish, trust_env=False)
    assert answer.status_code == 422
    assert answer.json().keys() & {"known", "ways"}


def test_a_failure_ends_by_itself() -> None:
    now = [0.0]
    service = MembersService(clock=lambda: now[0])
    service.start()
    try:
        service.fail("500", for_s=5)
        address = f"{service.address}/channels/mara_vane"
        assert httpx.get(address, trust_env=False).status_code == 500
        now[0] = 5.1
        assert httpx.get(address, trust_env=False).status_code == 200
    finally:
        service.stop()


def test_the_demo_fills_an_empty_folder_once_and_then_only_points_it_at_its_services(tmp_path: Path) -> None:
    store, services = open_store(tmp_path), Services(tmp_path, 7, 1.0)
    services.members.start()
    seed_folder(store, services, wall_clock())
    seed_folder(store, services, wall_clock())
    rows = store.read(feeds.all_feeds)
    assert {row.kind for row in rows} == set(KINDS) - {"sse", "osc", "midi", "music_online", "music_file"}
    assert len({row.name for row in rows}) == len(rows) == 21
    assert str(rows[0].choices["address"]).startswith(services.members.address)
    assert [row.name for row in store.read(overlays.all_overlays)] == [
        "Cup evening",
        "Road to 2,000",
        "Cup score",
        "Between matches",
        "On the phone",
        "The match",
        "Song cards",
        "Break final",
        "Wheel of tea",
        "Sponsors",
        "The Lantern Mile",
    ]
    assert set(CHANNELS) >= {"mara_vane", "otto_knot"}
    services.members.stop()
    store.close()


def _played(seed: int, count: int) -> list[Told]:
    duels = Duels(seed)
    return [told for _ in range(count) for told in duels.match()]


def test_the_same_seed_plays_the_same_matches_and_tells_all_types_of_the_schema() -> None:
    assert _played(7, 12) == _played(7, 12)
    assert _played(7, 12) != _played(8, 12)
    known = {one.type for one in GAME_EVENTS}
    told = {one.type for one in _played(7, 40)}
    assert told == known - {"objective"}


def test_an_evening_has_a_crash_late_and_double_events_and_good_and_bad_runs() -> None:
    duels = Duels(7)
    matches = [list(duels.match()) for _ in range(60)]
    whole = [match for match in matches if match[-1].type == "match.end"]
    assert 0 < len(matches) - len(whole) < 20
    assert any(told.late_s for match in matches for told in match)
    assert any(told.again_s for match in matches for told in match)
    results = "".join(match[-1].data["result"][0] for match in whole)
    assert "www" in results
    assert "lll" in results
