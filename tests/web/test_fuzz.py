"""Every form and upload, filled in as nobody would: each answers with a sentence, and no page is broken afterwards."""

from __future__ import annotations

import copy
import io
import json
import os
import random
import re
import time
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import quote_plus, urljoin, urlsplit

import httpx
import pytest
from bs4 import BeautifulSoup, Tag
from PIL import Image
from websockets.sync.client import connect

import tesoura
from tesoura.demo.evening import seed_folder
from tesoura.demo.services import Services
from tesoura.store.store import open_store

from ..conftest import Running
from ..uploads.test_uploads import mp4, webm

NOW = datetime(2026, 11, 20, 19, 0, tzinfo=UTC)
SEED = int(os.environ.get("FUZZ_SEED", "7"))
FORMS = int(os.environ.get("FUZZ_FORMS", "110"))
UPLOADS = int(os.environ.get("FUZZ_UPLOADS", "45"))
NASTY = (
    "",
    " ",
    "\x00",
    "a\x00b",
    "\ud83d",
    "\udc00x",
    "９９",
    "9" * 40,
    "-" + "9" * 40,
    "1e400",
    "-1e400",
    "nan",
    "inf",
    "-0",
    "0",
    "-1",
    "0.0000001",
    "1" * 5_000,
    "x" * 20_000,
    "\u202e\u0000",
    "é" * 300,
    "{",
    "}",
    "{{",
    "{a.b",
    "{a" * 400,
    "(" * 2_000,
    "[" * 2_000,
    "{not(" * 100,
    "null",
    "true",
    "[]",
    "{}",
    '{"a":' * 500,
    "[[1]]",
    '["x", {"y": NaN}]',
    "<script>alert(1)</script>",
    "'; drop table feed; --",
    "../../etc/passwd",
    "/dev/zero",
    "C:\\con",
    "http://[",
    "http://[::1",
    "http://a:b@c:99999/",
    "http://ä\ud83d.example/",
    "http://例え.example/",
    "http://127.0.0.1:9/",
    "//",
    "file:///etc/passwd",
    "2026-13-45",
    "2026-11-20T19:00",
    "9999-12-31T23:59:59",
    "0001-01-01",
    "23:59:60",
    "-00:00",
    "99:99",
    "1:2:3:4",
    "∞",
    "1_000",
    "٣",
    "½",
    "a\nb\r\nc",
    "\u2028",
    "\ufeff",
    "a;b{c:d}",
    "&:has(&){}",
    "@media{" * 300,
    ":not(" * 300,
    "a[0].b[?c=='d']",
    "@",
    "*",
    "**",
    "..",
    ".",
    "%",
    "%s%n",
    "{:>99999999}",
    "{a.b:>99999999}",
    "{a.b:.99999999f}",
    "#ff",
    "#gggggg",
    "url(//x)",
    "no",
    "yes",
    "on",
    "9223372036854775808",
    "-9223372036854775809",
    "4294967296",
)


DRAWING = (
    b'<svg xmlns="http://www.w3.org/2000/svg" width="40" height="30" viewBox="0 0 40 30"><defs><rect id="a" width="9" '
    b'height="9"/></defs><use href="#a" x="4"/><path d="M0 0L9 9z" transform="rotate(4)"/><text x="3" '
    b'y="9">kite</text></svg>'
)


class Form(NamedTuple):
    """A form of a page, as it stands there."""

    action: str
    method: str
    fields: tuple[tuple[str, str], ...]
    files: tuple[str, ...]


