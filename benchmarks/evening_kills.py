"""A whole evening under kill -9: Tesoura is killed at random moments under mixed load, a third of them as it starts.

What it acknowledged must be there, and once; and what it shows must be what its log comes to.
"""

from __future__ import annotations

import contextlib
import os
import random
import re
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import zipfile
from collections import Counter
from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

import httpx

from benchmarks.processes import answered, free_port
from tesoura.runtime.facade import Runtime
from tesoura.settings import wall_clock
from tesoura.standins.sender import new_secret, signed

KILLS, CHECKED_EVERY = 1_000, 50
LOADERS = 4
STARTING = 1 / 3
"""This share of all kills comes while Tesoura starts."""
MOST_IMPORTS = 12
COMMANDS = {
    "point": ("match", {"side": "home"}),
    "hit": ("mile", {}),
    "spin": ("tea", {}),
    "press": ("cheer", {}),
    "add": ("break_", {"by": "1 min"}),
}
"""Each command of the load: which instrument takes it, and what is given with it."""
OF_PAGES = ("air.", "seen.")
"""How signals begin that tell of open pages, and not of the log."""


class Prepared:
    """A data folder with one of everything, and how it is reached."""

    def __init__(self, folder: Path) -> None:
        from tests.conftest import Running
        from tests.runtime.test_clips import act
        from tests.runtime.test_cues import new_cue

        self.folder, self.data, self.secret = folder, folder / "data", new_secret()
        running = Running(self.data)
        running.press(
            "/",
            "/feeds/new/hand",
            {"title": "Count", "what": "number", "start": "0", "step": "1", "low": "0", "high": "999999"},
        )
        running.press("/", "/feeds/new/webhook", {"title": "Hook", "signed": "yes", "secret": self.secret})
        found = re.search(r"/in/[\w-]+", running.client.get("/feeds/hook").text)
        assert found is not None
        self.hook = found[0]
        running.client.post(self.hook, **self.message("first", 0))
        running.do("feed.pick?feed=hook", {"path": "n", "field": "n", "unit": ""})
        gifts = {"types": ["gift"], "amount": "amount", "by": "name", "over": "all", "stats": ["count", "sum", "top"]}
        act(running, "computed.new", kind="window", name="gifts", choices=gifts)
        act(running, "computed.new", kind="chain", name="rows", choices={"types": ["gift"], "within_s": "2"})
        for kind, choices in (
            ("scoreboard", {"title": "Match", "sport": "basketball"}),
            ("run", {"title": "Mile"}),
            ("wheel", {"title": "Tea", "turn_s": "2", "hold_s": "1", "landing": "none"}),
            ("countdown", {"title": "Break_", "length": "40 min"}),
            ("statistics", {"title": "Game", "player": "mara_vane"}),
        ):
            act(running, "instrument.new", kind=kind, choices=choices)
        act(running, "instrument.command", instrument="mile", command="add_splits", names="Gate\nTwins\nWell")
        act(running, "instrument.command", instrument="mile", command="next")
        act(running, "instrument.command", instrument="break_", command="start")
        for words in ("sing", "tea"):
            running.do("instrument.command?instrument=tea&command=add_item", {"words": words, "weight": "1"})
        new_cue(running, do_1="set", signal_1="script.cheers", value_of_1="1", rests="1 s")
        running.add_overlay("{gifts.sum} spools of {gifts.count}, {count.value}, {hook.n}, {script.cheers}")
        at = folder / "game" / "mile.sav"
        at.parent.mkdir()
        at.write_bytes(b"gatekeeper" * 4_000)
        # Written long ago, so that nobody waits for it to settle.
        os.utime(at, (1_790_000_000, 1_790_000_000))
        self.game = act(running, "saves.new_game", path=str(at), title="Mile", wait_s="1").result["game"]
        self.auth = running.auth
        running.stop()
        self.signals = set(self.state(self.data, wall_clock()))

    def message(self, id: str, number: int) -> dict[str, Any]:
        """A signed message with a value."""
        heads, body = signed(self.secret, {"n": number}, id, int(time.time()))
        return {"headers": heads, "content": body}

    @staticmethod
    def state(folder: Path, at: datetime) -> dict[str, Any]:
        """What every signal of a data folder tells after a start at this instant, which does not pass."""
        from tests.conftest import Clock, Running

        clock = Clock(at)
        running = Running(folder, clock=clock, lasting_s=clock.lasting_s)
        try:
            return {
                one.name: one.value
                for one in running.runtime.call(Runtime.signals)
                if not one.name.startswith(OF_PAGES)
            }
        finally:
            running.kill()


