"""The studio's pages and doors: edits from two windows, files, looks, versions, links, overlays as files."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Callable
from typing import Any

import httpx
import pytest
from sqlalchemy import text as sql
from websockets.sync.client import connect

from tests.conftest import Running, flat, until
from tests.uploads.test_uploads import png, typeface

CHANGE = {"do": "change", "pieces": ["text"]}


def state(running: Running, **query: Any) -> dict[str, Any]:
    return dict(running.client.get("/overlays/1/state", params=query).json())


def post(running: Running, path: str, body: Any) -> httpx.Response:
    token = re.search(r'<meta name="csrf" content="([^"]+)"', running.client.get("/").text)
    assert token
    return running.client.post(path, json=body, headers={"X-CSRFToken": token[1]})


def upload(running: Running, path: str, data: bytes, name: str = "kite.png") -> httpx.Response:
    token = re.search(r'<meta name="csrf" content="([^"]+)"', running.client.get("/").text)
    assert token
    return running.client.post(
        path, files={"file": (name, data)}, headers={"X-CSRFToken": token[1]}, follow_redirects=True
    )


# Edits


def test_an_edit_is_kept_taken_back_and_made_again(running: Running) -> None:
    running.add_overlay("hello", size_px=64)
    done = running.edit(1, {**CHANGE, "set": {"size_px": 80}}).json()
    assert (done["undo"], "--size:80px" in done["stage"]) == ("“Text”: size", True)
    back = post(running, "/overlays/1/undo", {"window": "tests"}).json()
    assert ("--size:64px" in back["stage"], back["redo"], back["said"]) == (
        True,
        "“Text”: size",
        "Undone: “Text”: size",
    )
    assert "--size:80px" in post(running, "/overlays/1/redo", {}).json()["stage"]
    assert post(running, "/overlays/1/redo", {}).json()["said"] == "Nothing to redo."


def test_two_windows_editing_different_things_both_keep_theirs(running: Running) -> None:
    running.add_overlay("hello", size_px=64)
    seen = state(running)["rev"]
    running.edit(1, {**CHANGE, "set": {"x": 300}}, window="one", seen=seen)
    answer = running.edit(1, {**CHANGE, "set": {"size_px": 70}}, window="two", seen=seen).json()
    assert answer["told"] == []
    assert (answer["boxes"]["text"]["held"][0], answer["boxes"]["text"]["size"][2]) == (300, 70)


def test_two_windows_editing_the_same_thing_are_told(running: Running) -> None:
    running.add_overlay("hello", size_px=64)
    seen = state(running)["rev"]
    running.edit(1, {**CHANGE, "set": {"x": 300}}, window="one", seen=seen)
    answer = running.edit(1, {**CHANGE, "set": {"x": 400}}, window="two", seen=seen).json()
    assert answer["told"] == ["Changed in another window: “Text”: across. Your change is kept; Undo restores theirs."]
    assert post(running, "/overlays/1/undo", {}).json()["boxes"]["text"]["held"][0] == 300


def test_a_piece_that_another_window_took_away_is_told_and_nothing_breaks(running: Running) -> None:
    running.add_overlay("hello")
    running.edit(1, {"do": "remove", "pieces": ["text"]}, window="one")
    answer = running.edit(1, {**CHANGE, "set": {"x": 1}}, window="two")
    assert (answer.status_code, answer.json()["told"]) == (
        409,
        ["A piece was deleted in the meantime, perhaps in another window. Undo restores it."],
    )


@pytest.mark.parametrize(
    "body", [None, [], {"edits": []}, {"edits": "x"}, {"edits": [1]}, {"edits": [{"do": "add", "kind": "text"}] * 51}]
)
def test_what_is_not_sent_by_the_mat_changes_nothing(running: Running, body: Any) -> None:
    running.add_overlay("hello")
    assert post(running, "/overlays/1/edits", body).status_code == 400
    assert state(running)["rev"] == 0


@pytest.mark.parametrize(("width", "height"), [(0, 1080), (40_000, 96), ("x", 9)])
def test_an_impossible_size_is_refused_with_what_fits(running: Running, width: Any, height: Any) -> None:
    running.add_overlay("hello")
    answer = running.edit(1, {"do": "size", "width_px": width, "height_px": height})
    assert (answer.status_code, state(running)["width"]) == (422, 1920)
    assert answer.json()["wrong"]["size"]


def test_a_finding_is_mended_by_its_edit_and_undo_takes_that_back(running: Running) -> None:
    running.add_overlay("hello", x=1880)
    found = state(running)["findings"]
    [edit] = re.findall(r"data-edit='([^']+)'", found)
    mended = running.edit(1, json.loads(edit.replace("&#34;", '"'))).json()
    assert "Everything fits" in mended["findings"]
    assert "extends" in post(running, "/overlays/1/undo", {}).json()["findings"]


def test_a_signal_that_was_deleted_is_a_finding_and_one_never_heard_of_a_note(running: Running) -> None:
    running.add_feed("http://127.0.0.1:9/x")
    running.add_overlay("{reach.gone} {kill.target}")
    answer = state(running, chosen="text")
    assert "reads reach.gone, which no longer exists" in answer["findings"]
    assert "kill.target, and" not in answer["findings"]
    assert "there is no signal kill.target" in answer["choices"]


def test_pieces_are_shown_with_live_longest_empty_and_made_up_values(running: Running) -> None:
    running.add_overlay("{kill.n:,} by {kill.target}", nothing_yet="nobody yet", when_down="nothing_yet")
    running.event(type="kill", data={"n": 12, "target": "tuck"})
    says = until(lambda: (found := state(running)["sights"]["text"])["live"][""] == "12 by tuck" and found)
    assert says["longest"][""] == "1,200 by Bartholomew Quillfeather"
    assert says["empty"][""] == says["down"][""] == "nobody yet"
    assert re.fullmatch(r"[\d,]+ by [a-z_]+", says["made_up"][""])
    assert ">1,200 by Bartholomew Quillfeather</span>" in state(running, **{"with": "longest"})["stage"]


# What is on air


def page(running: Running, token: str, **query: str) -> str:
    return running.client.get(f"/o/{token}", params=query).text


def test_what_does_not_fit_is_told_before_it_goes_on_air(running: Running) -> None:
    token = running.add_overlay("hello", x=300, y=300)
    running.edit(1, {**CHANGE, "set": {"x": 5000}})
    told = running.press("/overlays/1", "/overlays/1/publish")
    assert (told.status_code, "extends" in told.text, "Put on air anyway" in flat(told.text)) == (200, True, True)
    assert "left:300px" in page(running, token)
    running.press("/overlays/1", "/overlays/1/publish", {"anyway": "yes"})
    assert "left:5000px" in page(running, token)


def test_one_change_is_sent_straight_and_the_draft_waits(running: Running) -> None:
    token = running.add_overlay("hello", x=300)
    running.edit(1, {**CHANGE, "set": {"x": 400, "colour": "#FF0000"}})
    running.do("overlay.send?overlay=1", {"piece": "text", "field": "colour"})
    on_air = page(running, token)
    assert ("--colour:#FF0000" in on_air, "left:300px" in on_air) == (True, True)
    compared = running.client.get("/overlays/1/versions").text
    differs = re.findall(r"Differences.*?</ul>", compared, re.DOTALL)[0]
    assert ("across 300 → 400 px" in differs, "colour" in differs) == (True, False)
    again = running.do("overlay.send?overlay=1", {"piece": "text", "field": "colour"}, follow_redirects=True)
    assert "no difference any more" in again.text


def test_the_earlier_version_is_put_on_air_again_at_once(running: Running) -> None:
    token = running.add_overlay("hello")
    running.edit(1, {**CHANGE, "set": {"wording": "goodbye"}})
    running.publish(1)
    assert ">goodbye<" in page(running, token)
    running.do("overlay.back?overlay=1&version=1")
    assert ">hello<" in page(running, token)
    history = running.client.get("/overlays/1/versions").text
    assert ("Version 1 again" in history, history.count("this machine") == 3) == (True, True)
    running.do("draft.from_version?overlay=1&version=1")
    assert state(running)["sights"]["text"]["live"][""] == "hello"
    assert running.do("overlay.back?overlay=1&version=99").status_code == 404


def test_a_piece_differs_by_scene_and_pages_are_told_which_scene_it_is(running: Running) -> None:
    token = running.add_overlay("hello", x=300)
    talk = {**CHANGE, "set": {"x": 900, "shown": "yes"}, "scene": "Talk"}
    running.edit(1, talk, {**CHANGE, "set": {"shown": "no"}, "scene": "Break"})
    running.publish(1)
    html = page(running, token)
    assert '[data-scene="Talk" i] .p-text{left:900px}' in html
    assert 'data-away="break"' in html
    with connect(f"ws://127.0.0.1:{running.port}/live/{token}") as socket:
        assert json.loads(socket.recv(5))["values"]["@scene"] == ""
        running.press("/", "/scene", {"scene": "Break"})
        assert json.loads(socket.recv(5))["values"] == {"@scene": "Break"}
    assert running.signal("scene.present")["value"] == "Break"
    assert " hidden>" in page(running, token)
    running.client.put("/api/signals/scene.present", json={"value": "Talk"}, headers=running.auth)
    until(lambda: 'data-scene="Talk"' in page(running, token))


def test_pieces_that_show_rows_bars_and_charts_are_kept_up_to_date(running: Running) -> None:
    running.add_overlay("hello")
    running.edit(
        1,
        {
            "do": "add",
            "kind": "latest",
            "set": {"type": "gift", "column_1": "{gift.name}", "column_3": "{gift.amount:,}"},
        },
        {"do": "add", "kind": "bar", "set": {"value": "gift.amount", "high": "200", "figure": "{gift.amount}"}},
        {"do": "add", "kind": "chart", "set": {"signal": "gift.amount"}},
    )
    running.event(type="gift", data={"name": "Ana", "amount": 50})
    running.publish(1)
    token = re.findall(r"/o/([\w-]{24})", running.client.get("/overlays/1/link").text)[0]
    html = until(lambda: "Ana" in (text := page(running, token)) and text)
    assert "--level:0.2500" in html
    assert re.search(r'class="t-stroke"[^>]* d="M[\d. L]+"', html)
    with connect(f"ws://127.0.0.1:{running.port}/live/{token}") as socket:
        socket.recv(5)
        running.event(type="gift", data={"name": "Bolt", "amount": 100})
        told: dict[str, str] = {}
        until(
            lambda: (
                told.update(json.loads(socket.recv(5)).get("values", {}))
                or {"Bolt", "Ana", "0.5000"} <= set(told.values())
            )
        )


# The link


def test_a_replaced_link_stops_at_once_and_says_why(running: Running) -> None:
    token = running.add_overlay("hello")
    with connect(f"ws://127.0.0.1:{running.port}/live/{token}") as socket:
        socket.recv(5)
        running.do("overlay.new_link?overlay=1")
        told = json.loads(socket.recv(5))
    assert (told["kind"], "This link was replaced at" in told["why"]) == ("end", True)
    gone = running.client.get(f"/o/{token}")
    assert (gone.status_code, "it was replaced at" in gone.text) == (404, True)
    link = running.client.get("/overlays/1/link").text
    new = re.search(r"/o/([\w-]{24})", link)
    assert new
    assert ">hello<" in page(running, new[1])


def test_the_links_page_tells_size_code_and_a_page_of_another_size(running: Running) -> None:
    token = running.add_overlay("hello")
    assert running.client.get("/overlays/1/code.svg").text.startswith("<svg")
    with connect(f"ws://127.0.0.1:{running.port}/live/{token}") as socket:
        socket.recv(5)
        socket.send(json.dumps({"width_px": 1280, "height_px": 720}))
        html = until(lambda: "Wrong size:" in (text := running.client.get("/overlays/1/link").text) and text)
    assert "a page shows it at 1280 × 720 px instead of 1920 × 1080" in flat(html)
    assert token not in html.replace(f"/o/{token}", "")


def test_one_piece_has_a_link_of_its_own(running: Running) -> None:
    token = running.add_overlay("hello", x=300, y=200)
    running.edit(1, {"do": "add", "kind": "ring"})
    running.publish(1)
    html = page(running, token, piece="text")
    assert html.count('data-piece="') == 1
    assert "transform:translate(-300px,-200px)" in html
    assert "“Text” alone" in running.client.get("/overlays/1/link?piece=text").text


def test_an_own_style_sheet_is_applied_and_a_broken_one_switched_off_with_why(running: Running) -> None:
    token = running.add_overlay("hello")
    sheet = {"do": "settings", "set": {"css": ".name-text .t-words { letter-spacing: 1px }"}}
    assert running.edit(1, sheet).json()["own_wrong"] == []
    running.publish(1)
    assert "#overlay .name-text .t-words { letter-spacing: 1px }" in page(running, token)
    bad = {"do": "settings", "set": {"css": ".a{background:url(http://elsewhere.example/x)}</style><script>"}}
    assert len(running.edit(1, bad).json()["own_wrong"]) >= 2
    running.publish(1)
    assert "elsewhere" not in page(running, token)
    assert "It is off until the error is fixed." in running.client.get("/overlays/1").text


# Files


def test_a_picture_is_added_shown_and_served_so_that_nothing_in_it_runs(running: Running) -> None:
    token = running.add_overlay("hello")
    added = upload(running, "/media/picture", png()).json()
    assert (added["title"], added["width_px"], added["height_px"]) == ("kite.png", 64, 32)
    served = running.client.get(f"/media/{added['name']}")
    assert (served.headers["content-type"], "sandbox" in served.headers["content-security-policy"]) == (
        "image/png",
        True,
    )
    running.edit(1, {"do": "add", "kind": "picture", "set": {"media": added["name"], "says": "A kite"}})
    running.publish(1)
    assert f'src="/media/{added["name"]}" alt="A kite"' in page(running, token)


@pytest.mark.parametrize(
    ("data", "words"), [(b"I am a text", "not a picture"), (b"", "empty"), (png()[:70], "damaged")]
)
def test_what_is_no_picture_is_refused(running: Running, data: bytes, words: str) -> None:
    answer = upload(running, "/media/picture", data)
    assert (answer.status_code, words in answer.json()["wrong"]) == (422, True)


def test_two_hundred_megabytes_are_refused_without_being_kept(running: Running) -> None:
    token = re.search(r'<meta name="csrf" content="([^"]+)"', running.client.get("/").text)
    assert token
    sent, start = 0, b'--b\r\nContent-Disposition: form-data; name="file"; filename="big.png"\r\n\r\n'

    def body() -> Any:
        nonlocal sent
        yield start
        while sent < 200:
            sent += 1
            yield bytes(1_000_000)

    headers = {"X-CSRFToken": token[1], "Content-Type": "multipart/form-data; boundary=b"}
    headers["Content-Length"] = str(200_000_000 + len(start))
    try:
        answer = running.client.post("/media/picture", content=body(), headers=headers)
        assert (answer.status_code, "at most 20 MB" in answer.text) == (413, True)
    except httpx.HTTPError:
        # The connection may be closed before all of it was sent; nothing is kept then either.
        pass
    assert not list((running.folder / "media").glob("*")) if (running.folder / "media").exists() else True
    assert running.client.get("/overlays/").status_code == 200


def test_a_file_of_some_megabytes_is_taken(running: Running) -> None:
    large = png(2_000, 1_500, kind="BMP")
    assert len(large) > 8_000_000
    assert "not a picture" in upload(running, "/media/picture", large).json()["wrong"]
    assert upload(running, "/looks/import", large).status_code == 413


def test_an_unknown_file_and_an_unknown_kind_are_not_found(running: Running) -> None:
    for path in ("/media/nothing.png", "/media/..%2Ftesoura.db"):
        assert running.client.get(path).status_code == 404
    assert upload(running, "/media/hologram", png()).status_code == 404


def test_a_typeface_is_added_offered_carried_and_taken_away(running: Running) -> None:
    token = running.add_overlay("hello")
    assert "Paper Kite was added" in upload(running, "/typefaces/", typeface(), "kite.ttf").text
    done = running.edit(1, {**CHANGE, "set": {"typeface": "Paper Kite", "wording": "AB"}})
    assert (done.status_code, "any more" in done.json()["findings"]) == (200, False)
    # Two letters of 600 units at 72 px, and 24 px of padding on each side.
    assert done.json()["boxes"]["text"]["width"] == pytest.approx(2 * 0.6 * 72 + 48)
    running.publish(1)
    html = page(running, token)
    assert "font-family:'Paper Kite';font-weight:500;font-display:block;src:url('/media/" in html
    name = re.search(r"/media/(\w+\.woff2)", html)
    assert name
    running.do(f"media.remove?name={name[1]}")
    assert "is set in Paper Kite, which no longer exists" in state(running)["findings"]
    running.do(f"media.restore?name={name[1]}")
    assert "any more" not in state(running)["findings"]
    assert "restricted licence" in upload(running, "/typefaces/", typeface(2), "kite.ttf").text


# Looks


def test_a_look_that_changes_changes_every_draft_and_nothing_on_air(running: Running) -> None:
    token = running.add_overlay("hello")
    assert post(running, "/looks/ink", {"set": {"colour": "#FF00FF"}, "form": "dark"}).status_code == 200
    assert "--colour:#FF00FF" in state(running)["stage"]
    assert "Look “Ink”: colour" in state(running)["differs"]
    assert "--colour:#FF00FF" not in page(running, token)
    wrong = post(running, "/looks/ink", {"set": {"colour": "pink", "corner_px": "2"}, "form": "dark"})
    assert (wrong.status_code, list(wrong.json()["wrong"])) == (422, ["colour"])
    running.do("look.remove?look=ink")
    assert "--colour:#FF00FF" not in state(running)["stage"]


def test_a_look_is_copied_exported_and_brought_in(running: Running) -> None:
    copied = running.do("look.new", {"like": "gust"}).headers["location"]
    assert "Gust of my own" in running.client.get(copied).text
    out = running.client.get(f"{copied}/tokens.json")
    assert out.json()["Gust of my own"]["weight"] == {"$type": "fontWeight", "$value": 800, "$description": "Weight"}
    back = upload(running, "/looks/import", out.content, "gust.tokens.json")
    assert "Gust of my own was imported." in back.text
    assert "This is not JSON" in upload(running, "/looks/import", b"{", "x.json").text
    assert "No token in this file" in upload(running, "/looks/import", b"{}", "x.json").text


# The list, and overlays as files


def test_an_overlay_is_duplicated_put_away_and_brought_back(running: Running) -> None:
    token = running.add_overlay("hello")
    where = running.do("overlay.duplicate?overlay=1").headers["location"]
    assert "Overlay 2" in running.client.get(where).text
    running.do("overlay.remove?overlay=1")
    listed = running.client.get("/overlays/").text
    assert ("Deleted" in listed, running.client.get(f"/o/{token}").status_code) == (True, 404)
    running.do("overlay.restore?overlay=1")
    assert ">hello<" in page(running, token)


def test_the_list_shows_what_is_on_air_and_the_draft_of_what_never_was(running: Running) -> None:
    token = running.add_overlay("hello")
    running.do("overlay.duplicate?overlay=1")
    listed = running.client.get("/overlays/").text
    assert f'src="/o/{token}?picture=1"' in listed
    assert 'src="/overlays/2/draft"' in listed
    assert ">hello</span>" in running.client.get("/overlays/2/draft").text


def test_an_overlay_goes_out_as_one_file_and_comes_in_elsewhere_whole(running: Running, tmp_path: Any) -> None:
    token = running.add_overlay("hello")
    added = upload(running, "/media/picture", png()).json()
    upload(running, "/typefaces/", typeface(), "kite.ttf")
    running.do("look.new", {"like": "gust"})
    shown = {"media": added["name"], "width_px": 64, "height_px": 32, "x": 900, "y": 600}
    running.edit(1, {"do": "add", "kind": "picture", "set": shown}, {**CHANGE, "set": {"typeface": "Paper Kite"}})
    out = running.client.get("/overlays/1/export")
    assert out.headers["content-disposition"] == 'attachment; filename="overlay.zip"'
    with zipfile.ZipFile(io.BytesIO(out.content)) as archive:
        names = archive.namelist()
        document = archive.read("overlay.json").decode()
    assert sorted(name.split("/")[0] for name in names) == ["overlay.json", "pictures", "typefaces"]
    assert token not in document
    assert running.key not in document
    other = Running(tmp_path / "other")
    try:
        assert "Overlay was imported" in upload(other, "/overlays/import", out.content, "overlay.zip").text
        assert other.client.get(f"/media/{added['name']}").content == png()
        assert "Everything fits" in other.client.get("/overlays/1/state").json()["findings"]
    finally:
        other.stop()


def packed(document: Any, **more: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("overlay.json", document if isinstance(document, str | bytes) else json.dumps(document))
        for name, data in more.items():
            archive.writestr(name.replace("__", "/"), data)
    return out.getvalue()


GOOD = {"version": 2, "width_px": 100, "height_px": 100, "pieces": []}
WITH_PICTURE = {"overlay": GOOD, "files": [{"kind": "picture", "name": "a.png"}]}


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"hello", "not a zip file"),
        (packed("{"), "is damaged"),
        (packed({"overlay": 5}), "contains no overlay"),
        (packed({"overlay": {**GOOD, "version": 3}}), "newer Tesoura"),
        (packed({"overlay": {**GOOD, "width_px": 40_000}}), "px is not a valid size"),
        (packed({"overlay": {**GOOD, "pieces": [{"kind": "text"}]}}), "is damaged"),
        (packed({"overlay": {**GOOD, "guides": [["x", "wide"]]}}), "is damaged"),
        (packed({"overlay": {**GOOD, "width_px": "1e2"}}), "is damaged"),
        (packed(WITH_PICTURE), "is missing"),
        (packed(WITH_PICTURE, **{"pictures__a.png": b"x"}), "not a picture"),
        (
            packed(WITH_PICTURE, **{"pictures__a.png": bytes(21_000_000)}),
            "The files inside are too large for an overlay",
        ),
    ],
)
def test_a_file_that_is_no_overlay_is_refused_and_nothing_is_made(running: Running, data: bytes, words: str) -> None:
    answer = upload(running, "/overlays/import", data, "overlay.zip")
    assert words in answer.text
    assert running.client.get("/overlays/1").status_code == 404


def test_an_overlay_of_a_newer_tesoura_is_left_alone_and_says_so(running: Running) -> None:
    running.add_overlay("hello")

    running.store.write(
        lambda session: session.execute(sql("UPDATE overlay SET draft = json_set(draft, '$.version', 3)")) and None
    )
    answer = running.client.get("/overlays/1")
    assert (answer.status_code, "made by a newer Tesoura" in answer.text) == (409, True)
    assert running.client.get("/overlays/").status_code == 200


def test_the_classes_and_variables_a_style_sheet_may_rely_on_are_there(running: Running) -> None:
    help_page = running.client.get("/looks/style-sheets").text
    classes = set(re.findall(r"<code>\.((?:t|piece)-?[\w-]*)</code>", help_page))
    variables = set(re.findall(r"<code>(--[\w-]+)</code>", help_page))
    token = running.add_overlay("hello")
    picture, frame = (
        upload(running, "/media/picture", png()).json(),
        upload(running, "/media/picture", png(9, 9)).json(),
    )
    kinds: dict[str, dict[str, Any]] = {
        "slots": {},
        "bar": {"label": "a"},
        "ring": {},
        "chart": {},
        "latest": {"title": "a"},
        "ranking": {"title": "a"},
        "picture": {"media": picture["name"]},
        "video": {},
        "backing": {"frame": frame["name"]},
    }
    running.edit(1, *({"do": "add", "kind": kind, "set": given} for kind, given in kinds.items()))
    running.publish(1)
    html = page(running, token)
    there = {name for names in re.findall(r'class="([^"]+)"', html) for name in names.split()}
    assert len(classes) > 25
    assert classes - there == set()
    assert len(variables) > 12
    assert variables - set(re.findall(r"(--[\w-]+):", html)) == set()


# Files that nobody would make


def overlay_file(running: Running, change: Callable[[dict[str, Any]], object]) -> bytes:
    """The first overlay as a file, its document changed."""
    out = io.BytesIO()
    exported = running.client.get("/overlays/1/export").content
    with zipfile.ZipFile(io.BytesIO(exported)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            inside = old.read(name)
            if name.endswith(".json"):
                document = json.loads(inside)
                change(document)
                inside = json.dumps(document).encode()
            new.writestr(name, inside)
    return out.getvalue()


def test_an_overlay_file_cannot_make_a_mat_that_does_not_open(running: Running) -> None:
    running.add_overlay("hello")
    running.edit(1, {"do": "add", "kind": "countdown", "set": {}})

    def names_none(document: dict[str, Any]) -> None:
        for piece in document["overlay"]["pieces"]:
            piece["choices"] |= {"countdown": '[] {"a"', "name": "kite \ud83d"}
            piece["choices"]["x"] = float("inf")

    answer = upload(running, "/overlays/import", overlay_file(running, names_none), "kite.zip")
    assert (answer.status_code, str(answer.url).endswith("/overlays/2"), "kite �" in answer.text) == (200, True, True)
    assert running.client.get("/overlays/2/state").status_code == 200


@pytest.mark.parametrize(
    "change",
    [
        lambda document: document["overlay"].update(guides=[["x", float("inf")]]),
        lambda document: document["overlay"].update(pieces={"a": 1}),
        lambda document: document.update(overlay="\ud83d"),
    ],
)
def test_a_damaged_overlay_file_is_told(running: Running, change: Callable[[dict[str, Any]], object]) -> None:
    running.add_overlay("hello")
    answer = upload(running, "/overlays/import", overlay_file(running, change), "kite.zip")
    assert (answer.status_code, running.client.get("/overlays/").status_code) == (200, 200)
    whole = overlay_file(running, lambda document: None)
    cut = upload(running, "/overlays/import", whole.replace(b'"pieces"', b'"pie\x00\xff"', 1), "kite.zip")
    assert "damaged" in cut.text


@pytest.mark.parametrize(
    ("many", "words"),
    [
        (
            lambda one: one["pieces"][0].update(scenes={f"s{n}": {"x": n} for n in range(30_000)}),
            "30,000 scenes; at most 60",
        ),
        (lambda one: one.update(pieces=one["pieces"] * 101), "101 pieces; at most 100"),
        (lambda one: one.update(looks={f"l{n}": {} for n in range(201)}), "201 looks; at most 200"),
        (lambda one: one.update(guides=[["x", n] for n in range(201)]), "201 guides; at most 200"),
    ],
)
def test_an_overlay_file_with_more_than_an_overlay_holds_is_refused(
    running: Running, many: Callable[[dict[str, Any]], object], words: str
) -> None:
    running.add_overlay("hello")
    file = overlay_file(running, lambda document: many(document["overlay"]))
    answer = upload(running, "/overlays/import", file, "kite.zip").text
    assert words in answer
    assert 'href="/overlays/2"' not in answer


def test_half_a_character_pair_in_a_looks_name_is_mended(running: Running) -> None:
    tokens = json.loads(running.client.get("/looks/ink/tokens.json").text)
    file = json.dumps({"Gale \ud83d": tokens["Ink"]}).encode()
    assert "Gale �" in upload(running, "/looks/import", file, "gale.json").text
    assert running.client.get("/looks/").status_code == 200


def test_a_form_that_lacks_what_it_needs_is_told_so(running: Running) -> None:
    answer = running.do("look.new", {"like": ""})
    assert (answer.status_code, "Enter a name. Go back and correct it" in answer.text) == (422, True)
