"""Files that are watched, logs that are followed, scripts that are run: all that happens on this machine's disk."""

from __future__ import annotations

import json
import os
import time
from pathlib import Path
from typing import Any

import pytest

from tesoura.bundles.examples import programs, put
from tesoura.errors import InvalidField, ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.api import Folders
from tesoura.feeds.file import KIND as FILE
from tesoura.feeds.follow import KIND as FOLLOW
from tesoura.feeds.follow.tail import Finder
from tesoura.feeds.paths import FolderNotNamed, allowed, checked_path
from tesoura.feeds.script import KIND as SCRIPT
from tesoura.feeds.script.words import checked_words, environment
from tesoura.standins.evening import Beat
from tesoura.standins.game import GameFiles
from tests.conftest import until
from tests.feeds.following import failure, gather


def old(path: Path, text: str) -> Path:
    """A file that was written a while ago."""
    path.write_text(text)
    os.utime(path, (time.time() - 60, time.time() - 60))
    return path


def test_a_file_is_read_when_it_has_changed(tmp_path: Path) -> None:
    path = old(tmp_path / "match.json", '{"kills": 3}')

    def after(number: int, _: object) -> None:
        if number == 2:
            old(path, '{"kills": 14}')

    came = gather(FILE, {"path": str(path)}, 3, tmp_path, after)
    assert [one.payload if not one.unchanged else "unchanged" for one in came] == [
        {"kills": 3},
        "unchanged",
        {"kills": 14},
    ]


def test_a_file_that_is_being_written_is_never_read_by_half(tmp_path: Path) -> None:
    path = old(tmp_path / "match.json", '{"kills": 3}')

    def after(number: int, _: object) -> None:
        if number == 1:
            path.write_text('{"kills": 1')  # and the rest comes later

    first, second = gather(FILE, {"path": str(path)}, 2, tmp_path, after)
    assert (first.payload, second.unchanged) == ({"kills": 3}, True)


@pytest.mark.parametrize(
    ("name", "text", "payload"),
    [
        ("a.toml", "cuts = 3", {"cuts": 3}),
        ("a.csv", "cuts\n3", {"count": 1, "rows": [{"cuts": "3"}], "last": {"cuts": "3"}}),
        ("a.txt", "3 cuts", {"text": "3 cuts", "lines": ["3 cuts"], "numbers": [3]}),
    ],
)
def test_what_a_file_holds_is_told_by_its_ending(tmp_path: Path, name: str, text: str, payload: Any) -> None:
    [came] = gather(FILE, {"path": str(old(tmp_path / name, text))}, 1, tmp_path)
    assert came.payload == payload


def test_only_files_in_named_folders_are_read_wherever_links_lead(tmp_path: Path) -> None:
    named, other = tmp_path / "named", tmp_path / "other"
    for folder in (named, other):
        folder.mkdir()
    secret = old(other / "secret.json", "{}")
    (named / "link.json").symlink_to(secret)
    for path in (secret, named / "link.json", named / ".." / "other" / "secret.json"):
        with pytest.raises(FolderNotNamed) as caught:
            allowed(str(path), Folders((named,)))
        assert caught.value.folder == other.resolve()


def test_files_that_cannot_be_read_say_why(tmp_path: Path) -> None:
    assert "There is no gone.json" in str(failure(FILE, {"path": str(tmp_path / "gone.json")}, folder=tmp_path))
    assert "is a folder" in str(failure(FILE, {"path": str(tmp_path)}, folder=tmp_path))
    broken = old(tmp_path / "a.json", '{"kills": 1')
    assert "stopped in the middle" in str(failure(FILE, {"path": str(broken)}, ResponseNotUnderstood, folder=tmp_path))


@pytest.mark.parametrize("typed", ["", "match.json", "a\0b", "x" * 1001])
def test_paths_that_are_none(typed: str) -> None:
    with pytest.raises(InvalidField):
        checked_path(typed)
    assert checked_path('"/home/mara/match.json"') == "/home/mara/match.json"


# Logs

PATTERN = r"(?P<actor>\w+) cut (?P<target>\w+)"


def followed(path: Path, count: int, after: Any, **more: Any) -> list[Any]:
    came = gather(FOLLOW, {"path": str(path), "pattern": PATTERN, "type": "kill"}, count, path.parent, after, **more)
    return [item for one in came for item in one.items]