class Load:
    """Several at once who do whatever is done in an evening, and note what was acknowledged."""

    def __init__(self, prepared: Prepared, seed: int) -> None:
        self.prepared, self.chance = prepared, random.Random(seed)
        self.acknowledged: dict[str, list[Any]] = {}
        self.sent: Counter[str] = Counter()
        self.stopped = threading.Event()
        self._lock = threading.Lock()
        self._number = 0
        self._token: tuple[str, str] | None = None
        self.imports = 0

    def number(self) -> int:
        """A number that was not used before."""
        with self._lock:
            self._number += 1
            return self._number

    def took(self, what: str, which: Any) -> None:
        """This was acknowledged."""
        with self._lock:
            self.acknowledged.setdefault(what, []).append(which)

    def go(self, port: int) -> list[threading.Thread]:
        """Begin; everybody goes on until the server is gone."""
        self.stopped.clear()
        self._token = None
        seeds = [self.chance.randrange(2**30) for _ in range(LOADERS)]
        threads = [threading.Thread(target=self._one, args=(port, one, not at)) for at, one in enumerate(seeds)]
        for one in threads:
            one.start()
        return threads

    def begun(self) -> None:
        """Wait until something of it was acknowledged."""
        end, before = time.monotonic() + 20, sum(map(len, self.acknowledged.values()))
        while sum(map(len, self.acknowledged.values())) == before and time.monotonic() < end:
            time.sleep(0.02)

    def _one(self, port: int, seed: int, first: bool) -> None:
        chance = random.Random(seed)
        acts: list[Callable[..., None]] = [self._event] * 6 + [self._press] * 3 + [self._command] * 8
        acts += [self._save, self._publish, self._clip, self._import]
        if first:
            # Values come in order, so only one tells them.
            acts += [self._hook] * 6
        with (
            contextlib.suppress(httpx.HTTPError),
            httpx.Client(
                base_url=f"http://127.0.0.1:{port}", headers=self.prepared.auth, trust_env=False, timeout=20
            ) as client,
        ):
            while not self.stopped.is_set():
                chance.choice(acts)(client, chance)

    def _event(self, client: httpx.Client, chance: random.Random) -> None:
        id, amount = f"e{self.number()}", chance.randrange(1, 9)
        gift = {
            "type": "gift",
            "source": "load",
            "id": id,
            "data": {"name": chance.choice(["ana", "bolt", "tuck"]), "amount": amount},
        }
        if client.post("/api/events", json=gift).status_code == 202:
            self.took("event", id)

    def _hook(self, client: httpx.Client, chance: random.Random) -> None:
        number = self.number()
        answer = client.post(self.prepared.hook, **self.prepared.message(f"m{number}", number))
        assert answer.status_code == 202, answer.text
        self.took("hook", number)

    def _do(self, client: httpx.Client, action: str, **given: Any) -> bool:
        return client.post(f"/api/actions/{action}", json=given).status_code == 200

    def _press(self, client: httpx.Client, chance: random.Random) -> None:
        self.sent["hand"] += 1
        if self._do(client, "hand.set", name="count", step="1"):
            self.took("hand", 1)

    def _command(self, client: httpx.Client, chance: random.Random) -> None:
        command = chance.choice([*COMMANDS])
        instrument, given = COMMANDS[command]
        self.sent[command] += 1
        if self._do(client, "instrument.command", instrument=instrument, command=command, **given):
            self.took(command, 1)

    def _save(self, client: httpx.Client, chance: random.Random) -> None:
        name = f"save {self.number()}"
        if self._do(client, "saves.keep", game=self.prepared.game, name=name, folder=0, note=""):
            self.took("save", name)

    def _csrf(self, client: httpx.Client) -> dict[str, str]:
        """A form's token, asked for once of each server."""
        with self._lock:
            if self._token is None:
                answer = client.get("/feeds/")
                found = re.search(r'<meta name="csrf" content="([^"]+)"', answer.text)
                assert found is not None
                self._token = (found[1], answer.headers["set-cookie"].partition(";")[0])
            token, cookie = self._token
        return {"X-CSRFToken": token, "Cookie": cookie}

    def _publish(self, client: httpx.Client, chance: random.Random) -> None:
        x, heads = self.number() % 1_000, self._csrf(client)
        edit = {"do": "change", "pieces": ["text"], "set": {"x": x}}
        told = {"edits": [edit], "window": f"w{self.number()}"}
        if client.post("/overlays/1/edits", json=told, headers=heads).status_code == 200:
            answer = client.post("/overlays/1/publish", data={"anyway": "yes"}, headers=heads)
            if answer.status_code in (200, 302):
                self.took("publish", x)

    def _clip(self, client: httpx.Client, chance: random.Random) -> None:
        from tests.web.test_clip_pages import MADE_UP

        title = f"clip {self.number()}"
        if client.post("/api/clips", content=MADE_UP.read_bytes(), params={"title": title}).status_code == 201:
            self.took("clip", title)

    def _import(self, client: httpx.Client, chance: random.Random) -> None:
        from tests.web.test_starters import STARTERS

        with self._lock:
            self.imports += 1
            if self.imports > MOST_IMPORTS:
                return
        given = {"starter": STARTERS["starting_soon"].text, "key": "starting_soon", "way": "0"}
        answer = client.post("/begin/use", data=given, headers=self._csrf(client))
        if answer.status_code == 302 and (name := re.search(r"instruments=(\w+)", answer.headers["location"])):
            self.took("import", name[1])


