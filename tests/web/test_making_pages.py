"""Pages on which things are made: computed signals, text files, recipes."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

import pytest

from tesoura.bundles.ready_made import ReadyMadeWords, definitions, files, with_needed
from tesoura.bundles.recipes import read
from tesoura.errors import RecipeRefused
from tesoura.links.registry import KINDS
from tesoura.outputs.text_files import replace_file, sweep
from tesoura.standins.members import MembersService
from tests.conftest import Running, until

SECRETS = {kind.name: [name for name, one in kind.fields.items() if one.kind == "secret"] for kind in KINDS.values()}


def refused(running: Running, to: str, typed: dict[str, Any]) -> str:
    answer = running.press("/", to, typed)
    assert answer.status_code == 422
    return answer.text.replace("&#39;", "'")


# Computed signals


def test_a_formula_is_seen_before_it_is_kept(running: Running) -> None:
    running.client.put("/api/signals/kills", json={"value": 14}, headers=running.auth)
    typed = {"name": "Half of it", "formula": "script.kills / 2", "unit": "cuts"}
    tried = running.press("/", "/signals/try/formula", typed).text
    assert "own.half_of_it" in tried
    assert ">7<" in tried
    running.do("computed.new?kind=formula", typed)
    assert running.signal("own.half_of_it")["value"] == 7.0
    running.client.put("/api/signals/kills", json={"value": 20}, headers=running.auth)
    assert running.signal("own.half_of_it")["value"] == 10.0
    wrong = running.press("/", "/signals/try/formula", {"name": "x", "formula": "script.kills /"}).text
    assert "the formula is incomplete" in wrong
    waits = running.press("/", "/signals/try/formula", {"name": "x", "formula": "script.nobody + 1"}).text
    assert "script.nobody has no value yet" in waits


def test_a_formula_that_would_read_itself_is_refused_with_the_way_it_goes(running: Running) -> None:
    for name, formula in (("a", "script.kills + 1"), ("b", "own.a * 2"), ("c", "own.b - 3")):
        running.do("computed.new?kind=formula", {"name": name, "formula": formula})
    words = refused(running, "/do/computed.change?computed=1&_then=/signals/", {"name": "a", "formula": "own.c + 1"})
    assert "It would depend on itself: own.a → own.c → own.b → own.a" in words
    assert "own.d → own.d" in refused(
        running, "/do/computed.new?kind=formula&_then=/signals/", {"name": "d", "formula": "own.d + 1"}
    )


@pytest.mark.parametrize(
    ("kind", "typed", "words"),
    [
        ("formula", {"name": "", "formula": "1"}, "Use lower case letters"),
        ("formula", {"name": "x", "formula": ""}, "the formula is empty"),
        ("window", {"name": "gift", "types": "gift", "stats": "count", "over": "today"}, "” is already in use"),
        ("window", {"name": "own", "types": "gift", "stats": "count", "over": "today"}, "” is already in use"),
        ("window", {"name": "w", "types": "", "stats": "count"}, "Choose an event type, such as gift"),
        ("window", {"name": "w", "types": "gift", "stats": ""}, "Tick at least one"),
        (
            "window",
            {"name": "w", "types": "gift", "stats": "count", "over": "minutes", "length": "0"},
            "is out of range",
        ),
        (
            "window",
            {"name": "w", "types": "gift", "stats": "count", "only_if": "gift.amount > 1"},
            "Write event.amount",
        ),
        ("chain", {"name": "c", "types": "gift", "within_s": "never"}, "is not a number"),
        ("goal", {"name": "g", "signal": "nobody", "start": "0", "target": "1"}, "Choose a signal"),
        ("goal", {"name": "g", "signal": "a.b", "start": "0", "target": "1", "by": "soon"}, "is not a date"),
    ],
)
def test_computed_signals_that_cannot_be(running: Running, kind: str, typed: dict[str, str], words: str) -> None:
    running.event(type="gift", data={"amount": 1})
    assert words in refused(running, f"/do/computed.new?kind={kind}&_then=/signals/", typed)
    assert running.client.get(f"/signals/new/{kind}").status_code == 200


def test_a_date_is_of_the_users_zone(running: Running) -> None:
    running.do("choose.calendar", {"zone": "Asia/Tokyo", "first_weekday": "0"})
    goal = {"name": "road", "signal": "script.members", "start": "0", "target": "9", "by": "2026-12-24T20:00"}
    running.do("computed.new?kind=goal", goal)
    running.client.put("/api/signals/members", json={"value": 1}, headers=running.auth)
    assert running.signal("road.by")["value"] == 1798110000  # 11:00 UTC
    assert 'value="2026-12-24T20:00"' in running.client.get("/signals/computed/1").text


# Text files


def test_a_text_file_is_replaced_whole_whenever_its_text_changes(running: Running) -> None:
    running.client.put("/api/signals/kills", json={"value": 1}, headers=running.auth)
    file = running.folder / "texts" / "kills.txt"
    typed = {
        "name": "kills",
        "wording": "{script.kills} cuts",
        "nothing_yet": "—",
        "when_down": "text",
        "down_text": "back soon",
        "newline": "yes",
    }
    running.do("file.new", typed)
    until(lambda: file.exists() and file.read_text() == "1 cuts\n")
    first = file.stat().st_ino
    running.client.put("/api/signals/kills", json={"value": 2}, headers=running.auth)
    until(lambda: file.read_text() == "2 cuts\n")
    assert file.stat().st_ino != first
    page = running.client.get("/files/").text
    assert f'data-copy="{file}"' in page
    assert re.search(r"\d\d:\d\d:\d\d", page)
    running.do("file.change?file=1", {**typed, "wording": "{script.kills:ordinal}"})
    assert "” is not a format" in running.do("file.change?file=1", {**typed, "wording": "{script.kills:ordinal}"}).text
    running.do("file.remove?file=1")
    running.client.put("/api/signals/kills", json={"value": 3}, headers=running.auth)
    running.do("file.restore?file=1")
    until(lambda: file.read_text() == "3 cuts\n")
    running.stop()
    assert file.read_text() == "back soon\n"


def test_a_file_follows_its_choice_when_a_value_goes_down(running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    until(lambda: running.signal("reach.members").get("value") == 1284)
    for name, when in (("a.txt", "keep"), ("b.txt", "empty"), ("c.txt", "text")):
        running.do("file.new", {"name": name, "wording": "{reach.members:,}", "when_down": when, "down_text": "soon"})
    folder = running.folder / "texts"

    def texts() -> list[str]:
        return [path.read_text() for path in sorted(folder.glob("*.txt"))]

    until(lambda: texts() == ["1,284"] * 3)
    members.fail("500")
    until(lambda: texts() == ["1,284", "", "soon"])
    members.fail(None)
    running.do("feed.ask?feed=reach")
    until(lambda: texts() == ["1,284"] * 3)


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("", "Give the file a name"),
        ("../x.txt", "without folders"),
        ("a/b", "without folders"),
        ("con", "without folders"),
        (".hidden", "without folders"),
        ("x" * 101, "without folders"),
    ],
)
def test_names_of_files_that_cannot_be(running: Running, name: str, words: str) -> None:
    assert words in refused(running, "/do/file.new?_then=/files/", {"name": name, "wording": "x"})


def test_a_folder_that_cannot_be_written_says_so(running: Running, tmp_path: Path) -> None:
    (tmp_path / "taken").write_text("")
    page = running.do("file.folder", {"folder": str(tmp_path / "taken")}, follow_redirects=True).text
    assert "Nothing can be written there" in page
    assert "full path" in running.do("file.folder", {"folder": "texts"}, follow_redirects=True).text
    running.do("file.folder", {"folder": str(tmp_path / "new")})
    running.do("file.new", {"name": "a", "wording": "hello"})
    until(lambda: (tmp_path / "new" / "a.txt").exists())
    assert "There is a A.txt already" in refused(
        running, "/do/file.new?_then=/files/", {"name": "A.txt", "wording": "x"}
    )


def test_a_reader_never_sees_half_a_file(tmp_path: Path) -> None:
    path = tmp_path / "a.txt"
    replace_file(path, "old")
    with path.open() as reader:
        replace_file(path, "new" * 1000)
        assert reader.read() == "old"
    assert path.read_text() == "new" * 1000
    (tmp_path / ".tesoura-left").write_text("half")
    sweep(tmp_path)
    assert [one.name for one in tmp_path.iterdir()] == ["a.txt"]


def test_forty_ready_made_files_and_what_they_read() -> None:
    words = ReadyMadeWords(gift="tip", gift_amount="cents", unit="cents")
    known = definitions(words)
    made = files(words)
    assert len(made) >= 40
    assert len({one.file for one in made}) == len(made)
    assert {name for one in made for name in one.needs} <= set(known)
    assert known["gifts_today"][1]["types"] == ["tip"]
    assert with_needed({"gift_goal", "cut_chain"}, words) == ["gifts_session", "cut_chain", "gift_goal"]


def test_ready_made_files_show_what_they_would_say_and_are_made(running: Running) -> None:
    for name, amount in (("Ana", 5), ("Bolt", 9), ("Ana", 6)):
        running.event(type="gift", data={"name": name, "amount": amount})
    page = running.client.get("/files/ready").text
    assert "Ana · 11 spools" in page
    assert "Ana and Bolt" in page
    ticked = {"file": ["top_giver_all.txt", "gift_goal.txt"]}
    ticked["wording:top_giver_all.txt"] = ["{gifts_all.top_1_name} leads"]
    running.press("/", "/files/ready", ticked)
    folder = running.folder / "texts"
    until(
        lambda: (
            {one.name: one.read_text() for one in folder.glob("*.txt")}
            == {"top_giver_all.txt": "Ana leads", "gift_goal.txt": "20 of 100 spools"}
        )
    )
    assert "already exists" in running.client.get("/files/ready").text
    assert "Tick at least one" in running.press("/files/", "/files/ready", follow_redirects=True).text


def test_a_wording_shows_now_its_longest_and_nothing(running: Running) -> None:
    running.client.put("/api/signals/name", json={"value": "Ana"}, headers=running.auth)
    running.client.put("/api/signals/n", json={"value": 1284}, headers=running.auth)
    typed = {"wording": "{script.name}: {script.n:,}", "nothing_yet": "nobody yet"}
    says = re.findall(r'class="says">([^<]+)<', running.press("/", "/wordings/try", typed).text)
    assert says == ["Ana: 1,284", "Bartholomew Quillfeather: 128,400", "nobody yet"]
    assert "Did you mean script.name?" in running.press("/", "/wordings/try", {"wording": "{script.nam}"}).text
    assert "this brace is not closed" in running.press("/", "/wordings/try", {"wording": "{script.name"}).text


# Recipes

GOOD = """
version = 1
title = "Reach"
[feed]
kind = "http"
name = "reach"
[feed.choices]
address = "{address}"
key_in = "none"
period_s = 1
[[signal]]
name = "members"
path = "channel.members"
unit = "kite friends"
[[computed]]
kind = "formula"
name = "double"
formula = "reach.members * 2"
[[event]]
type = "tag"
items = "channel.tags"
"""


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("version = 1", "version = 2"), "for a newer Tesoura (version 2"),
        (("version = 1", ""), "This is not a recipe:"),
        (('kind = "http"\nname', 'kind = "telepathy"\nname'), "unknown kind of feed: “telepathy”"),
        (('key_in = "none"', 'key = "paper-kite-4711"'), "It contains a secret at “feed.choices.key”"),
        (('title = "Reach"', 'title = "x"\napi_token = "abc"'), "a secret at “api_token”"),
        (('unit = "kite friends"', 'unit = "Bearer abcdefghijklmnop"'), "a secret at “signal.unit”"),
        (('unit = "kite friends"', 'unit = "whsec_abcdefghijklmnopqrstuv"'), "It contains a secret at “"),
        (("[feed]", "[feed"), "Not valid TOML"),
        (('name = "reach"', 'name = "Re ach"'), "” is not valid:"),
        (('path = "channel.members"', ""), "A signal needs a lower-case name and a path; “"),
        (("[[signal]]", "[signal]"), "must be a list"),
        (('title = "Reach"', "title = '" + "x" * 60_000 + "'"), "too long for a recipe"),
    ],
)
def test_recipes_that_are_refused(change: tuple[str, str], words: str) -> None:
    assert change[0] in GOOD
    with pytest.raises(RecipeRefused) as caught:
        read(GOOD.replace(*change, 1), SECRETS)
    assert words in str(caught.value)


def test_a_recipe_shows_what_it_will_do_and_then_does_it(running: Running, members: MembersService) -> None:
    running.press(
        "/", "/feeds/new/hand", {"title": "Reach", "what": "number", "start": "0", "step": "1", "low": "0", "high": "9"}
    )
    text = GOOD.replace("{address}", f"{members.address}/channels/mara_vane")
    preview = running.press("/", "/recipes/", {"text": text}).text
    for words in ("<b>reach_2</b>", "reach_2.members", "double", "<b>tag</b>", "Nothing to enter"):
        assert words in preview
    made = running.press("/", "/recipes/use", {"recipe": text})
    assert made.headers["location"] == "/feeds/reach_2"
    until(lambda: running.signal("own.double").get("value") == 2568)
    exported = running.client.get("/recipes/of/reach_2").text
    document = tomllib.loads(exported)
    assert document["signal"] == [
        {"name": "members", "path": "channel.members", "unit": "kite friends", "wanted": "number"}
    ]
    assert document["event"][0]["items"] == "channel.tags"
    assert read(exported, SECRETS).choices["address"].startswith(members.address)


def test_a_feeds_key_is_in_no_recipe(running: Running, members: MembersService) -> None:
    typed = {
        "title": "Exact",
        "address": f"{members.address}/channels/mara_vane/exact",
        "key_in": "header",
        "key_name": "X-Key",
        "key": "paper-kite-4711",
        "form": "json",
        "period_s": "5",
    }
    running.press("/", "/feeds/new/http", typed)
    exported = running.client.get("/recipes/of/exact").text
    assert "paper-kite" not in exported
    assert 'key_name = "X-Key"' in exported
    asks = running.press("/", "/recipes/", {"text": exported}).text
    assert 'name="key"' in asks
    assert "Paste the key here" in running.press("/", "/recipes/use", {"recipe": exported}).text


def test_a_key_in_the_wrong_field_leaves_in_no_recipe(running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane?api_key=paper4711kite", "reach")
    before = running.client.get("/recipes/of/reach")
    assert before.headers["cache-control"] == "no-store"
    assert "?api_key=••••••••" in before.text
    assert "It contains a key, so it is left out." in before.text
    assert "paper4711kite" not in before.text
    for kept in ({}, {"keep": "feed.choices.address"}):
        document = tomllib.loads(running.press("/", "/recipes/of/reach", kept).text)
        assert document["feed"]["choices"]["address"] == f"{members.address}/channels/mara_vane?api_key=PUT-YOURS-HERE"
        assert document["feed"]["ask"] == {"address": "Address, with your own in place of PUT-YOURS-HERE"}
    recipe = running.press("/", "/recipes/of/reach", {}).text
    assert "with your own in place of PUT-YOURS-HERE" in running.press("/", "/recipes/", {"text": recipe}).text
    assert "Replace PUT-YOURS-HERE with your own" in refused(running, "/recipes/use", {"recipe": recipe})
    answered = {"recipe": recipe, "address": f"{members.address}/channels/mara_vane"}
    assert running.press("/", "/recipes/use", answered).headers["location"] == "/feeds/reach_2"


def test_what_may_be_private_is_asked_about_and_left_out_unless_it_may_leave(running: Running, tmp_path: Path) -> None:
    path = tmp_path / "match.json"
    path.write_text('{"kills": 3}')
    typed = {"title": "Match", "path": str(path), "name_folder": str(tmp_path), "keep_anyway": "yes"}
    running.press("/", "/feeds/new/file", typed)
    before = running.client.get("/recipes/of/match").text
    assert ">••••••••/match.json<" in before
    left = tomllib.loads(running.press("/", "/recipes/of/match", {}).text)
    assert "path" not in left["feed"]["choices"]
    assert left["feed"]["ask"] == {"path": "File"}
    kept = tomllib.loads(running.press("/", "/recipes/of/match", {"keep": "feed.choices.path"}).text)
    assert kept["feed"]["choices"]["path"] == str(path)
    assert "ask" not in kept["feed"]


def test_another_feeds_key_is_found_wherever_it_was_pasted(running: Running, members: MembersService) -> None:
    typed = {
        "title": "Exact",
        "address": f"{members.address}/channels/mara_vane/exact",
        "key_in": "header",
        "key_name": "X-Key",
        "key": "paper-kite-of-mara",
        "form": "json",
        "period_s": "5",
        "keep_anyway": "yes",
    }
    running.press("/", "/feeds/new/http", typed)
    words = {"title": "Disk", "program": "disk.py", "words": "--open paper-kite-of-mara", "keep_anyway": "yes"}
    running.press("/", "/feeds/new/script", words)
    assert "paper-kite-of-mara" not in running.press("/", "/recipes/of/disk", {"keep": "feed.choices.words"}).text


def test_private_choices_are_covered_on_their_page(running: Running, members: MembersService) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane?api_key=paper4711kite", "reach")
    page = running.client.get("/feeds/reach/setup").text
    assert re.search(r'<input class="form-control is-private"\s+id="c-address"', page)
    assert "Hidden until you click it." in page
    assert "is-private" not in running.client.get("/feeds/new/http").text


def test_a_key_that_a_service_says_back_is_not_on_its_page(running: Running, members: MembersService) -> None:
    members.fail("echo")
    typed = {
        "title": "Exact",
        "address": f"{members.address}/channels/mara_vane/exact",
        "key_in": "query",
        "key_name": "key",
        "key": "paper-kite-4711",
        "form": "json",
        "period_s": "1",
    }
    running.press("/", "/feeds/new/http", typed)
    page = until(lambda: "exact.asked" in (text := running.client.get("/feeds/exact").text) and text)
    assert "paper-kite-4711" not in page
    assert "?key=••••••••" in page


def test_the_recipes_that_ship_can_all_be_used(running: Running) -> None:
    names = re.findall(r'href="/recipes/(\w+)"', running.client.get("/recipes/").text)
    assert len(set(names)) >= 12
    given = {
        "address": "http://127.0.0.1:1/x",
        "path": "/tmp/x.json",
        "where": "/tmp/x.ics",
        "client_id": "x",
        "host": "127.0.0.1",
        "topic": "music/now",
        "words": "/tmp",
        "selector": "b",
        "secret": "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw",
    }
    for name in names:
        page = running.client.get(f"/recipes/{name}").text
        text = re.search(r'name="recipe" value="([^"]*)"', page)
        assert text
        import html

        wish = {"recipe": html.unescape(text[1]), **given}
        if name == "score_socket":
            wish["address"] = "ws://127.0.0.1:1/x"
        assert running.press("/", "/recipes/use", wish).status_code in (302, 307), name
