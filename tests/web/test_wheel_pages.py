"""The pages of a wheel: its chances, spins owed, what can be checked by page, file and command line."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from tesoura.cli import main
from tesoura.core.instruments.wheel.commands import Wheel
from tesoura.core.wheel.checking import checked_rows, rows_of
from tesoura.core.wheel.draw import drawn, hash_of
from tesoura.errors import InvalidField
from tesoura.store import spins
from tesoura.store.secrets import Secrets
from tests.conftest import Running, flat, until

SECRET = bytes(range(32))
EVEN = [1_000_000] * 4


def wheel(
    running: Running, fields: tuple[tuple[str, str], ...] = (("sing", "1"), ("tea", "1")), **choices: Any
) -> None:
    given = {"title": "Wheel", "turn_s": "2", "hold_s": "1", "landing": "none", **choices}
    running.do("instrument.new?kind=wheel", given)
    for words, weight in fields:
        running.do("instrument.command?instrument=wheel&command=add_item", {"words": words, "weight": weight})


def do(running: Running, command: str, **given: Any) -> str:
    return flat(running.press("/", f"/instruments/wheel/do/{command}", given, follow_redirects=True).text)


def spun(running: Running) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = running.client.get("/instruments/wheel/spins.json").json()
    return found


def test_the_hash_is_shown_before_and_fits_the_secret_that_is_told_after(running: Running) -> None:
    wheel(running)
    sealed = running.signal("wheel.hash")["value"]
    assert sealed in running.client.get("/instruments/wheel/history").text
    do(running, "spin")
    until(lambda: spun(running))
    (told,) = spun(running)
    assert told["hash"] == sealed == hash_of(bytes.fromhex(told["opened"]))
    assert drawn(bytes.fromhex(told["opened"]), 1, told["weights"]) == told["came"] - 1
    assert running.signal("wheel.hash")["value"] != sealed


def test_what_comes_is_nowhere_to_be_read_before_it_has_landed(running: Running) -> None:
    wheel(running, (("sing the score", "1"), ("tea for all", "1")), turn_s="6")
    do(running, "spin")
    standing = running.runtime.call(lambda self: self.instruments.standing("wheel"))
    assert standing is not None
    assert isinstance(standing.instrument, Wheel)
    assert standing.instrument.spin is not None
    landed = standing.instrument.spin.field.words
    assert running.signal("wheel.field")["value"] in (None, "")
    panel = running.client.get("/instruments/wheel/panel").text
    assert "spinning" in panel
    assert landed not in panel


def test_spins_are_earned_spent_and_kept_over_a_kill(running: Running) -> None:
    wheel(running, when_1="gift", amount_1="amount", each_1="50", by_1="name")
    event = {"type": "gift", "source": "pier", "id": "1", "data": {"name": "teacup_ana", "amount": 120}}
    for _ in range(2):
        # The same gift, told twice, earns once.
        running.client.post("/api/events", json=event, headers=running.auth)
    until(lambda: running.signal("wheel.owed")["value"] == 2)
    do(running, "spin", who="teacup_ana")
    running.kill()
    anew = Running(running.folder)
    try:
        until(lambda: spun(anew))
        assert [one["who"] for one in spun(anew)] == ["teacup_ana"]
        assert anew.signal("wheel.owed")["value"] == 1
        assert "teacup_ana has no spins owed" not in do(anew, "spin", who="next")
        until(lambda: len(spun(anew)) == 2)
        assert "No spins owed" in do(anew, "spin", who="next")
    finally:
        anew.stop()


def test_chances_stand_beside_each_field_and_what_cannot_be_says_why(running: Running) -> None:
    wheel(running, (("once", "1"),))
    assert "needs at least 2 fields; it has 1" in do(running, "spin")
    running.do("instrument.command?instrument=wheel&command=add_item", {"words": "the cold kettle", "weight": "0,25"})
    page = flat(running.client.get("/instruments/wheel").text)
    assert "80.0 %" in page
    assert "20.0 %" in page
    wrong = running.do("instrument.command?instrument=wheel&command=add_item", {"words": "", "weight": "-1"})
    assert wrong.status_code == 422
    assert "A weight is 0 or more" in flat(wrong.text)
    long = running.do("instrument.command?instrument=wheel&command=add_item", {"words": "x" * 81, "weight": "1"})
    assert "at most 80 fit" in flat(long.text)


def test_names_of_viewers_run_nothing_on_the_page_that_checks(running: Running) -> None:
    wheel(running)
    do(running, "owe", who="</textarea><script>alert(1)</script>")
    do(running, "spin", who="next")
    until(lambda: spun(running))
    for path in ("/instruments/wheel/check", "/instruments/wheel/check?alone=yes", "/instruments/wheel/history"):
        assert "<script>alert(1)" not in running.client.get(path).text
    alone = running.client.get("/instruments/wheel/check?alone=yes")
    assert alone.headers["Content-Disposition"] == 'attachment; filename="wheel-check.html"'
    # It needs nothing from anywhere.
    assert 'src="' not in alone.text
    assert "http" not in alone.text.replace("http-equiv", "")


def test_a_hash_is_public_and_stays_uncovered_beside_what_is_covered(running: Running) -> None:
    wheel(running)
    running.press("/", "/desk/cover", {"covered": "yes"})
    sealed = running.signal("wheel.hash")["value"]
    page = running.client.get("/instruments/wheel/history").text
    assert f'<samp class="break">{sealed}</samp>' in page


def test_nobody_else_tells_what_the_wheel_tells(running: Running) -> None:
    wheel(running)
    for kind, data in (("wheel.owed", {"who": "pip_gale", "spins": 50}), ("wheel.landed", {"id": "1:landed"})):
        running.event(type=kind, data=data)
    running.event(type="gift", data={"name": "pip_gale"})
    until(lambda: running.signal("gift.name").get("value"))
    assert running.signal("wheel.owed")["value"] == 0


# On the command line


def told(came: int | None = None, **other: Any) -> dict[str, Any]:
    """A spin as it is exported."""
    came = drawn(SECRET, 7, EVEN) if came is None else came
    fields = ["one lap backwards", "sing the score", "swap kites", "the cold kettle"]
    return {
        "number": 7,
        "hash": hash_of(SECRET),
        "opened": SECRET.hex(),
        "weights": EVEN,
        "came": came + 1,
        "fields": fields,
        "field": fields[came],
        "who": "teacup_ana",
        "chance_pct": 25.0,
        **other,
    }


def verify(tmp_path: Path, text: str) -> tuple[int, str]:
    (tmp_path / "spins.json").write_text(text, "utf-8")
    result = CliRunner().invoke(main, ["verify", str(tmp_path / "spins.json")])
    return result.exit_code, result.output


def test_tesoura_verify_does_the_sum(tmp_path: Path) -> None:
    came = drawn(SECRET, 7, EVEN)
    for one in (told(), [told()], {"data": told()}):
        assert verify(tmp_path, json.dumps(one)) == (0, f"Spin 7: as it should be, field {came + 1}\n")
    wrong = (came + 1) % 4
    code, said = verify(tmp_path, json.dumps(told(wrong)))
    assert (code, said) == (1, f"Spin 7: By the secret, field {came + 1} had to come, and not field {wrong + 1}.\n")
    code, said = verify(tmp_path, json.dumps(told()) + "\n" + json.dumps(told(hash=hash_of(b"else"))))
    assert code == 1
    assert "not the one whose hash was shown" in said


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("tea", "Not valid JSON"),
        ("[]", "Give one spin"),
        ("[1]", "A spin is a group of values"),
        ('{"number": 1}', "hash, opened, weights, came missing"),
        (json.dumps(told(weights="1111")), "whole numbers"),
        (json.dumps(told(weights=[0.5, 0.5])), "whole numbers"),
        (json.dumps(told(number=True)), "whole numbers"),
    ],
)
def test_what_is_no_spin_says_what_is_missing(tmp_path: Path, text: str, words: str) -> None:
    with pytest.raises(InvalidField, match=words):
        checked_rows(rows_of(text))
    assert verify(tmp_path, text)[0] == 1


def test_weights_that_cannot_be_are_told_as_such() -> None:
    assert "Invalid weights:" in checked_rows([told(weights=[0, 0])])[0].wrong[0]
    assert "hexadecimal" in checked_rows([told(opened="xyz")])[0].wrong[0]


NAMES = ["one lap backwards", "sing the score", "swap kites", "the cold kettle"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"field": "sing louder"}, "It says that “sing louder” came"),
        ({"fields": NAMES[:3]}, "It has 3 fields and 4 weights"),
        ({"fields": None}, "It doesn't contain one field name per weight"),
        ({"who": None}, "It doesn't contain the viewer"),
        ({"chance_pct": 3.2}, "It says that the chance was 3.2 %; by its weights it was 25.0 %."),
        ({"chance_pct": None}, "It says that the chance was nothing"),
    ],
)
def test_what_a_spin_tells_beside_its_sum_is_checked_too(change: dict[str, Any], words: str) -> None:
    assert words in " ".join(checked_rows([told(**change)])[0].wrong)


def exported(count: int, secrets: Secrets) -> list[dict[str, Any]]:
    """Spins as a wheel's page gives them away, the newest first."""
    rows = []
    for number in range(1, count + 1):
        secret = bytes([number]) * 32
        came = drawn(secret, number, EVEN)
        rows.append(
            {
                **told(),
                "number": number,
                "hash": hash_of(secret),
                "opened": secret.hex(),
                "came": came + 1,
                "field": NAMES[came],
                "at": f"2026-11-26T20:0{number}:00+00:00",
            }
        )
    found: list[dict[str, Any]] = json.loads(json.dumps(spins.signed(rows, secrets)[::-1]))
    return found