def test_each_line_that_fits_makes_an_event_from_the_end_on(tmp_path: Path) -> None:
    path = tmp_path / "match.log"
    path.write_text("mara cut early\n")

    def after(number: int, _: object) -> None:
        if number == 1:
            with path.open("a") as file:
                file.write("nothing of note\nmara_vane cut otto_knot\nmara_vane cut ")

    [one] = followed(path, 1, after)
    assert (one.type, one.data) == ("kill", {"actor": "mara_vane", "target": "otto_knot"})


def test_a_log_is_followed_through_rotation_and_loses_no_line(tmp_path: Path) -> None:
    game = GameFiles(tmp_path)

    def after(number: int, _: object) -> None:
        if number == 1:
            game.line("mara_vane cut tuck")
            game.rotate()
            game.line("mara_vane cut pip_gale")

    assert [one.data["target"] for one in followed(game.log, 2, after)] == ["tuck", "pip_gale"]


def test_a_log_goes_on_after_a_restart_where_it_was_left(tmp_path: Path) -> None:
    game = GameFiles(tmp_path)
    kept: dict[str, Any] = {}

    def after(number: int, came: Any) -> None:
        kept.update(came.memory or {})
        if number == 1:
            game.line("mara_vane cut tuck")

    assert [one.data["target"] for one in followed(game.log, 1, after)] == ["tuck"]
    game.line("mara_vane cut june_spool")
    game.rotate()
    game.line("mara_vane cut wren_bobbin")
    again = followed(game.log, 2, lambda *_: None, memory=kept)
    assert [one.data["target"] for one in again] == ["june_spool", "wren_bobbin"]


def test_a_log_that_is_cut_short_is_read_from_its_beginning(tmp_path: Path) -> None:
    path = tmp_path / "match.log"
    path.write_text("mara cut early\n" * 3)
    notes: list[str] = []

    def after(number: int, came: Any) -> None:
        notes.append(came.note)
        if number == 1:
            path.write_text("mara cut late\n")

    assert [one.data["target"] for one in followed(path, 1, after)] == ["late"]
    assert "The log was truncated. Reading from the start." in notes


def test_a_pattern_names_parts_times_and_types() -> None:
    finder = Finder(r"^(?P<time>\S+) (?P<type>\w+) (?P<name>\w+) (?P<amount>[\d.]+)$", "line")
    item = finder.item("2026-11-26T19:02:00Z gift Ana 2.5")
    assert item
    assert (item.type, item.data["amount"], item.time and item.time.hour) == ("gift", 2.5, 19)


def test_a_pattern_that_takes_too_long_is_given_up_for_that_line() -> None:
    finder = Finder(r"(?P<a>(x+x+)+y)", "line")
    assert finder.item("x" * 400) is None
    assert "takes too long" in finder.problem


@pytest.mark.parametrize(("pattern", "words"), [("(", "column"), (r"\w+", "Name the parts"), ("", "empty")])
def test_patterns_that_are_none(pattern: str, words: str) -> None:
    check = FOLLOW.fields["pattern"].check
    with pytest.raises(InvalidField, match=words):
        check(pattern)


def test_before_it_is_kept_a_log_shows_what_its_last_lines_would_have_made(tmp_path: Path) -> None:
    game = GameFiles(tmp_path)
    game.beat(Beat(1, 0.0, "kill", {"actor": "mara_vane", "target": "tuck", "means": "tail snap"}))
    [came] = gather(FOLLOW, {"path": str(game.log), "pattern": PATTERN}, 1, tmp_path, trying=True)
    assert came.note == "1 of the last 1 lines match the pattern."
    assert json.loads(game.stats.read_text())["kills"] == 1


# Scripts


def script(folder: Path, body: str, name: str = "it.py", **choices: Any) -> dict[str, Any]:
    (folder / name).write_text(body)
    return {"program": name, "mode": "again", "limit_s": 5.0, **choices}


def test_a_script_says_json_lines_or_a_text(tmp_path: Path) -> None:
    def said(body: str, **choices: Any) -> Any:
        [came] = gather(SCRIPT, script(tmp_path, body, **choices), 1, tmp_path)
        return came.payload

    assert said("print('{\"wind\": 12}')") == {"wind": 12}
    assert said("print('12 km/h')") == {"text": "12 km/h", "numbers": [12]}
    assert said('print(\'{"n": 1}\\n{"n": 2}\')')["last"] == {"n": 2}
    words = said("import sys; print('given', *sys.argv[1:], sep='|')", words='"two words" $HOME; ls')
    assert words["text"] == "given|two words|$HOME;|ls"


