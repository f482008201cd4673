"""Pages of saved games: a game's save chosen by looking, kept, put back, replaced, put in order, carried away."""

from __future__ import annotations

import io
import os
import re
import threading
import zipfile
from pathlib import Path
from typing import Any

import httpx
import pytest
from click.testing import CliRunner

from tesoura.cli import main
from tesoura.errors import Gone, InvalidField, InvalidPiece
from tesoura.store import saves as stored
from tesoura.store.tables import SaveRow
from tests.conftest import Running, flat, until
from tests.runtime.test_clips import act
from tests.runtime.test_devices import lay


class Mile:
    """A game with a shelf, whose save was written long ago."""

    def __init__(self, running: Running, folder: Path, whole: bool = False, **choices: Any) -> None:
        self.running, self.at = running, folder / "lantern_mile" / ("slots" if whole else "mile.sav")
        self.whole = whole
        self.at.parent.mkdir()
        self.has("gatekeeper")
        self.id = act(running, "saves.new_game", path=str(self.at), title="Mile", **choices).result["game"]

    def has(self, words: str) -> None:
        """The game writes this, some time ago."""
        at = self.at
        if self.whole:
            self.at.mkdir(exist_ok=True)
            at = self.at / "one.sav"
        at.write_text(words)
        os.utime(at, (1_790_000_000, 1_790_000_000))

    def now(self) -> str:
        return (self.at / "one.sav" if self.whole else self.at).read_text()

    def keep(self, name: str = "", **more: Any) -> int:
        return int(act(self.running, "saves.keep", game=self.id, name=name, **more).result["save"])

    def rows(self) -> list[SaveRow]:
        return self.running.store.read(lambda session: stored.entries(session, self.id))

    def names(self) -> list[str]:
        return [one.name for one in self.rows()]

    def befores(self) -> list[SaveRow]:
        return list(self.running.store.read(lambda session: stored.befores(session, self.id)))

    def settled(self) -> list[SaveRow]:
        until(lambda: not any(one.beside for one in self.befores()))
        return self.befores()

    def page(self) -> str:
        return flat(self.running.client.get(f"/saves/{self.id}").text)


@pytest.fixture
def mile(running: Running, tmp_path: Path) -> Mile:
    return Mile(running, tmp_path, leave_first="Go back to the title")


def test_a_save_is_chosen_by_looking_and_a_shelf_made(running: Running, tmp_path: Path) -> None:
    at = tmp_path / "mile" / "mile.sav"
    at.parent.mkdir()
    at.write_text("x")
    page = running.client.get(f"/saves/new?at={at.parent}").text
    assert 'aria-label="Choose mile.sav"' in page
    form = running.client.get(f"/saves/set-up?path={at}").text
    assert 'value="Mile"' in form
    answer = running.do("saves.new_game", {"path": str(at), "title": "Mile", "wait_s": "10", "most_before": "20"})
    assert "Its save has 1 file." in flat(running.client.get(answer.headers["location"]).text)
    # With one game, its shelf is what the room opens.
    assert running.client.get("/saves/").headers["location"] == "/saves/1"


@pytest.mark.parametrize(
    ("path", "why"),
    [
        ("nowhere/x", "full path"),
        ("/nowhere/x", "doesn't exist"),
        ("%NOWHERE%/x", "This system doesn't know %NOWHERE%"),
        ("~", "far more than a game"),
        ("/", "own folder is in there"),
    ],
)
def test_what_is_no_games_save_is_refused(running: Running, path: str, why: str) -> None:
    answer = running.do("saves.new_game", {"path": path, "title": "Mile", "leave_first": "Cancel"})
    assert (answer.status_code, why in flat(answer.text)) == (422, True)


def test_tesouras_own_folder_and_a_link_are_no_games(running: Running, tmp_path: Path) -> None:
    for path in (running.folder, running.folder / "tesoura.db"):
        with pytest.raises(InvalidField, match="own folder"):
            act(running, "saves.new_game", path=str(path), title="Mile")
    (tmp_path / "link").symlink_to("/etc/hostname")
    with pytest.raises(InvalidField, match="is a link"):
        act(running, "saves.new_game", path=str(tmp_path / "link"), title="Mile")