class Crawler:
    """Goes through the pages as somebody would who follows every link, and finds their forms."""

    def __init__(self, running: Running) -> None:
        self.running = running
        self.broken: list[str] = []

    def page(self, path: str) -> httpx.Response:
        """One page; one that fails is kept in `broken`."""
        answer = self.running.client.get(path, follow_redirects=True)
        if answer.status_code >= 500:
            self.broken.append(f"GET {path} → {answer.status_code}")
        return answer

    def walk(self, at_most: int) -> tuple[list[str], list[Form]]:
        """The pages that can be reached, and their forms, no two alike."""
        todo, seen, pages = ["/"], {"/"}, list[str]()
        forms: dict[tuple[str, tuple[str, ...]], Form] = {}
        shapes: dict[str, int] = {}
        while todo and len(pages) < at_most:
            path = todo.pop(0)
            answer = self.page(path)
            if "html" not in answer.headers.get("content-type", "") or answer.status_code != 200:
                continue
            pages.append(path)
            soup = BeautifulSoup(answer.text, "html.parser")
            for link in soup.select("a[href]"):
                to = urlsplit(urljoin(path, str(link["href"])))
                shape = re.sub(r"\d+", "1", to.path) + "?" + "&".join(sorted(re.findall(r"(\w+)=", to.query)))
                whole = to.path + ("?" + to.query if to.query else "")
                if to.netloc or whole in seen or shapes.get(shape, 0) >= 3 or not to.path.startswith("/"):
                    continue
                seen.add(whole)
                shapes[shape] = shapes.get(shape, 0) + 1
                todo.append(whole)
            for one in self._forms(path, soup):
                forms.setdefault((re.sub(r"\d+", "1", one.action), tuple(name for name, _ in one.fields)), one)
        return pages, list(forms.values())

    @staticmethod
    def _forms(path: str, soup: BeautifulSoup) -> Iterator[Form]:
        for form in soup.select("form"):
            inside = [one for one in form.select("input, select, textarea, button") if one.get("name")]
            outside = soup.select(f'[form="{form["id"]}"]') if form.get("id") else []
            every = [*inside, *[one for one in outside if one.get("name")]]
            fields = tuple((str(one["name"]), _value(one)) for one in every if one.get("type") != "file")
            files = tuple(str(one["name"]) for one in every if one.get("type") == "file")
            action = form.get("action") or form.get("hx-post") or form.get("hx-get") or path
            method = "post" if form.get("hx-post") or str(form.get("method", "")).lower() == "post" else "get"
            yield Form(urljoin(path, str(action)), method, fields, files)


def _value(one: Tag) -> str:
    if one.name == "textarea":
        return one.text
    if one.name == "select":
        chosen = one.select_one("option[selected]") or one.select_one("option")
        return str(chosen.get("value", chosen.text)) if chosen else ""
    return str(one.get("value", ""))


def encoded(fields: list[tuple[str, str]]) -> bytes:
    """Fields as a form sends them, half a character pair too."""

    def one(text: str) -> str:
        return quote_plus(text.encode("utf-8", "surrogatepass"))

    return "&".join(f"{one(name)}={one(value)}" for name, value in fields).encode()


@pytest.fixture
def evening(tmp_path: Path) -> Iterator[Running]:
    """A Tesoura with one of everything in it."""
    services = Services(tmp_path / "game", 7, 1.0)
    parts = (services.members, services.channel, services.streams, services.broker, services.ratings)
    for part in parts:
        part.start()
    folder = tmp_path / "data"
    store = open_store(folder)
    seed_folder(store, services, NOW)
    store.close()
    made = Running(folder)
    yield made
    made.stop()
    for part in parts:
        part.stop()