def _logged(folder: Path) -> dict[str, Any]:
    """What the log has, told by nothing but SQL."""
    with contextlib.closing(sqlite3.connect(f"file:{folder / 'tesoura.db'}?mode=ro", uri=True)) as database:

        def ask(words: str) -> Any:
            return database.execute(words).fetchall()

        return {
            "event": [id for (id,) in ask("SELECT id FROM event WHERE source = 'load'")],
            "gifts": ask("SELECT count(*), sum(json_extract(data, '$.amount')) FROM event WHERE type = 'gift'")[0],
            "hand": ask("SELECT count(*) FROM event WHERE type LIKE 'tesoura.%' AND subject = 'count'")[0][0],
            "save": [name for (name,) in ask("SELECT name FROM save")],
            "clip": [title for (title,) in ask("SELECT title FROM clip")],
            "import": [name for (name,) in ask("SELECT name FROM computed")],
            "drafts": ask("SELECT count(*) FROM version WHERE overlay_id = 1")[0][0],
            **{
                command: ask(
                    "SELECT count(*) FROM event WHERE type = 'tesoura.command." + name + "' AND "
                    f"json_extract(data, '$.command') = '{command}'"
                )[0][0]
                for command, (name, _) in COMMANDS.items()
            },
        }


def _problems(prepared: Prepared, load: Load, folder: Path) -> list[str]:
    """What is not as it must be in a copy of the data folder."""
    found, logged, told = list[str](), _logged(folder), load.acknowledged
    for what in ("event", "save", "clip", "import"):
        there = Counter(logged[what])
        found += [f"{what} {one} was acknowledged and is lost" for one in told.get(what, ()) if one not in there]
        if what != "import":
            found += [f"{what} {one} is there {count} times" for one, count in there.items() if count > 1]
    for what in ("hand", *COMMANDS):
        if not len(told.get(what, ())) <= logged[what] <= load.sent[what] + (what == "hand"):
            found.append(
                f"{what}: {len(told.get(what, ()))} acknowledged, {logged[what]} logged, {load.sent[what]} sent"
            )
    if logged["drafts"] < len(told.get("publish", ())):
        found.append(f"{len(told['publish'])} versions were acknowledged, {logged['drafts']} are there")
    again = folder.with_name("again")
    shutil.copytree(folder, again)
    with contextlib.closing(sqlite3.connect(again / "tesoura.db")) as database:
        database.execute("DELETE FROM computed_state")
        database.commit()
    now = wall_clock()
    kept, counted = prepared.state(folder, now), prepared.state(again, now)
    found += [
        f"{name} is {kept.get(name)!r}, and {counted.get(name)!r} by the log"
        for name in sorted({*kept, *counted})
        if kept.get(name) != counted.get(name)
    ]
    wanted = {
        "gifts.count": logged["gifts"][0],
        "gifts.sum": logged["gifts"][1] or 0,
        "count.value": logged["hand"] - 1,
    }
    found += [f"{name} is {kept.get(name)}, not {value}" for name, value in wanted.items() if kept.get(name) != value]
    if kept["hook.n"] < max(told.get("hook", [0])):
        found.append(f"hook.n is {kept['hook.n']}, and {max(told['hook'])} was acknowledged")
    shutil.rmtree(again)
    return found


