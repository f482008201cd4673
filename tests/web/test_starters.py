"""Starters and recipes: every one that ships makes what it says, is taken back whole, and tells what is wrong."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
from collections.abc import Iterator
from datetime import UTC
from importlib import resources
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, urlsplit

import pytest
from sqlmodel import select

from tesoura.actions.recipes import read_recipe, recipe_asks, shipped_recipes
from tesoura.actions.starters import checked, read_starter, way_fields
from tesoura.bundles.starters import StarterWay, with_answers, with_names
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.core.signals.payload import TreeNode
from tesoura.errors import InvalidPiece, RecipeRefused
from tesoura.runtime.facade import Runtime
from tesoura.standins.practice import Practice
from tesoura.store import computed as stored_computed
from tesoura.store import feeds as stored_feeds
from tesoura.store import overlays as stored_overlays
from tesoura.store.tables import ChoiceRow
from tesoura.studio.samples import sample_of
from tesoura.web.begin.views import _likely, shipped_starters
from tests.conftest import Running, flat, until

STARTERS = {one.key: one for one in shipped_starters()}
WITHOUT_OUTSIDE = {
    "starting_soon": (0, {}),
    "givers": (0, {}),
    "gift_word": (2, {}),
    "game": (1, {"game-player": "mara_vane"}),
    "match": (0, {}),
    "wheel": (0, {}),
    "run": (0, {}),
    "sponsor": (0, {}),
    "text_files": (0, {}),
    "webhook": (0, {}),
    "song": (4, {}),
    "count": (3, {"way3-start": "7"}),
    "goal": (2, {"way2-start": "7"}),
}
"""A way of each starter that needs nothing outside, and what is answered beside what it begins with."""


@pytest.fixture(scope="module")
def lasting(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    """One server for several tests, each of which leaves it as it was or counts what it adds."""
    made = Running(tmp_path_factory.mktemp("lasting") / "data")
    yield made
    made.stop()


def make(running: Running, key: str, way: int, **answers: str) -> Any:
    """Press “Make it” on a starter's page."""
    given = {"starter": STARTERS[key].text, "key": key, "way": str(way), **answers}
    return running.press(f"/begin/{key}", "/begin/use", given)


def there(running: Running) -> tuple[list[str], list[str], list[str]]:
    """The feeds, what is computed with the instruments, and the overlays, by name."""

    def ask(session: Any) -> tuple[list[str], list[str], list[str]]:
        return (
            [one.name for one in stored_feeds.all_feeds(session)],
            [one.name for one in stored_computed.all_computed(session)],
            [one.name for one in stored_overlays.all_overlays(session)],
        )

    return running.runtime.store.read(ask)


def left(running: Running) -> list[list[str]]:
    """What else there may be: signals, choices, and text files with their folder."""
    signals = sorted(one.name for one in running.runtime.call(Runtime.signals))
    choices = running.runtime.store.read(lambda session: sorted(one.name for one in session.exec(select(ChoiceRow))))
    texts = running.folder / "texts"
    return [
        signals,
        [one for one in choices if one != "desk_leaves"],
        sorted(map(str, (texts, *texts.rglob("*")))) if texts.exists() else [],
    ]


def settled(running: Running) -> None:
    """Wait for all that is told and written beside the press that led to it."""
    running.runtime.call(lambda self: self.instruments.log_fired())
    files = [one.path for one in running.runtime.call(lambda self: self.text_files.reports())]
    until(lambda: all(one is not None and one.exists() for one in files))


