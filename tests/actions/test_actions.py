"""Actions: checked, told before, done in somebody's name, taken back; through the pages and through the API."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest

from tesoura.actions.action import Call, Doing, Done
from tesoura.actions.registry import ACTIONS, do, would
from tesoura.actions.roles import Role
from tesoura.actions.schema import parameters_schema
from tesoura.errors import Gone, InvalidField, InvalidPiece, NotYours, TesouraError
from tesoura.feeds.script.words import environment
from tesoura.store import log as event_log
from tests.conftest import Running


def act(running: Running, action: str, /, **given: Any) -> Done:
    return running.runtime.call(lambda self: do(Doing(self, "desk"), Call(action, given)))


def post(running: Running, action: str, given: object = None) -> Any:
    return running.client.post(f"/api/actions/{action}", json=given or {}, headers=running.auth)


def undo(running: Running, done: Done) -> Done:
    assert done.undo is not None
    return act(running, done.undo.action, **done.undo.given)


def test_a_scene_is_told_before_set_and_taken_back(running: Running) -> None:
    act(running, "scene.set", scene="Play")
    told = running.runtime.call(lambda self: would(Doing(self, "desk"), Call("scene.set", {"scene": " Talk "})))
    assert told == "Play → Talk"
    assert running.signal("scene.present")["value"] == "Play"
    done = act(running, "scene.set", scene=" Talk ")
    assert (done.words, running.signal("scene.present")["value"]) == ("The scene is Talk.", "Talk")
    undo(running, done)
    assert running.signal("scene.present")["value"] == "Play"


def test_who_did_it_stands_in_the_log(running: Running) -> None:
    assert post(running, "scene.set", {"scene": "Talk"}).json() == {
        "done": "The scene is Talk.",
        "scene": "Talk",
        "undo": {"action": "scene.set", "parameters": {"scene": ""}},
    }
    running.press("/", "/scene", {"scene": "Play"})
    scenes = [
        (one.event.data["value"], one.event.actor)
        for one in running.store.read(lambda session: event_log.latest(session, 9))
        if one.event.type == "tesoura.scene"
    ]
    assert scenes == [("Play", "desk"), ("Talk", "key:tests")]


def test_a_session_starts_and_the_start_is_taken_back(running: Running) -> None:
    running.event(type="kill", data={})
    done = act(running, "session.start")
    assert running.signal("kill.count_this_session")["value"] == 0
    undo(running, done)
    assert running.signal("kill.count_this_session")["value"] == 1
    with pytest.raises(Gone, match="No session to undo"):
        act(running, "session.undo")


def test_what_makes_no_event_of_its_own_is_noted_with_who_did_it(running: Running) -> None:
    post(running, "session.start")
    [noted] = running.store.read(lambda session: event_log.latest(session, 9))
    assert (noted.event.type, noted.event.subject, noted.event.actor) == (
        "tesoura.action",
        "session.start",
        "key:tests",
    )
    assert re.fullmatch(
        r"Session started at \d\d:\d\d:\d\d\. Its counts start from there\.", str(noted.event.data["words"])
    )


def test_a_session_cannot_begin_in_the_future_or_at_no_instant(running: Running) -> None:
    act(running, "session.start")
    with pytest.raises(InvalidField, match="future"):
        act(running, "session.correct", began="2999-01-01T00:00:00+00:00")
    with pytest.raises(InvalidField, match="is not a time of day"):
        act(running, "session.correct", began="half past")


def test_values_set_by_hand_take_steps_and_are_taken_back(running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "start": "3", "most": "5"})
    done = act(running, "hand.set", name="Lives", step=2)
    assert running.signal("lives.value")["value"] == 5
    undo(running, done)
    assert running.signal("lives.value")["value"] == 3
    with pytest.raises(Gone, match="Nothing is set by hand under nobody"):
        act(running, "hand.set", name="nobody", value=1)


def test_a_draft_is_put_on_air_and_the_version_before_brought_back(running: Running) -> None:
    token = running.add_overlay("hello")
    running.edit(1, {"do": "change", "pieces": ["text"], "set": {"wording": "good evening"}})
    done = act(running, "overlay.put_on_air", overlay=1)
    assert "good evening" in running.client.get(f"/o/{token}").text
    undo(running, done)
    assert ">hello<" in running.client.get(f"/o/{token}").text
    with pytest.raises(Gone, match="no version 77"):
        act(running, "overlay.back", overlay=1, version=77)


def test_an_amount_is_corrected_and_corrected_back(running: Running) -> None:
    running.event(type="gift", data={"amount": 500})
    done = act(running, "log.correct", event=1, field="amount", value="5")
    assert running.signal("gift.amount")["value"] == 5
    undo(running, done)
    assert running.signal("gift.amount")["value"] == 500


def test_an_event_said_here_counts_and_none_of_our_own_can_be(running: Running) -> None:
    assert post(running, "event.say", {"type": "gift", "data": {"amount": 2}}).status_code == 200
    assert running.signal("gift.amount")["value"] == 2
    wrong = post(running, "event.say", {"type": "tesoura.scene"})
    assert (wrong.status_code, wrong.json()["errors"][0]["at"]) == (422, "type")


def test_a_feed_is_held_and_goes_on(running: Running) -> None:
    running.press("/", "/feeds/new/hand", {"title": "Lives", "what": "number", "start": "3"})
    done = act(running, "feed.pause", feed="lives")
    assert (done.words, done.undo) == (
        "Lives is paused. Its values are held.",
        Call("feed.pause", {"feed": "lives", "paused": "no"}),
    )


@pytest.mark.parametrize(
    ("action", "given", "status", "words"),
    [
        ("scene.set", {"sceen": "Talk"}, 422, "Known ones: scene"),
        ("fly", {}, 404, "There is no action fly"),
        ("overlay.put_on_air", {"overlay": 9}, 404, "no such overlay"),
        ("overlay.put_on_air", {}, 422, "This is empty"),
        ("instrument.command", {"instrument": "x", "command": "start"}, 422, "There is no instrument x"),
        ("signal.set", {"name": "reach.members", "value": 1}, 422, "belongs to a feed"),
        ("moment.skip", {"moment": 5}, 404, "no longer queued or on screen"),
        ("scene.set", "Talk", 422, "as an object"),
        ("hand.set", {"name": "lives", "step": "up"}, 422, "whole number"),
        ("scene.set", {"scene": {"a": 1}}, 422, "single value"),
        ("signal.set", {"name": "lamp"}, 422, "Required."),
        ("event.say", {"type": ["gift"]}, 422, "single value"),
    ],
)
def test_what_cannot_be_done_says_why(running: Running, action: str, given: object, status: int, words: str) -> None:
    answer = running.client.post(f"/api/actions/{action}", json=given, headers=running.auth)
    assert (answer.status_code, answer.headers["content-type"]) == (status, "application/problem+json")
    assert words in answer.text
    assert running.store.read(event_log.last_seq) == 0


def test_actions_are_listed_told_and_described(running: Running) -> None:
    listed = running.client.get("/api/actions", headers=running.auth).json()
    assert [one["name"] for one in listed] == [name for name, one in ACTIONS.items() if Role.KEY in one.may]
    told = running.client.post("/api/actions/scene.set/effect", json={"scene": "Talk"}, headers=running.auth)
    assert told.json() == {"effect": "no scene → Talk"}
    assert running.client.post("/api/actions/scene.set", json={"scene": "x"}).status_code == 401
    described = running.client.get("/api/openapi.json").json()["paths"]
    assert {f"/api/actions/{one['name']}" for one in listed} <= set(described)
    assert "/api/actions/key.new" not in described
    assert parameters_schema(ACTIONS["feed.pause"])["properties"]["paused"] == {
        "description": "Held",
        "type": "string",
        "default": "yes",
    }


def test_every_action_given_nothing_or_nonsense_refuses_in_words(running: Running) -> None:
    nonsense: list[dict[str, Any]] = [{"overlay": "x" * 500, "event": -1}, {"name": {"a": []}, "value": ["x"]}]
    for name in set(ACTIONS) - {"session.undo"}:
        for given in nonsense:
            with pytest.raises(TesouraError) as refused:
                act(running, name, **given)
            assert str(refused.value)


def test_half_a_character_pair_is_mended_and_breaks_nothing(running: Running) -> None:
    for path, body in (
        ("actions/event.say", r'{"type": "gift", "data": {"name": "ana \ud83d", "a": ["\ud83d"]}}'),
        ("events", r'{"type": "gift", "data": {"name": "tuck \uD83D"}}'),
        ("actions/scene.set", r'{"scene": "\ud83d\ude00 Talk \ud83d"}'),
    ):
        assert running.client.post(f"/api/{path}", content=body, headers=running.auth).status_code in (200, 202)
    assert running.signal("gift.name")["value"] == "tuck \ufffd"
    assert running.signal("scene.present")["value"] == "\U0001f600 Talk \ufffd"
    assert running.client.get("/log/").status_code == 200


# Set-up: each is done, taken back, and done by whom it may be done by

FORMULA = {"kind": "formula", "name": "half", "choices": {"formula": "gift.amount / 2", "unit": ""}}
COUNTDOWN = {"kind": "countdown", "choices": {"title": "Tea", "way": "length", "length_s": "300"}}
SET_UPS: list[tuple[str, dict[str, Any], str]] = [
    ("feed.new", {"kind": "hand", "title": "Lives", "choices": {"what": "number", "start": "3"}}, "/feeds/lives"),
    ("computed.new", FORMULA, "/signals/computed/1"),
    ("instrument.new", COUNTDOWN, "/instruments/tea"),
    ("overlay.new", {"name": "Corner"}, "/overlays/1"),
    ("file.new", {"name": "a.txt", "wording": "hello"}, "/files/1"),
]


@pytest.mark.parametrize(("action", "given", "page"), SET_UPS)
def test_what_is_set_up_is_there_until_it_is_taken_back_and_can_come_again(
    running: Running, action: str, given: dict[str, Any], page: str
) -> None:
    assert running.client.get(page).status_code == 404
    taken_back = undo(running, act(running, action, **given))
    assert running.client.get(page).status_code == 404
    undo(running, taken_back)
    assert running.client.get(page).status_code == 200


def test_a_change_of_a_set_up_is_taken_back(running: Running) -> None:
    act(running, "feed.new", kind="hand", title="Lives", choices={"what": "number", "start": "3", "high": "9"})
    undo(running, act(running, "feed.change", feed="lives", choices={"what": "number", "start": "3", "high": "5"}))
    assert 'name="high" value="9"' in running.client.get("/feeds/lives/setup").text.replace("  ", " ")
    act(running, "file.new", name="a.txt", wording="hello")
    undo(running, act(running, "file.change", file=1, name="b.txt", wording="bye"))
    assert "a.txt" in running.client.get("/files/").text
    act(running, "overlay.new", name="Corner")
    undo(running, act(running, "draft.edit", overlay=1, edits=[{"do": "size", "width_px": 800, "height_px": 600}]))
    assert "1920" in running.client.get("/overlays/1/link").text
    undo(running, act(running, "overlay.rename", overlay=1, name="Edge"))
    assert "Corner" in running.client.get("/overlays/").text


def test_a_program_with_a_key_operates_and_sets_nothing_up(running: Running) -> None:
    for name, action in ACTIONS.items():
        if Role.KEY not in action.may:
            answer = post(running, name, {"name": "x"})
            assert (answer.status_code, "the owner, on this machine" in answer.text) == (403, True), name
    assert running.store.read(event_log.last_seq) == 0


def by(running: Running, actor: str, action: str, **given: Any) -> Done:
    return running.runtime.call(lambda self: do(Doing(self, actor), Call(action, given)))


def test_what_reaches_this_machine_is_set_up_on_it_alone(running: Running) -> None:
    away = "desk:192.168.1.20"
    script = {"kind": "script", "title": "S", "choices": {"program": "disk_space.py"}}
    recipe = 'version = 1\ntitle = "x"\n[feed]\nkind = "file"\n[feed.choices]\npath = "/etc/passwd"\n'
    for action, given in (
        ("feed.new", script),
        ("folder.read", {"folder": "/"}),
        ("file.folder", {"folder": "/tmp"}),
        ("recipe.use", {"recipe": recipe}),
        ("scripts.examples", {}),
        ("feed.new", {"kind": "calendar", "choices": {"where": "/etc/hosts"}}),
    ):
        with pytest.raises(NotYours, match="the owner, on this machine"):
            by(running, away, action, **given)
    assert by(running, away, "overlay.new", name="Corner").result["overlay"] == 1
    assert by(running, "desk", "feed.new", **script).result["feed"] == "s"


def test_keys_and_secrets_are_not_written_into_the_log(running: Running) -> None:
    choices = {"address": "http://127.0.0.1:9/", "period_s": "60", "key_in": "header"}
    act(running, "feed.new", kind="http", title="Reach", choices=choices, secrets={"key": "hush-hush-hush"})
    key = act(running, "key.new", name="pads").result["key"]
    written = [str(one.event) for one in running.store.read(lambda session: event_log.latest(session, 9))]
    assert sum("tesoura.action" in one for one in written) == 2
    assert not [one for one in written if "hush" in one or str(key) in one]


def test_text_files_go_only_into_folders_that_are_not_tesouras_own(running: Running, tmp_path: Path) -> None:
    data = running.store.folder
    link = tmp_path / "link"
    link.symlink_to(data / "media")
    for folder in (data, data / "scripts", data / "media", data / "texts" / ".." / "scripts", link):
        with pytest.raises(InvalidField, match="Tesoura's own folder"):
            act(running, "file.folder", folder=str(folder))
    assert act(running, "file.folder", folder=str(tmp_path / "texts")).undo is None
    (data / "inner").mkdir()
    with pytest.raises(InvalidField, match="Choose another"):
        act(running, "folder.read", folder=str(data / "inner"))


@pytest.mark.parametrize(
    ("name", "may"),
    [
        ("SERVICE_KEY", True),
        ("API_V2_TOKEN", True),
        ("LD_AUDIT", False),
        ("BASH_ENV", False),
        ("PYTHONSTARTUP", False),
        ("LD_AUDIT_KEY", False),
        ("GIT_SSH_KEY", False),
        ("PATH", False),
        ("service_key", False),
        ("X", False),
    ],
)
def test_a_secrets_variable_has_a_name_that_means_nothing_to_the_system(running: Running, name: str, may: bool) -> None:
    choices = {"program": "a.py", "variable": name}
    if may:
        assert act(running, "feed.new", kind="script", choices=choices, secrets={"secret": "x"}).result["feed"]
    else:
        with pytest.raises(
            InvalidPiece, match="The name must end in _KEY, _TOKEN, _SECRET or _PASSWORD, such as SERVICE_KEY"
        ):
            act(running, "feed.new", kind="script", choices=choices)
    assert (name in environment({}, name, "x")) is may


BY_PROGRAMS = {
    "session.start",
    "session.undo",
    "session.correct",
    "scene.set",
    "hand.set",
    "signal.set",
    "instrument.command",
    "overlay.put_on_air",
    "overlay.back",
    "overlay.send",
    "feed.pause",
    "feed.ask",
    "event.say",
    "log.correct",
    "chat.say",
    "piece.show",
    "air.clear",
    "desk.undo",
    "button.press",
    "moment.again",
    "moment.skip",
    "moments.hold",
    "clip.add",
    "clip.take",
    "clip.show",
    "clip.star",
    "clip.unstar",
    "saves.keep",
    "saves.put_back",
    "saves.replace",
    "saves.mark",
    "saves.press",
    "saves.stop",
    "moments.skip",
    "moments.again",
}
HERE_ALONE = {
    "folder.read",
    "scripts.examples",
    "file.folder",
    "listening.on",
    "listening.off",
    "keys.everywhere",
    "show.bring_in",
    "saves.new_game",
    "saves.change_game",
    "saves.remove_game",
    "saves.restore_game",
    "saves.bring_in",
    "show.start_imported",
}


@pytest.mark.parametrize(
    ("actor", "theirs"),
    [
        ("desk", set(ACTIONS)),
        ("desk:192.168.1.20", set(ACTIONS) - HERE_ALONE),
        ("key:tests", BY_PROGRAMS),
        ("device:Pad", BY_PROGRAMS),
        ("somebody", BY_PROGRAMS),
    ],
)
def test_every_action_is_open_to_just_those_it_is_meant_for(running: Running, actor: str, theirs: set[str]) -> None:
    """A parameter that no action has stops each before it begins, and after it was asked whose it is."""
    open_to = set()
    for name in ACTIONS:
        try:
            by(running, actor, name, no_such_parameter=[])
        except NotYours:
            continue
        except TesouraError:
            pass
        open_to.add(name)
    assert open_to == theirs


def test_every_action_asks_for_a_key_that_works(running: Running) -> None:
    page = running.add_overlay("hello")
    for name in ACTIONS:
        for given in ("", "Bearer nobody", f"Bearer {page}", f"Bearer {running.ticket}", f"Basic {running.key}"):
            answer = running.client.post(f"/api/actions/{name}", json={}, headers={"Authorization": given})
            assert answer.status_code == 401, name