def _backed_up(prepared: Prepared) -> list[str]:
    """Make a backup of a Tesoura that runs; what is wrong with it."""
    file = prepared.folder / "backup.zip"
    words = [sys.executable, "-m", "tesoura", "backup", str(file), "--data", str(prepared.data)]
    done = subprocess.run(words, capture_output=True, text=True, check=False)
    if done.returncode:
        return [f"no backup: {done.stderr[-200:]}"]
    with zipfile.ZipFile(file) as packed:
        bad = packed.testzip()
    file.unlink()
    return [f"the backup has a damaged {bad}"] if bad else []


def killed(kills: int, seed: int = 1) -> Mapping[str, Any]:
    """Kill it so often; what was done meanwhile, and what was lost, doubled or different."""
    chance, problems, compared = random.Random(seed), list[str](), 0
    began, starting = time.perf_counter(), 0
    with tempfile.TemporaryDirectory() as name:
        prepared = Prepared(Path(name))
        load = Load(prepared, seed)
        for number in range(1, kills + 1):
            port = free_port()
            words = [sys.executable, "-m", "tesoura", "serve", "--port", str(port), "--data", str(prepared.data)]
            process = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
            if early := chance.random() < STARTING:
                starting += 1
                time.sleep(chance.random() * 3)
            else:
                answered(port, "/api/signals")
                threads = load.go(port)
                if number % CHECKED_EVERY == 1:
                    problems += _backed_up(prepared)
                load.begun()
                time.sleep(chance.random() * chance.choice([1, 1, 1, 4]))
            process.send_signal(signal.SIGKILL)
            process.wait()
            if not early:
                load.stopped.set()
                for one in threads:
                    one.join()
            if number % CHECKED_EVERY == 0 or number == kills:
                copy = Path(name) / "copy"
                shutil.copytree(prepared.data, copy)
                problems += [f"after kill {number}: {one}" for one in _problems(prepared, load, copy)]
                compared += len(prepared.signals) + sum(map(len, load.acknowledged.values()))
                shutil.rmtree(copy)
                print(number, len(problems), {one: len(of) for one, of in load.acknowledged.items()}, flush=True)
    acts = {one: len(of) for one, of in load.acknowledged.items()}
    return {
        "kills": kills,
        "while_starting": starting,
        "acknowledged": acts,
        "compared": compared,
        "problems": len(problems),
        "which": problems[:40],
        "goal_problems": 0,
        "seconds": round(time.perf_counter() - began),
    }