@pytest.mark.parametrize("key", WITHOUT_OUTSIDE)
def test_every_starter_is_made_and_taken_back_and_brought_back_whole(lasting: Running, key: str) -> None:
    way, answers = WITHOUT_OUTSIDE[key]
    starter, before, clean = STARTERS[key].starter, there(lasting), left(lasting)
    made = make(lasting, key, way, **answers)
    assert made.status_code == 302, flat(made.text)[:600]
    where = made.headers["location"]
    settled(lasting)
    assert f"{starter.title} is ready" in flat(lasting.client.get(where).text).replace("&#39;", "'")
    after, whole = there(lasting), left(lasting)
    assert len(after[1]) - len(before[1]) == len(starter.computed) + len(starter.instruments)
    assert set(after[2]) - set(before[2]) == ({starter.overlay.name} if starter.overlay else set())
    told = parse_qs(urlsplit(where).query)
    if starter.overlay:
        mat = flat(lasting.client.get(f"/overlays/{told['overlay'][0]}").text)
        assert "Everything fits" in mat, re.findall(r'class="pick-finding".{300}', mat)
        waits = re.findall(r"data-pick=\"\w+\">[^<]+</button><span>([^<]+)", mat)
        assert waits in ([], ["appears when gift happens, which hasn't happened yet."] if key == "gift_word" else [])

    lasting.press(where, "/begin/take-back", {"steps": told["steps"][0]})
    assert (there(lasting), left(lasting)) == (before, clean)
    assert not any(one.buttons for one in lasting.runtime.leaves.present.leaves)
    back = re.search(r'action="(/begin/take-back\?[^"]+)"', lasting.client.get("/begin/").text)
    assert back is not None
    lasting.press("/begin/", back[1].replace("&amp;", "&"))
    settled(lasting)
    assert (there(lasting), left(lasting)) == (after, whole)
    lasting.press("/begin/", "/begin/take-back", {"steps": told["steps"][0]})
    assert (there(lasting), left(lasting)) == (before, clean)


def test_a_count_of_the_practice_service_is_proven_made_and_said_to_be_practice(with_practice: Running) -> None:
    given = {"starter": STARTERS["count"].text, "key": "count", "way": "0", "practice": "members"}
    asked = with_practice.press("/begin/count", "/begin/use", given)
    address = re.search(r'value="(http://127\.0\.0\.1:\d+/channels/mara_vane)"', asked.text)
    assert address is not None
    made = make(with_practice, "count", 0, **{"way0-address": address[1], "ask-unit": "kite friends"})
    assert made.status_code == 302
    page = flat(with_practice.client.get(made.headers["location"]).text)
    assert "reach.members" in page
    assert "kite friends" in page
    needs = flat(with_practice.client.get("/?desk").text)
    assert "Reach uses the practice service, so its data is made up." in needs


def test_a_rating_of_the_practice_service_keeps_its_key_out_of_the_page(with_practice: Running) -> None:
    given = {"starter": STARTERS["rating"].text, "key": "rating", "way": "0", "practice": "ratings"}
    asked = with_practice.press("/begin/rating", "/begin/use", given)
    assert "string-theory-22" not in asked.text
    sealed = re.search(r'name="sealed" value="([^"]+)"', asked.text)
    address = re.search(r'value="(http://127\.0\.0\.1:\d+)"', asked.text)
    assert sealed is not None
    assert address is not None
    answers = {"way0-address": address[1], "way0-player": "mara_vane", "way0-key_in": "header", "sealed": sealed[1]}
    made = make(with_practice, "rating", 0, **answers)
    assert made.status_code == 302, flat(made.text)[:600]
    assert with_practice.signal("ranked.rating")["value"] == 1412


def test_what_came_is_asked_about_where_the_value_is_not_in_its_place(running: Running, members: Any) -> None:
    members.freeze()
    address = {"way0-address": f"{members.address}/channels?name=otto_knot"}
    asked = make(running, "count", 0, **address)
    assert "Which value do you want?" in asked.text
    assert re.findall(r'name="pick"\s+value="([^"]+)"( checked)?', asked.text) == [
        ("found", ""),
        ("channels[0].members", " checked"),
        ("channels[0].viewers", ""),
    ]
    made = make(running, "count", 0, **address, pick="channels[0].viewers")
    assert made.status_code == 302
    assert (
        running.signal("reach.members")["value"]
        == running.client.get(address["way0-address"]).json()["channels"][0]["viewers"]
    )


def test_a_starter_whose_service_does_not_answer_says_so_and_can_be_made_all_the_same(running: Running) -> None:
    address = {"way0-address": "http://127.0.0.1:9/none"}
    asked = make(running, "count", 0, **address)
    assert asked.status_code == 422
    assert "No answer." in flat(asked.text)
    assert there(running) == ([], [], [])
    assert make(running, "count", 0, **address, keep_anyway="yes").status_code == 302
    assert there(running)[0] == ["reach"]