def swapped(rows: list[dict[str, Any]]) -> None:
    came = rows[2]["came"] - 1
    one, other = [at for at in range(4) if at != came][:2]
    names = rows[2]["fields"]
    names[one], names[other] = names[other], names[one]


def with_two_secrets(rows: list[dict[str, Any]]) -> None:
    other = exported(5, Secrets(b"y" * 32))[1]
    rows.insert(1, {**other, "hash": hash_of(b"z" * 32), "opened": (b"z" * 32).hex()})


@pytest.mark.parametrize(
    ("alter", "words"),
    [
        (lambda rows: rows[0]["fields"].__setitem__(rows[0]["came"] % 4, "a biscuit"), "Spin 5: fields was changed"),
        (swapped, "Spin 3: fields was changed"),
        (lambda rows: rows[1].pop("fields"), "It doesn't contain one field name per weight"),
        (lambda rows: rows[1].update(who="bolt_uncle"), "Spin 4: who was changed"),
        (lambda rows: rows[1].update(at="2026-11-26T21:00:00+00:00"), "Spin 4: at was changed"),
        (lambda rows: rows[1].update(chance_pct=24.0), "Spin 4: It says that the chance was 24.0 %"),
        (lambda rows: rows[1].pop("signed"), "Spin 4: Not signed"),
        (lambda rows: rows.pop(2), "Spin 4: Spin 3 is missing before it."),
        (lambda rows: rows.pop(), "Spin 2: Spin 1 is missing before it."),
        (lambda rows: rows.append(dict(rows[1])), "There is more than one spin of this number."),
        (with_two_secrets, "There is more than one spin of this number."),
        (lambda rows: rows[1]["signed"]["parts"].update(extra="0"), "Spin 4: Invalid signature"),
    ],
)
def test_whatever_was_altered_in_exported_spins_is_found(
    alter: Callable[[list[dict[str, Any]]], Any], words: str, tmp_path: Path
) -> None:
    rows = exported(5, Secrets(b"x" * 32))
    assert verify(tmp_path, json.dumps(rows))[0] == 0
    alter(rows)
    code, said = verify(tmp_path, json.dumps(rows))
    assert (code, words in said) == (1, True), said


def test_spins_that_another_folder_signed_are_told(running: Running, tmp_path: Path) -> None:
    (tmp_path / "spins.json").write_text(json.dumps(exported(2, running.store.secrets)), "utf-8")
    same = CliRunner().invoke(main, ["verify", str(tmp_path / "spins.json"), "--data", str(running.folder)])
    assert same.exit_code == 0, same.output
    (tmp_path / "spins.json").write_text(json.dumps(exported(2, Secrets(b"x" * 32))), "utf-8")
    other = CliRunner().invoke(main, ["verify", str(tmp_path / "spins.json"), "--data", str(running.folder)])
    assert (other.exit_code, other.output.count("Signed with a different key than this data folder's")) == (1, 2)


@pytest.mark.parametrize("begins", ["", '{"kind": "tesoura.sponsor_report", "a": ', '{"a":' * 100_000])
def test_what_is_nested_beyond_reason_is_no_proof(tmp_path: Path, begins: str) -> None:
    code, told = verify(tmp_path, begins + "[" * 100_000)
    assert code == 1
    assert told.startswith("Error: ")