@pytest.mark.parametrize("whole", [False, True])
def test_a_save_is_kept_put_back_and_taken_back_with_what_was_before(
    running: Running, tmp_path: Path, whole: bool
) -> None:
    mile = Mile(running, tmp_path, whole)
    twins = mile.keep("Twins")
    mile.has("played on")
    done = act(running, "saves.put_back", save=twins)
    assert (mile.now(), "what the game had is under Before" in done.words) == ("gatekeeper", True)
    [before] = mile.settled()
    assert (before.size, before.content is not None) == (9, True)
    assert [one.name for one in mile.at.parent.iterdir() if "tesoura" in one.name] == []
    running.press("/", "/desk/undo")
    assert mile.now() == "played on"
    assert len(mile.settled()) == 2


def test_each_press_tells_before_what_it_will_do(running: Running, mile: Mile) -> None:
    twins = mile.keep("Twins")
    told = flat(running.client.get(f"/saves/entries/{twins}/effect/put_back").text)
    told = told.replace("&#39;", "'")
    assert re.search(r"First: Go back to the title\. The game's file of \d+ Sep 2026, \d\d:\d\d goes to Before", told)
    assert "“Twins” takes its place." in told
    assert "What “Twins” is now goes to Before" in running.client.get(f"/saves/entries/{twins}/effect/replace").text
    mile.at.unlink()
    assert "The game has no save now" in flat(running.client.get(f"/saves/entries/{twins}/effect/put_back").text)
    with pytest.raises(InvalidField, match="has no save now"):
        mile.keep("Nothing")
    act(running, "saves.put_back", save=twins)
    assert (mile.now(), mile.settled()) == ("gatekeeper", [])


def test_one_on_the_shelf_is_replaced_and_comes_back(running: Running, mile: Mile) -> None:
    twins = mile.keep("Twins")
    mile.has("better")
    act(running, "saves.replace", save=twins)
    assert [one.name for one in mile.befores()] == ["Twins, before"]
    mile.has("x")
    act(running, "saves.put_back", save=twins)
    assert mile.now() == "better"
    mile.settled()
    act(running, "saves.replace", save=twins, by=next(one.id for one in mile.befores() if one.name.startswith("Twins")))
    act(running, "saves.put_back", save=twins)
    assert mile.now() == "gatekeeper"


def test_a_name_that_exists_gets_the_next_number_and_it_is_offered(running: Running, mile: Mile) -> None:
    for _ in range(3):
        mile.keep("Twins")
    mile.keep("twins 2")
    mile.keep()
    assert mile.names() == ["Twins", "Twins 2", "Twins 3", "twins 4", "twins 5"]
    assert 'placeholder="twins 6"' in mile.page()


def test_the_shelf_is_put_in_order_with_folders_in_folders_and_all_of_it_taken_back(
    running: Running, mile: Mile
) -> None:
    one, two = mile.keep("One"), mile.keep("Two")
    town = act(running, "saves.new_folder", game=mile.id, name="Town").result["folder"]
    deep = act(running, "saves.new_folder", game=mile.id, name="Deep", folder=town).result["folder"]
    act(running, "saves.move", entry=two, folder=deep, at=0)
    act(running, "saves.move", entry=town, folder=0, at=0)
    assert mile.names() == ["Town", "Deep", "Two", "One"]
    with pytest.raises(InvalidField, match="A folder can't be moved into itself"):
        act(running, "saves.move", entry=town, folder=deep)
    with pytest.raises(InvalidField, match="This folder belongs to another game"):
        act(running, "saves.move", entry=two, folder=one)
    act(running, "saves.remove", entry=town)
    assert mile.names() == ["One"]
    running.press("/", "/desk/undo")
    assert mile.names() == ["Town", "Deep", "Two", "One"]
    for _ in range(2):
        running.press("/", "/desk/undo")
    assert mile.names() == ["One", "Two", "Town", "Deep"]


def test_an_entry_has_a_page_for_its_name_note_and_folder(running: Running, mile: Mile) -> None:
    twins, town = mile.keep("Twins"), act(running, "saves.new_folder", game=mile.id, name="Town").result["folder"]
    assert running.do(f"saves.describe?entry={twins}", {"name": "", "note": "lost"}).status_code == 422
    running.do(f"saves.describe?entry={twins}", {"name": "Twins, hurt", "note": "one lamp", "folder": str(town)})
    row = next(one for one in mile.rows() if one.id == twins)
    assert (row.name, row.note, row.parent_id) == ("Twins, hurt", "one lamp", town)
    assert "mile.sav" in running.client.get(f"/saves/entries/{twins}").text
    assert running.client.get("/saves/entries/999").status_code == 404