def test_answers_that_are_wrong_are_named_and_nothing_is_made(running: Running) -> None:
    asked = make(running, "wheel", 0, **{"ask-fields": "only one"})
    assert "Give at least 2, one a line." in flat(asked.text)
    asked = make(running, "goal", 2, **{"ask-target": "plenty", "way2-start": "0"})
    assert asked.status_code == 422
    asked = make(running, "count", 1)
    assert "Choose the value that it shows." in flat(asked.text)
    asked = make(running, "starting_soon", 0, **{"starting_soon-length": "soon"})
    assert asked.status_code == 422
    assert 'value="soon"' in asked.text
    assert there(running) == ([], [], [])


def test_two_of_the_same_starter_stand_beside_each_other(running: Running) -> None:
    make(running, "match", 0, **{"ask-home": "Team Gale"})
    make(running, "match", 0, **{"ask-home": "Team Keel", "ask-away": "Team Bobbin"})
    _, instruments, overlays = there(running)
    assert instruments == ["the_match", "the_match_2"]
    assert overlays == ["The match", "The match 2"]
    assert running.signal("the_match_2.home_name")["value"] == "Team Keel"


def test_a_value_that_comes_already_is_taken_where_the_starter_would_have_its_own(running: Running) -> None:
    running.event(type="gift", data={"amount": 5})
    made = make(running, "count", 1, signal="gift.amount", **{"ask-unit": "spools"})
    assert made.status_code == 302
    overlay = running.runtime.store.read(
        lambda session: stored_overlays.draft_of(session, stored_overlays.all_overlays(session)[0])
    )
    assert overlay.pieces[0]["wording"] == "{gift.amount:,} spools"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("version = 3\n", "newer Tesoura"),
        ("nothing", "TOML"),
        ('version = 2\n[[feed]]\nkind = "teapot"\n', "It's for an unknown kind of feed:"),
        (
            'version = 2\n[[feed]]\nkind = "http"\n[feed.choices]\nkey = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"\n',
            "secret",
        ),
        ('version = 2\n[[instrument]]\nkind = "teapot"\n', "no kind of instrument"),
        ('version = 2\n[[instrument]]\nkind = "countdown"\n[instrument.choices]\nlenght = "5 min"\n', "no choice"),
        ('version = 2\n[overlay]\n[[overlay.piece]]\nkind = "teapot"\n', "no kind of piece"),
        ('version = 2\n[[computed]]\nkind = "teapot"\nname = "x"\n', "no kind of computed signal"),
        ('version = 2\n[[file]]\nname = {answer = "who"}\n', "”, which is not one of its questions"),
        ('version = 2\nplace = "first"\n', "“place” must be a whole number"),
        ('version = 2\n[[ask]]\nname = "who"\nleast = [1]\n', "“least” must be a whole number"),
        ('version = 2\n[overlay]\nwidth_px = "wide"\n', "“width_px” must be a whole number"),
        ("version = 2\n[leaf]\nbuttons_of = 3\n", "“buttons_of” must be a list"),
        ('version = 2\n[[computed]]\nkind = ["rate"]\n', "no kind of computed signal"),
    ],
)
def test_a_starter_that_cannot_be_used_says_why(text: str, words: str) -> None:
    with pytest.raises(RecipeRefused, match=words):
        read_starter(text)


@pytest.mark.parametrize("way", ["²", "-1", "9" * 5_000, "x", ""])
def test_a_way_that_there_is_not_is_the_first(lasting: Running, way: str) -> None:
    text = STARTERS["starting_soon"].text
    asked = lasting.press(
        "/begin/starting_soon", "/begin/use", {"starter": text, "way": way, "starting_soon-length": "soon"}
    )
    assert asked.status_code == 422
    assert "soon" in asked.text


def test_the_likely_number_is_the_one_called_so_or_else_the_largest() -> None:
    way = StarterWay("", pick="members")
    numbers = [
        TreeNode("a", "a", "number", "1e-7"),
        TreeNode("b", "b", "text", "'1,284'"),
        TreeNode("c", "c", "number", "9"),
    ]
    assert _likely(way, numbers) == "b"
    assert _likely(way, [*numbers, TreeNode("members", "x.members", "number", "2")]) == "x.members"