def test_a_script_has_the_secret_it_was_given_and_no_other(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TESOURA_PASSWORD", "not for scripts")
    body = "import os, json; print(json.dumps(dict(os.environ)))"
    choices = script(tmp_path, body, variable="SERVICE_KEY")
    [came] = gather(SCRIPT, choices, 1, tmp_path, secrets={"secret": "paper-kite"})
    assert came.payload["SERVICE_KEY"] == "paper-kite"  # type: ignore[index]
    assert "TESOURA_PASSWORD" not in came.payload  # type: ignore[operator]
    assert environment({"PATH": "/bin", "X": "1"}, "", "") == {"PATH": "/bin", "PYTHONUNBUFFERED": "1"}


@pytest.mark.parametrize(
    ("body", "kind", "words"),
    [
        ("import time; time.sleep(60)", SourceUnavailable, "didn't finish within 0.5 s and was stopped"),
        ("while True: print('x' * 100_000)", ResponseNotUnderstood, "wrote more than 1 MB"),
        ("import sys; sys.exit(3)", SourceUnavailable, "ended with exit code 3"),
        ("pass", SourceUnavailable, "printed nothing"),
        ("print('a\\nb')", ResponseNotUnderstood, "printed 2 lines that are not JSON"),
        ("print('{\"a\": ')", ResponseNotUnderstood, "stopped in the middle"),
    ],
)
def test_a_script_that_goes_wrong_says_how(tmp_path: Path, body: str, kind: type, words: str) -> None:
    choices = script(tmp_path, body, limit_s=0.5 if "sleep" in body else 20.0)
    assert words in str(failure(SCRIPT, choices, kind, folder=tmp_path))


def test_what_a_script_writes_to_its_errors_is_shown(tmp_path: Path) -> None:
    error = failure(SCRIPT, script(tmp_path, "raise RuntimeError('no kite')"), folder=tmp_path)
    assert "RuntimeError: no kite" in error.payload


def _is_over(state: Path) -> bool:
    """Whether a process is gone, or only waits to be forgotten."""
    try:
        return state.read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        return True


def test_a_script_that_hangs_takes_what_it_started_along(tmp_path: Path) -> None:
    body = (
        "import subprocess, time\n"
        "child = subprocess.Popen(['sleep', '600'])\n"
        "open('child', 'w').write(str(child.pid))\n"
        "time.sleep(600)"
    )
    failure(SCRIPT, script(tmp_path, body, limit_s=1.5), folder=tmp_path)
    child = int((tmp_path / "child").read_text())
    state = Path(f"/proc/{child}/stat")
    # It is told to end at once; the system takes a moment to do it.
    until(lambda: _is_over(state))


def test_a_script_that_is_kept_running_tells_line_by_line(tmp_path: Path) -> None:
    body = "import json, time\nfor n in (1, 2):\n    print(json.dumps({'n': n}), flush=True)\ntime.sleep(60)"
    came = gather(SCRIPT, script(tmp_path, body, mode="kept"), 2, tmp_path)
    assert [one.message for one in came] == [{"n": 1}, {"n": 2}]
    ended = failure(SCRIPT, script(tmp_path, "print(1)", mode="kept"), folder=tmp_path)
    assert "ended with exit code 0. Restarting" in str(ended)


@pytest.mark.parametrize(("name", "words"), [("gone.py", "There is no gone.py"), ("plain", "is not executable")])
def test_programs_that_cannot_be_run(tmp_path: Path, name: str, words: str) -> None:
    (tmp_path / "plain").write_text("hello")
    assert words in str(failure(SCRIPT, {"program": name, "mode": "again"}, folder=tmp_path))


@pytest.mark.parametrize("program", ["../x.py", "a/b.py", ".hidden", ""])
def test_only_programs_of_the_folder_itself_are_run(program: str) -> None:
    with pytest.raises(InvalidField):
        SCRIPT.fields["program"].check(program)
    with pytest.raises(InvalidField):
        checked_words('"open')


def test_the_examples_run(tmp_path: Path) -> None:
    assert put(tmp_path) == 3
    assert put(tmp_path) == 0
    assert programs(tmp_path) == ["disk_space.py", "kite_wind.py", "uptime.sh"]
    words = {"words": str(tmp_path)}
    [disk] = gather(SCRIPT, {"program": "disk_space.py", "mode": "again", "limit_s": 10, **words}, 1, tmp_path)
    assert set(disk.payload) == {"free_gb", "used_pct", "recording", "hours_left"}  # type: ignore[call-overload]
    [wind] = gather(SCRIPT, {"program": "kite_wind.py", "mode": "kept"}, 1, tmp_path)
    assert 0 <= wind.message["wind_kmh"] <= 40  # type: ignore[index]