def test_keys_and_pads_put_the_marked_one_back_and_step_along_the_shelf(running: Running, mile: Mile) -> None:
    def press(what: str) -> str:
        return str(act(running, "saves.press", game="mile", what=what).words)

    with pytest.raises(InvalidField, match="There is no save of"):
        press("put")
    one, _ = mile.keep("One"), mile.keep("Two")
    with pytest.raises(InvalidField, match="No save of Mile is bookmarked"):
        press("put")
    assert "“One” is bookmarked" in press("next")
    with pytest.raises(InvalidField, match="is the first save"):
        press("previous")
    assert "“Two” is bookmarked" in press("next")
    with pytest.raises(InvalidField, match="is the last save"):
        press("next")
    act(running, "saves.mark", save=one)
    mile.has("elsewhere")
    assert "“One” is the game's save now" in press("put")
    assert mile.now() == "gatekeeper"
    assert "“Two 2” was saved" in press("keep")
    with pytest.raises(InvalidField, match="There are: Mile"):
        act(running, "saves.press", game="Nobody", what="put")
    lay(running, does="saves", saves_of="Mile", saves_do="put")
    assert "takes the place of the game" in flat(running.client.get("/").text).replace("&#39;", "'")


def test_of_what_was_before_only_so_many_are_kept(running: Running, tmp_path: Path) -> None:
    mile = Mile(running, tmp_path, most_before=2)
    twins = mile.keep("Twins")
    for words in ("a", "b", "c", "d"):
        mile.has(words)
        act(running, "saves.put_back", save=twins)
        mile.settled()
    kept = running.store.read(lambda session: [one.size for one in stored.befores(session, mile.id)])
    assert (len(kept), len(mile.befores())) == (2, 2)
    # One of them goes onto the shelf.
    act(running, "saves.keep", game=mile.id, name="d again", of=mile.befores()[0].id)
    act(running, "saves.put_back", save=next(one.id for one in mile.rows() if one.name == "d again"))
    assert mile.now() == "d"


def test_two_put_backs_at_once_come_one_after_the_other(running: Running, mile: Mile) -> None:
    one = mile.keep("One")
    mile.has("second")
    two = mile.keep("Two")
    threads = [
        threading.Thread(target=act, args=(running, "saves.put_back"), kwargs={"save": save}) for save in (one, two)
    ]
    for each in threads:
        each.start()
    for each in threads:
        each.join()
    assert mile.now() in ("gatekeeper", "second")
    assert len(mile.settled()) == 2