def test_a_starter_that_fails_half_way_leaves_nothing_behind(running: Running) -> None:
    text = (
        'version = 2\ntitle = "Half"\n[[instrument]]\nkind = "countdown"\nchoices = {title = "Tea"}\n'
        '[overlay]\n[[overlay.piece]]\nkind = "text"\nsize_px = 100000\n'
    )
    answer = running.press("/begin/", "/begin/use", {"starter": text, "way": "0"})
    assert answer.status_code == 422
    assert "It couldn't be created, and nothing was changed:" in flat(answer.text)
    assert there(running) == ([], [], [])


def test_only_steps_of_a_starter_are_taken_back(running: Running) -> None:
    for steps in ('[["key.new", {"name": "x"}]]', "no", '[["feed.remove"]]'):
        running.press("/begin/", "/begin/take-back", {"steps": steps})
        assert "Tesoura no longer knows what was created." in flat(running.client.get("/begin/").text)


def test_a_starter_brought_in_from_elsewhere_is_looked_at_first(running: Running) -> None:
    page = running.press("/recipes/", "/recipes/", {"text": STARTERS["wheel"].text})
    assert "Fields, one per line" in page.text
    assert there(running) == ([], [], [])


# Words and names


def test_answers_stand_in_wordings_as_they_were_typed() -> None:
    answers = {"unit": "50 % {off}", "target": "2000"}
    assert with_answers({"answer": "unit"}, answers) == "50 % {off}"
    assert with_answers(["{a.b:,} ", {"answer": "unit"}], answers) == "{a.b:,} 50 % {{off}}"
    assert with_answers({"types": ["gift", "follow"], "high": {"answer": "target"}}, answers) == {
        "types": ["gift", "follow"],
        "high": "2000",
    }


def test_other_names_are_taken_where_names_stand_and_nowhere_else() -> None:
    names = {"song": "song_2", "reach.members": "gift.amount", "run": "the_lantern_mile"}
    assert with_names("{song.title} by the song. Run", names) == "{song_2.title} by the song. Run"
    assert with_names("song", names) == "song_2"
    assert with_names("{birdsong.title} {my.song.title}", names) == "{birdsong.title} {my.song.title}"
    assert with_names("{reach.members:,} {reach.members_2}", names) == "{gift.amount:,} {reach.members_2}"
    assert with_names({"kind": "run", "run": "run"}, names) == {"kind": "run", "run": "the_lantern_mile"}


def test_pictures_of_starters_are_drawn_from_their_made_up_evening() -> None:
    said = {
        key: [dict(step) for step in sample_of(one.starter, SHIPPED).steps]
        for key, one in STARTERS.items()
        if one.starter.overlay
    }
    assert [step["p0"] for step in said["count"]][-1] == "1,291 kite friends"
    assert [step["p1"] for step in said["count"]] == ["0 tonight", "0 tonight", "+1 tonight", "+7 tonight"]
    assert [said["givers"][-1][f"p0.{cell}"] for cell in ("name_2", "amount_2")] == ["seven_socks", "62"]
    assert [step["p1"] for step in said["starting_soon"]] == ["04:58", "04:57", "04:56", "04:55"]
    assert said["match"][-1]["p0.home_points"] == "4"
    assert len(json.loads(said["wheel"][0]["p0.face"])) == 6
    assert all(any(step.values()) for steps in said.values() for step in steps)


# Recipes


@pytest.mark.parametrize("recipe", shipped_recipes(), ids=lambda one: one.key)
def test_every_shipped_recipe_can_be_set_up_with_what_its_page_asks(lasting: Running, recipe: Any) -> None:
    running, before = lasting, len(there(lasting)[0])
    answers = {
        "address": "http://127.0.0.1:9/x",
        "client_id": "kite",
        "path": "/tmp/none.json",
        "selector": ".count",
        "where": "http://127.0.0.1:9/x.ics",
        "host": "127.0.0.1",
        "topic": "music/now",
        "words": "/",
    }
    if "socket" in recipe.key:
        answers["address"] = "ws://127.0.0.1:9/x"
    page = running.client.get(f"/recipes/{recipe.key}")
    asked = re.findall(r'name="(\w+)"', page.text)
    given = {name: answers[name] for name in answers if name in asked}
    done = running.press(f"/recipes/{recipe.key}", "/recipes/use", {"recipe": recipe.text, **given})
    assert done.status_code in (302, 307), flat(done.text)[:600]
    assert len(there(running)[0]) == before + 1