def test_no_form_breaks_a_page(evening: Running) -> None:
    chance = random.Random(SEED)
    crawler = Crawler(evening)
    pages, forms = crawler.walk(140)
    print(len(pages), "pages", len(forms), "forms", sum(len(one.fields) for one in forms), "fields")
    assert (len(pages) > 60, len(forms) > 60) == (True, True)
    token = re.search(r'<meta name="csrf" content="([^"]+)"', evening.client.get("/").text)
    assert token
    fields_sent = 0
    codes: dict[int, int] = {}
    for turn in range(FORMS):
        form = chance.choice(forms)
        if form.method == "get" and chance.random() < 0.7:
            continue
        if re.search(r"/do/\w+\.(remove|stop|off)", form.action) and chance.random() < 0.9:
            continue
        how_many = chance.choice((1, 1, 1, 2, 99))
        names = [name for name, _ in form.fields if name != "csrf_token"]
        spoiled = set(chance.sample(names, min(len(names), how_many)))
        sent = [(n, chance.choice(NASTY) if n in spoiled else v) for n, v in form.fields if n != "csrf_token"]
        if chance.random() < 0.1:
            sent = [*sent, *sent[:2]]
        if chance.random() < 0.05:
            sent = sent[: len(sent) // 2]
        fields_sent += len(spoiled)
        if form.method == "get":
            answer = evening.client.get(form.action.split("?")[0] + "?" + encoded(sent).decode())
        else:
            data = encoded([("csrf_token", token[1]), *sent])
            heads = {"Content-Type": "application/x-www-form-urlencoded", "Referer": str(evening.client.base_url)}
            answer = evening.client.post(form.action, content=data, headers=heads)
        codes[answer.status_code] = codes.get(answer.status_code, 0) + 1
        if answer.status_code >= 500:
            shown = {n: v[:60] for n, v in sent if n in spoiled}
            crawler.broken.append(f"{form.method} {form.action} {shown!a} → {answer.status_code}")
        if turn % 150 == 149:
            forms = crawler.walk(140)[1]
    crawler.walk(110)
    print(FORMS, "forms,", fields_sent, "fields", codes)
    assert crawler.broken == []


def _spoiled(chance: random.Random, data: bytes) -> bytes:
    """A file with some of its bytes changed, cut, doubled or put elsewhere."""
    made = bytearray(data)
    for _ in range(chance.choice((1, 3, 10, 40))):
        at = chance.randrange(max(1, len(made)))
        kind = chance.randrange(5)
        if kind == 0 and made:
            made[at] = chance.randrange(256)
        elif kind == 1:
            made[at : at + 4] = chance.choice((b"\xff\xff\xff\xff", b"\x00\x00\x00\x00", b"\x7f\xff\xff\xff"))
        elif kind == 2:
            del made[at : at + chance.choice((1, 16, 400))]
        elif kind == 3:
            made[at:at] = made[at : at + 64]
        else:
            made[at:at] = bytes(chance.randrange(256) for _ in range(8))
    return bytes(made)


def _zipped(chance: random.Random, data: bytes) -> bytes:
    """An archive whose JSON was changed, so that what is inside is reached."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            inside = old.read(name)
            new.writestr(name, _changed_json(chance, inside) if name.endswith(".json") else inside)
    return out.getvalue()


def _changed_json(chance: random.Random, data: bytes) -> bytes:
    """A JSON text with one or more of its values replaced by what nobody would write there."""
    tree = json.loads(data)
    odd: tuple[Any, ...] = (
        None,
        True,
        -1,
        0,
        1e308,
        float("inf"),
        float("nan"),
        10**40,
        "",
        "\ud83d",
        "x" * 9_000,
        [],
        {},
        [[[]]],
        {"a": 1},
        "a\x00b",
    )

    def places(node: object) -> Iterator[tuple[object, object]]:
        if isinstance(node, dict):
            for key, value in node.items():
                yield node, key
                yield from places(value)
        elif isinstance(node, list):
            for index, value in enumerate(node):
                yield node, index
                yield from places(value)

    for _ in range(chance.choice((1, 1, 2, 5))):
        every = list(places(tree))
        if not every:
            break
        node, key = chance.choice(every)
        node[key] = chance.choice(odd)  # type: ignore[index]
    return json.dumps(tree).replace("Infinity", chance.choice(("1e400", "Infinity"))).encode()


def _changed_words(chance: random.Random, data: bytes) -> bytes:
    """A text whose values after “=” are sometimes what nobody would write."""
    odd = (
        "[" * 400 + "]" * 400,
        "9" * 40,
        "1e400",
        "nan",
        '""',
        "true",
        "{}",
        "[]",
        '"\\ud83d"',
        '"x' + "y" * 9_000 + '"',
    )
    lines = data.decode().splitlines()
    for _ in range(chance.choice((1, 2, 4))):
        at = chance.randrange(len(lines))
        if " = " in lines[at]:
            lines[at] = lines[at].partition(" = ")[0] + " = " + chance.choice(odd)
    return "\n".join(lines).encode()


def _samples(running: Running) -> list[tuple[str, str, bytes]]:
    """Good files of every kind that can be uploaded, with the address that takes them and what they are called."""
    found: list[tuple[str, str, bytes]] = []
    for form in ("png", "gif", "jpeg", "webp"):
        out = io.BytesIO()
        Image.new("RGB", (40, 30), "teal").save(out, form)
        found += [(f"/media/{kind}", f"kite.{form}", out.getvalue()) for kind in ("picture", "scenery")]
    found += [
        ("/media/picture", "kite.svg", DRAWING),
        ("/media/video", "clip.mp4", mp4()),
        ("/media/video", "clip.webm", webm()),
    ]
    shipped = Path(tesoura.web.__file__).parent / "static"
    found.append(("/media/sound", "bell.wav", (shipped / "sounds/bell.wav").read_bytes()[:30_000]))
    found.append(("/typefaces/", "kite.woff2", (shipped / "fonts/caveat-latin-wght-normal.woff2").read_bytes()))
    overlay = running.client.get("/overlays/1/export")
    assert overlay.headers["content-type"] == "application/zip"
    found += [("/overlays/import", "overlay.zip", overlay.content)] * 6
    found += [("/looks/import", "ink.json", running.client.get("/looks/ink/tokens.json").content)] * 6
    found += [("/show/look", "show.zip", running.client.get("/show/tesoura-show.zip").content)] * 3
    found += [("/saves/files/look", "shelf.zip", running.client.get("/saves/files/1.zip").content)] * 3
    recipes = sorted((Path(tesoura.__file__).parent / "bundles/shipped").glob("*.toml"))
    found += [("/recipes/", one.name, one.read_bytes()) for one in recipes]
    return found


def test_no_upload_breaks_a_page(evening: Running) -> None:
    chance = random.Random(SEED)
    crawler = Crawler(evening)
    token = re.search(r'<meta name="csrf" content="([^"]+)"', evening.client.get("/").text)
    assert token
    samples = _samples(evening)
    codes: dict[tuple[str, int], int] = {}
    for turn in range(UPLOADS):
        to, name, data = chance.choice(samples)
        if data[:2] == b"PK":
            sent = _zipped(chance, data) if chance.random() < 0.8 else _spoiled(chance, data)
        elif name.endswith(".toml"):
            sent = _changed_words(chance, data)
        elif name.endswith(".json"):
            sent = _changed_json(chance, data) if chance.random() < 0.8 else _spoiled(chance, data)
        else:
            sent = _spoiled(chance, data) if turn % 10 else data
        heads = {"X-CSRFToken": token[1]}
        began = time.monotonic()
        answer = evening.client.post(to, files={"file": (name, sent)}, headers=heads)
        took = time.monotonic() - began
        codes[to, answer.status_code] = codes.get((to, answer.status_code), 0) + 1
        if answer.status_code >= 500 or took > 20:
            crawler.broken.append(f"{to} {name} turn {turn} → {answer.status_code} {answer.url} {took:.1f} s")
    crawler.walk(60)
    print(UPLOADS, "uploads", codes)
    assert crawler.broken == []
    # Only what was shown and can still be imported waits in the folder.
    waiting = [*evening.folder.glob("incoming-*"), *evening.folder.glob("saves/incoming-*")]
    assert len(waiting) <= codes.get(("/show/look", 200), 0) + codes.get(("/saves/files/look", 200), 0)
    assert not [one for one in waiting if one.is_dir()]


# What the mat sends, and sockets

EDITS = int(os.environ.get("FUZZ_EDITS", "50"))
MESSAGES = int(os.environ.get("FUZZ_MESSAGES", "180"))
ODD: tuple[Any, ...] = (
    None,
    True,
    -1,
    0,
    0.5,
    1e308,
    10**40,
    "",
    "nan",
    "x" * 9_000,
    [],
    {},
    [[[]]],
    {"a": 1},
    "a\x00b",
    [None],
    [1e400],
    {"x": {"y": {}}},
    ["text"] * 500,
    "text",
    "Play",
    -(2**63),
)


def good_edits(pieces: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """An edit of every kind, on pieces that there are."""
    ids = [one["id"] for one in pieces[:3]]
    return [
        {"do": "change", "pieces": ids, "set": {"x": 40, "wording": "{reach.members:,}", "look": "ink", "size_px": 40}},
        {"do": "change", "pieces": ids[:1], "scene": "Talk", "set": {"x": 9, "opacity_pct": 40}, "reset": ["y"]},
        {"do": "place", "places": {ids[0]: {"x": 7, "y": 8, "width_px": 40, "height_px": 30}}, "scene": ""},
        {"do": "align", "pieces": ids, "to": "left"},
        {"do": "distribute", "pieces": ids, "along": "x"},
        {"do": "order", "pieces": ids[:1], "to": "front"},
        {"do": "add", "kind": "text", "set": {"wording": "hello", "x": 3}},
        {"do": "add", "kind": "chart", "set": {"signal": "reach.members"}},
        {"do": "remove", "pieces": ids[2:]},
        {"do": "duplicate", "pieces": ids[:1]},
        {"do": "paste", "pieces": [pieces[0]], "looks": {}, "at": [4, 5]},
        {"do": "group", "pieces": ids, "name": "kites"},
        {"do": "size", "width_px": 1280, "height_px": 720, "scale": True},
        {"do": "settings", "set": {"form": "light", "css": ".a { top: 0 }", "scenery": "evening"}},
        {"do": "guides", "guides": [["x", 40], ["y", 60]]},
    ]


OTHERS = (
    ("/overlays/1/undo", {"window": "fuzz", "chosen": ["text"], "scene": "Play", "with": "live"}),
    ("/overlays/1/redo", {"window": "fuzz"}),
    ("/overlays/1/copies", {"pieces": ["text", "count"]}),
    ("/looks/ink", {"set": {"colour": "#112233", "weight": 400}, "form": "dark"}),
)


def spoil(chance: random.Random, tree: Any) -> Any:
    """The same with some of its values, at any depth, replaced by what the mat never sends."""
    tree = json.loads(json.dumps(tree))
    for _ in range(chance.choice((1, 1, 2, 4))):
        node = tree
        while isinstance(node, dict | list) and node:
            key = chance.choice(list(node) if isinstance(node, dict) else range(len(node)))
            if not isinstance(node[key], dict | list) or not node[key] or chance.random() < 0.3:
                node[key] = copy.deepcopy(chance.choice((*ODD, chance.choice(NASTY))))
                break
            node = node[key]
    return tree


def test_nothing_that_a_mat_could_send_breaks_it(evening: Running) -> None:
    chance = random.Random(SEED)
    token = re.search(r'<meta name="csrf" content="([^"]+)"', evening.client.get("/").text)
    assert token
    heads = {"X-CSRFToken": token[1], "Content-Type": "application/json"}
    document = json.loads(
        zipfile.ZipFile(io.BytesIO(evening.client.get("/overlays/1/export").content)).read("overlay.json")
    )
    good = good_edits(document["overlay"]["pieces"])
    broken, codes = [], dict[int, int]()
    for turn in range(EDITS):
        sent = {"edits": [chance.choice(good) for _ in range(chance.choice((1, 1, 3)))], "window": "fuzz", "rev": 0}
        to, body = "/overlays/1/edits", json.dumps(spoil(chance, sent) if turn % 10 else sent)
        if turn % 5 == 1:
            to, other = chance.choice(OTHERS)
            body = json.dumps(spoil(chance, other) if chance.random() < 0.7 else chance.choice((*ODD, *NASTY)))
        answer = evening.client.post(to, content=body.encode("utf-8", "surrogatepass"), headers=heads)
        codes[answer.status_code] = codes.get(answer.status_code, 0) + 1
        if answer.status_code >= 500 or evening.client.get("/overlays/1/state").status_code != 200:
            broken.append(f"{to} {body[:300]} → {answer.status_code}")
    evening.publish(1)
    for path in ("/overlays/1", "/overlays/1/export", "/overlays/", "/looks/", "/looks/ink", "/"):
        if (code := evening.client.get(path).status_code) != 200:
            broken.append(f"GET {path} → {code}")
    print(EDITS, "edits", codes)
    assert broken == []


def test_nothing_that_a_socket_could_say_stops_it(evening: Running) -> None:
    chance = random.Random(SEED)
    places = [f"/live/desk/{evening.ticket}", f"/live/{evening.add_overlay('hello')}"]
    good = [
        {"watch": ["reach.members"]},
        {"ack": "m1"},
        {"width_px": 640, "height_px": 360},
        {"silent": True},
        {"since": "x.1"},
        {"painted": 3, "spans": [["text", 1_700_000_000_000, 4_000, 1]]},
        {"trouble": {"of": "text", "why": "not a picture"}},
    ]
    for turn in range(MESSAGES // 30):
        with connect(evening.address.replace("http", "ws") + places[turn % 2], proxy=None) as socket:
            socket.recv(timeout=10)
            socket.send('{"width_px": 1e400, "height_px": 1}')
            for _ in range(30):
                odd = spoil(chance, chance.choice(good)) if chance.random() < 0.6 else chance.choice(NASTY)
                said = json.dumps(odd) if chance.random() < 0.7 else str(odd)
                clean = said.encode("utf-8", "replace")
                socket.send(clean if chance.random() < 0.2 else clean.decode())
            assert socket.ping().wait(10)
    for place in places:
        with connect(evening.address.replace("http", "ws") + place, proxy=None) as socket:
            assert json.loads(socket.recv(timeout=10))["kind"] in ("hello", "snapshot")
    assert evening.client.get("/").status_code == 200