def test_what_puts_the_old_save_back_is_told(running: Running, mile: Mile, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tesoura.runtime.saves.LOOK_AFTER_S", (0.5,))
    twins = mile.keep("Twins")
    mile.has("played on")
    act(running, "saves.put_back", save=twins)
    mile.has("played on")
    until(lambda: "Another program replaced the save after “Twins”" in mile.page())


def test_a_shelf_goes_to_another_machine_as_one_file_looked_at_first(running: Running, mile: Mile) -> None:
    mile.keep("Twins", note="one lamp")
    mile.has("later")
    mile.keep("Well")
    file = running.client.get(f"/saves/files/{mile.id}.zip").content
    assert set(zipfile.ZipFile(io.BytesIO(file)).namelist()) >= {"shelf.json"}
    page = running.press("/", "/saves/files/look", files={"file": ("mile.zip", file)}).text
    assert "2 saves, 15 bytes" in flat(page)
    assert mile.names() == ["Twins", "Well"]
    token = re.search(r'name="token"\s+value="([0-9a-f]{32})"', page)
    assert token
    running.press("/", "/saves/files/bring", {"token": token[1], "game": str(mile.id)})
    assert mile.names() == ["Twins", "Well", "Mile", "Twins", "Well"]
    again = running.press("/", "/saves/files/bring", {"token": token[1]}, follow_redirects=True)
    assert "The file is no longer here" in flat(again.text)
    for data, why in (
        (b"what", "The file is damaged or not a zip file"),
        (b"", "The file is damaged or not a zip file"),
    ):
        answer = running.press("/", "/saves/files/look", files={"file": ("x.zip", data)}, follow_redirects=True)
        assert why in flat(answer.text)
    for name in ("../x", "incoming-x.zip", "objects"):
        with pytest.raises(InvalidPiece, match="Upload the saves file on its page"):
            act(running, "saves.bring_in", file=name)


def test_the_command_line_moves_a_shelf_too(running: Running, mile: Mile, tmp_path: Path) -> None:
    mile.keep("Twins")
    run, other, file = CliRunner(), tmp_path / "other", tmp_path / "mile.zip"

    def tesoura(*words: str, **more: Any) -> tuple[int, str]:
        found = run.invoke(main, ["shelf", *words], **more)
        return found.exit_code, found.output

    here = ("--data", str(running.folder))
    assert tesoura("out", "mile", str(file), *here) == (0, f"1 saves of Mile are in {file}.\n")
    assert "already exists" in tesoura("out", "mile", str(file), *here)[1]
    assert "Games with saves: Mile" in tesoura("out", "nobody", str(file), *here)[1]
    there = ("--data", str(other))
    assert tesoura("in", str(file), *there, input="n\n")[0] == 0
    assert not other.exists()
    assert "Imported into Mile." in tesoura("in", str(file), "--yes", *there)[1]
    assert "Mile: 1 save; path: not set" in tesoura("list", *there)[1]
    assert "Omit --to to create a new one" in tesoura("in", str(file), "--yes", "--to", "Nobody", *there)[1]
    file.write_text("what")
    assert "The file is damaged or not a zip file" in tesoura("in", str(file), "--yes", *there)[1]


def test_a_shelf_without_a_place_says_so_and_is_given_one(running: Running, mile: Mile) -> None:
    twins = mile.keep("Twins")
    file = running.client.get(f"/saves/files/{mile.id}.zip").content
    page = running.press("/", "/saves/files/look", files={"file": ("mile.zip", file)}).text
    token = re.search(r'name="token"\s+value="([0-9a-f]{32})"', page)
    assert token
    running.press("/", "/saves/files/bring", {"token": token[1], "game": ""})
    shelf = flat(running.client.get("/saves/2").text)
    assert "Where Mile 2 keeps its save isn't set yet. Choose the folder under Settings." in shelf
    with pytest.raises(InvalidField, match="Choose the folder under Settings"):
        act(running, "saves.keep", game=2, name="x")
    running.do("saves.change_game?game=2", {"path": str(mile.at), "title": "Mile 2", "wait_s": "5", "most_before": "3"})
    assert "keeps its save isn't set yet" not in running.client.get("/saves/2").text
    folder = mile.at.parent
    with pytest.raises(InvalidField, match="are each one file"):
        act(running, "saves.change_game", game=2, path=str(folder), title="Mile 2")
    running.do("saves.remove_game?game=2")
    with pytest.raises(Gone):
        act(running, "saves.keep", game=2)
    running.do("saves.restore_game?game=2")
    assert running.client.get("/saves/2").status_code == 200
    assert twins


def test_from_another_machine_shelves_are_used_and_folders_not_looked_through(running: Running, mile: Mile) -> None:
    twins = mile.keep("Twins")
    key = running.auth
    answer: httpx.Response = running.client.post("/api/actions/saves.put_back", json={"save": twins}, headers=key)
    assert answer.status_code == 200
    answer = running.client.post("/api/actions/saves.new_game", json={"path": "/etc", "title": "x"}, headers=key)
    assert answer.status_code == 403
    answer = running.client.post("/api/actions/saves.remove", json={"entry": twins}, headers=key)
    assert answer.status_code == 403


def test_a_split_is_tied_to_a_saved_game_which_one_press_puts_back(running: Running, mile: Mile) -> None:
    twins = mile.keep("Twins")
    act(running, "instrument.new", kind="run", choices={"title": "Run"})
    act(running, "instrument.command", instrument="run", command="add_splits", names="Gate\nThe Twins")
    standing = running.runtime.call(lambda self: self.instruments.standing("run"))
    assert standing is not None
    route: Any = standing.view["route"]
    split = route.splits[0].id
    assert "Mile: Twins" in running.client.get(f"/instruments/run/splits/{split}").text
    running.do(
        f"instrument.command?instrument=run&command=change_split&split={split}", {"name": "Gate", "save": str(twins)}
    )
    mile.has("elsewhere")
    assert "Restore the saved game “Twins”" in flat(running.client.get("/instruments/run").text)
    running.do(f"saves.put_back?save={twins}")
    assert mile.now() == "gatekeeper"