def test_a_saved_recipe_asks_for_the_key_that_it_does_not_hold() -> None:
    keyed = (
        'version = 1\ntitle = "Exact"\n[feed]\nkind = "http"\nname = "exact"\n[feed.choices]\n'
        'address = "http://127.0.0.1:9/x"\nkey_in = "header"\nkey_name = "X-Key"\n'
    )
    assert list(recipe_asks(read_recipe(keyed))) == ["key"]
    open_one = keyed.replace('key_in = "header"', 'key_in = "none"')
    assert list(recipe_asks(read_recipe(open_one))) == []


def test_a_starters_way_asks_for_the_key_of_a_choice_that_it_asks_for() -> None:
    asked = way_fields(STARTERS["rating"].starter, 0)
    assert list(asked) == ["way0-address", "way0-player", "way0-key_in", "way0-key"]
    assert asked["way0-key"].only_if is not None
    with pytest.raises(InvalidPiece) as error:
        checked(STARTERS["rating"].starter, 0, {"way0-address": "is not an address", "way0-player": "x"}, UTC)
    assert list(error.value.wrong) == ["way0-address"]


# Sending, signed


@pytest.mark.parametrize("name", ["send.py", "send.sh"])
def test_the_lines_to_copy_send_a_message_that_is_taken(running: Running, name: str) -> None:
    if name == "send.sh" and not (shutil.which("openssl") and shutil.which("curl")):
        pytest.skip("openssl and curl are not here")
    make(running, "givers", 0)
    page = running.client.get("/feeds/gifts").text
    address = re.search(r'data-copy="(http[^"]+/in/[^"]+)"', page)
    assert address is not None
    shown = running.press("/feeds/gifts", "/feeds/gifts/secret/secret", {"show": "yes"})
    secret = re.search(r"whsec_[A-Za-z0-9+/=]+", shown.text)
    assert secret is not None
    lines = resources.files("tesoura").joinpath("bundles", "examples", "sending", name).read_text("utf-8")
    told = {**os.environ, "TESOURA_ADDRESS": address[1], "TESOURA_SECRET": secret[0]}
    program = [sys.executable, "-c", lines] if name.endswith(".py") else ["bash", "-c", lines]
    sent = subprocess.run(program, env=told, capture_output=True, text=True, timeout=60, check=False)
    assert sent.stdout.strip().endswith(("200", "202", "204")), sent.stderr
    assert running.signal("gift.amount")["value"] == 12


def test_the_practice_service_answers_at_the_same_address_after_a_restart(tmp_path: Path) -> None:
    first = Practice(tmp_path)
    told = first.start("members")
    assert first.start("members") == told
    first.stop()
    second = Practice(tmp_path)
    second.resume()
    assert second.addresses() == (told["address"].removesuffix("/channels/mara_vane"),)
    second.stop()
    with pytest.raises(LookupError):
        second.start("teapot")


# What is tried before it is kept


def test_a_pattern_is_tried_on_the_last_twenty_lines_before_anything_is_kept(running: Running, tmp_path: Path) -> None:
    log = tmp_path / "match.log"
    log.write_text("".join(f"pip cut otto{at}\n" for at in range(21)) + "a word\n")
    given = {"path": str(log), "pattern": r"(?P<actor>\w+) cut (?P<target>\w+)"}
    refused = running.press("/feeds/new/follow", "/feeds/try-pattern", given)
    assert "folder" in flat(refused.text)
    running.press("/feeds/new/follow", "/feeds/new/follow", {**given, "type": "kill", "name_folder": str(tmp_path)})
    told = flat(running.press("/feeds/new/follow", "/feeds/try-pattern", given).text)
    assert "<b>19 of its last 20 lines</b> fit." in told
    assert "otto1<" not in told
    assert "actor <b>pip</b>, target <b>otto2</b>" in told
    assert '<code>a word</code><span class="soft">doesn\'t match' in told
    wrong = running.press("/feeds/new/follow", "/feeds/try-pattern", {**given, "pattern": "("})
    assert "The pattern is invalid at column" in flat(wrong.text)


def test_the_scripts_folder_is_told_to_be_copied(running: Running) -> None:
    page = running.client.get("/feeds/new/script").text
    assert f'data-copy="{running.folder / "scripts"}"' in page


def test_names_that_are_suggested_can_be_names(running: Running, members: Any) -> None:
    assert "statistics_service.members" in running.client.get("/feeds/new/player").text
    given = {"address": f"{members.address}/channels/mara_vane", "form": "json", "key_in": "none", "period_s": "60"}
    made = running.press("/feeds/new/http", "/feeds/new/http", given)
    assert made.headers["location"] == "/feeds/feed"


def test_a_service_is_quoted_when_it_refuses() -> None:
    from tesoura.feeds.own_words import own_words

    assert (
        own_words(b'{"error": {"message": "This key ended on 3 March."}}') == " Message: “This key ended on 3 March.”"
    )
    assert own_words(b'{"error": "invalid", "message": "Wrong  key\\n"}') == " Message: “Wrong key”"
    assert own_words(b"Not with this key.") == " Message: “Not with this key.”"
    assert (
        own_words(b"<html><h1>401</h1>") == own_words(b"") == own_words(b"[1, 2]") == own_words(b"\xff\x00\n\n") == ""
    )


def test_what_has_come_is_looked_for_while_nothing_has(running: Running) -> None:
    make(running, "webhook", 0)
    assert 'hx-trigger="every 2s"' in running.client.get("/feeds/told/tree").text


def test_an_overlay_from_elsewhere_is_brought_in_with_what_it_lacks_named(running: Running, tmp_path: Path) -> None:
    make(running, "starting_soon", 0)
    make(running, "count", 3, **{"way3-start": "7"})
    files = [running.client.get(f"/overlays/{at}/export").content for at in (1, 2)]
    other = Running(tmp_path / "other")
    try:
        token = re.search(r'<meta name="csrf" content="([^"]+)"', other.client.get("/").text)
        assert token
        for data in files:
            sent = {"csrf_token": token[1]}
            assert other.client.post("/overlays/import", data=sent, files={"file": ("x.zip", data)}).status_code == 302
        told = flat(other.client.get("/overlays/").text)
        assert "draws starting_soon, which doesn't exist." in told
        assert "“Count” reads reach.members, which has no value yet." in told
    finally:
        other.stop()


# Saved from what is there


@pytest.mark.parametrize("key", ["wheel", "run", "starting_soon", "givers", "count", "match"])
def test_an_overlay_saved_as_a_starter_makes_the_same_again(running: Running, tmp_path: Path, key: str) -> None:
    way, answers = WITHOUT_OUTSIDE[key]
    make(running, key, way, **answers)
    text = running.client.get("/begin/of/1.toml").text
    assert "whsec_" not in text
    before = there(running)
    other = Running(tmp_path / "other")
    try:
        page = other.press("/recipes/", "/recipes/", {"text": text})
        given = dict(re.findall(r'name="(way0-\w+)"[^>]* value="([^"]*)"', page.text))
        made = other.press("/begin/", "/begin/use", {"starter": text, "way": "0", **given})
        assert made.status_code == 302, flat(made.text)[-1500:]
        assert there(other) == before
        mat = flat(other.client.get("/overlays/1").text)
        assert "Everything fits" in mat
    finally:
        other.stop()


def test_an_overlay_of_two_feeds_is_saved_with_the_whole_show(running: Running, members: Any) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    running.add_feed(f"{members.address}/channels/otto_knot", name="rival")
    running.add_overlay("{reach.members} : {rival.members}")
    answer = running.client.get("/begin/of/1.toml")
    assert answer.headers["location"] == "/show/"
    assert "reads 2: Reach, Rival." in flat(running.client.get("/show/").text)


def test_a_starter_used_again_finds_other_names_for_files_and_leaves(running: Running) -> None:
    for _ in range(7):
        assert make(running, "run", 0).status_code == 302
    assert [one.name for one in running.runtime.leaves.present.leaves] == ["Run", "Run 2"]
    make(running, "text_files", 0)
    made = make(running, "text_files", 0, **{"ask-unit": "paper \n kites"})
    page = flat(running.client.get(made.headers["location"]).text)
    assert "latest_gift_2.txt" in page
    files = running.client.get("/files/").text
    assert "0 paper kites" in files
