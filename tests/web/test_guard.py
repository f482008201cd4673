"""Who may ask: other sites, other hosts, forms without a token, other machines."""

from __future__ import annotations

import re
import socket
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from click.testing import CliRunner
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect
from websockets.typing import Origin

import tesoura
from tesoura.cli import PASSWORD_VARIABLE, main
from tesoura.settings import Settings, wall_clock
from tesoura.store import feeds
from tesoura.store import log as event_log
from tesoura.web.access.guesses import Guesses
from tesoura.web.guard import Guard, _host_in
from tests.conftest import Running


def test_another_hosts_name_is_refused(running: Running) -> None:
    answer = running.client.get("/", headers={"Host": "evil.example"})
    assert answer.status_code == 403
    assert running.address in answer.text


def test_a_page_of_another_site_may_not_operate_it(running: Running) -> None:
    for origin in ("https://evil.example", "null"):
        answer = running.client.post("/do/session.start?_then=/", headers={"Origin": origin})
        assert answer.status_code == 403
    assert running.client.get("/", headers={"Origin": "https://evil.example"}).status_code == 200


def test_a_socket_from_another_site_is_refused(running: Running) -> None:
    token = running.add_overlay("hello")
    with pytest.raises(InvalidStatus):
        connect(f"ws://127.0.0.1:{running.port}/live/{token}", origin=Origin("https://evil.example"))
    with connect(f"ws://127.0.0.1:{running.port}/live/{token}") as opened:
        assert '"hello"' in str(opened.recv(5))


def test_sockets_need_a_token_or_the_desks_ticket(running: Running) -> None:
    for path in ("/live/nobody", "/live/desk/guess"):
        with pytest.raises(InvalidStatus):
            connect(f"ws://127.0.0.1:{running.port}{path}")


def test_a_form_without_its_token_changes_nothing(running: Running) -> None:
    answer = running.client.post("/do/session.start?_then=/")
    assert answer.status_code == 400
    assert "This page is outdated" in answer.text
    assert "No session yet" in running.client.get("/").text


def test_on_the_network_a_password_is_asked_for_but_overlays_open_with_their_token(tmp_path: Path) -> None:
    running = Running(tmp_path, password="kite-string")
    try:
        assert running.client.get("/").headers["location"] == "/sign-in"
        page = running.client.get("/sign-in").text
        token = page.split('name="csrf_token" value="')[1].split('"')[0]
        wrong = running.client.post("/sign-in", data={"csrf_token": token, "password": "guess"})
        assert (wrong.status_code, "not the password" in wrong.text) == (403, True)
        assert running.client.get("/o/nobody").status_code == 404
        assert running.client.get("/api/signals").status_code == 401
        assert running.client.get("/media/nobody.png").status_code == 404
        adding = running.client.post("/media/picture", data={"csrf_token": token}, files={"file": ("a.png", b"x")})
        assert (adding.status_code, adding.headers.get("location")) == (302, "/sign-in")
        running.client.post("/sign-in", data={"csrf_token": token, "password": "kite-string"})
        assert running.client.get("/").status_code == 200
    finally:
        running.stop()


def run(*words: str, env: dict[str, str] | None = None) -> str:
    done = CliRunner().invoke(main, words, env=env)
    assert done.exit_code == 1, done.output
    return done.output


def test_listening_on_the_network_needs_to_be_meant_and_a_password(tmp_path: Path) -> None:
    serve = ("serve", "--data", str(tmp_path), "--host", "0.0.0.0")
    assert "Add --on-network" in run(*serve, env={PASSWORD_VARIABLE: ""})
    assert "Network access needs a password" in run(*serve, "--on-network", env={PASSWORD_VARIABLE: "short"})


def test_a_port_in_use_is_said(tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = str(taken.getsockname()[1])
        output = run("serve", "--data", str(tmp_path), "--port", port)
    assert f"Nothing can listen on 127.0.0.1:{port}" in output
    assert "--port" in output


def test_a_data_folder_that_cannot_be_written_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    assert "Nothing can be written" in run("serve", "--data", str(tmp_path / "file"))


def test_the_command_line_makes_a_key_once(tmp_path: Path) -> None:
    done = CliRunner().invoke(main, ["key", "new", "my script", "--data", str(tmp_path)])
    assert done.exit_code == 0
    assert done.stdout.startswith("tes_")
    assert "1 to 40" in run("key", "new", "x" * 41, "--data", str(tmp_path))


def _sign_in(client: httpx.Client, password: str) -> httpx.Response:
    page = client.get("/sign-in").text
    token = page.split('name="csrf_token" value="')[1].split('"')[0]
    return client.post("/sign-in", data={"csrf_token": token, "password": password})


def test_after_a_few_wrong_passwords_each_further_one_waits(tmp_path: Path) -> None:
    running = Running(tmp_path, password="kite-string")
    try:
        told = [_sign_in(running.client, f"guess {n}") for n in range(12)]
        assert [one.status_code for one in told] == [403] * 5 + [429] * 7
        assert int(told[-1].headers["retry-after"]) >= 1
        assert "Try again in" in told[-1].text
        # The right one waits as well: else waiting would tell which one it is.
        assert _sign_in(running.client, "kite-string").status_code == 429
    finally:
        running.stop()


def test_guesses_are_counted_by_who_gave_them_and_forgotten_by_the_right_one() -> None:
    guesses = Guesses()
    for _ in range(7):
        guesses.wrong("10.0.0.9", 100.0)
    assert guesses.wait_s("10.0.0.9", 100.0) == 60.0
    assert guesses.wait_s("10.0.0.9", 160.0) == 0.0
    assert guesses.wait_s("10.0.0.7", 100.0) == 0.0
    guesses.wrong("10.0.0.9", 160.0)
    assert guesses.wait_s("10.0.0.9", 160.0) == 60.0
    guesses.right("10.0.0.9")
    assert guesses.wait_s("10.0.0.9", 160.0) == 0.0


def test_another_password_ends_old_cookies_and_tickets(tmp_path: Path) -> None:
    running = Running(tmp_path, password="kite-string")
    assert _sign_in(running.client, "kite-string").status_code == 302
    ticket = running.client.get("/").text.split('name="desk" content="')[1].split('"')[0]
    cookies, port = dict(running.client.cookies), running.port
    running.stop()
    again = Running(tmp_path, port=port, password="other-string")
    try:
        again.client.cookies.update(cookies)
        assert again.client.get("/").headers["location"] == "/sign-in"
        with pytest.raises(InvalidStatus):
            connect(f"ws://127.0.0.1:{again.port}/live/desk/{ticket}")
    finally:
        again.stop()


@pytest.mark.parametrize("host", ["127.0.0.1:x", "[", "user@127.0.0.1", "127.0.0.1:99999999", "127.0.0.1/x", "", "a b"])
def test_a_host_that_cannot_be_is_refused(running: Running, host: str) -> None:
    answer = raw(running.port, f"GET / HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n")
    assert answer.split()[1] in ("400", "403")
    assert "Nothing yet" not in answer


def test_two_hosts_are_refused(running: Running) -> None:
    here = f"127.0.0.1:{running.port}"
    answer = raw(running.port, f"GET / HTTP/1.1\r\nHost: {here}\r\nHost: {here}\r\nConnection: close\r\n\r\n")
    assert answer.split()[1] in ("400", "403")


def raw(port: int, request: str) -> str:
    with socket.create_connection(("127.0.0.1", port), timeout=10) as opened:
        opened.sendall(request.encode())
        answer = b""
        while chunk := opened.recv(65_536):
            answer += chunk
        return answer.decode("latin-1")


def test_every_answer_says_that_nothing_is_taken_for_what_it_is_not(running: Running) -> None:
    for path in ("/", "/healthz", "/static/css/tesoura.css", "/api/signals", "/nothing", "/o/nobody"):
        heads = running.client.get(path).headers
        assert heads["x-content-type-options"] == "nosniff", path
        assert heads["cross-origin-resource-policy"] == "same-origin", path
    assert "base-uri 'none'" in running.client.get("/").headers["content-security-policy"]
    made = running.press("/preferences/", "/preferences/keys", {"name": "pads"}, follow_redirects=True)
    assert made.headers["cache-control"] == "no-store"


WORDS = ("pier", "live/desk", 'name="desk" content="', "Preferences", "hx-get")


@pytest.fixture
def fenced(tmp_path: Path) -> Iterator[Running]:
    made = Running(tmp_path / "fenced", password="kite-string")
    made.store.write(lambda session: feeds.add_feed(session, "pier", "Pier", "hand", {"what": "text"}, wall_clock()))
    yield made
    made.stop()


def test_a_stranger_gets_the_sign_in_page_and_nothing_else(fenced: Running) -> None:
    app = fenced.flask
    for rule in app.url_map.iter_rules():
        path = re.sub(r"<int:[^>]+>", "1", str(rule))
        path = re.sub(r"<(?:any\([^)]*\):)?[^>]+>", "remove" if "any(" in path else "pier", path)
        for method in sorted((rule.methods or set()) - {"OPTIONS", "HEAD"}):
            answer = fenced.client.request(method, path)
            asked_in = answer.status_code == 302 and answer.headers["location"] == "/sign-in"
            refused = answer.status_code in (400, 401, 404, 405)
            # The way back from a service leads on to a page that asks for the password.
            asked_in = asked_in or path == "/feeds/signed-in"
            # A phone has pages of its own, which show nothing before it is paired.
            own = path == "/sign-in" or path.startswith("/phone/")
            assert asked_in or refused or own, (method, path, answer.status_code)
            if path != "/sign-in":
                assert not [word for word in WORDS if word in answer.text], (method, path)
    for path in ("/sign-in-x", "/in/x", "/media/nothing", "/feeds/signed-in-x"):
        answer = fenced.client.get(path)
        assert (answer.status_code in (302, 404, 405), fenced.ticket in answer.text) == (True, False), path
    assert fenced.client.get("/healthz").json() == {"status": "ok", "version": tesoura.__version__}


def test_who_is_signed_in_can_sign_out(fenced: Running) -> None:
    token = fenced.client.get("/sign-in").text.split('name="csrf_token" value="')[1].split('"')[0]
    fenced.client.post("/sign-in", data={"csrf_token": token, "password": "kite-string"})
    assert "Sign out" in fenced.client.get("/").text
    fenced.press("/", "/sign-out")
    assert fenced.client.get("/").headers["location"] == "/sign-in"


def test_whoever_sends_nothing_keeps_nobody_waiting(fenced: Running) -> None:
    head = f"POST /sign-in HTTP/1.1\r\nHost: 127.0.0.1:{fenced.port}\r\nContent-Length: 100\r\n\r\n"
    silent = [socket.create_connection(("127.0.0.1", fenced.port)) for _ in range(40)]
    try:
        for one in silent:
            one.sendall(head.encode())
        began = time.monotonic()
        assert fenced.client.get("/sign-in").status_code == 200
        assert time.monotonic() - began < 5
    finally:
        for one in silent:
            one.close()


@pytest.mark.parametrize(
    ("host", "may"),
    [
        ("192.168.1.20:8765", True),
        ("[fe80::1]:8765", True),
        ("localhost:8765", True),
        ("evil.example:8765", False),
        ("evil.example", False),
    ],
)
def test_listening_wide_only_this_machines_own_names_are_answered(host: str, may: bool) -> None:
    guard = Guard(lambda *_: None, Settings(Path(), "0.0.0.0", password="kite-string"), lambda port: False)  # type: ignore[arg-type]
    assert (guard._problem(_host_in(host), None, [host], wide=True) is None) is may


def test_a_number_too_long_to_be_one_is_no_address(running: Running) -> None:
    ways = [
        "/log/{}",
        "/overlays/{}",
        "/files/{}",
        "/log/rows?before={}",
        "/log/rows?before={}.1",
        "/log/?session={}",
        "/log/rows?before=-{}.{}",
        "/log/?since={}",
        "/reports/{}",
    ]
    for way in ways:
        for digits in ("9" * 18, "9" * 40, "9" * 5_000, "²", "٣", "-1"):
            answer = running.client.get(way.replace("{}", digits), follow_redirects=True)
            assert answer.status_code in (200, 400, 404, 422), (way, digits[:9])


FORWARDED = [
    {"X-Forwarded-For": "10.0.0.9"},
    {"Forwarded": "for=10.0.0.9"},
    {"X-Real-IP": "10.0.0.9"},
    {"Via": "1.1 kite"},
    {"X-Forwarded-Proto": "https"},
    {"x-forwarded-for": "127.0.0.1"},
    {"CF-Connecting-IP": "10.0.0.9"},
    {"True-Client-IP": "::1"},
    {"X-Forwarded-Host": "pier.example"},
]


@pytest.mark.parametrize("heads", FORWARDED)
def test_what_a_proxy_passes_on_is_not_the_owners(running: Running, heads: dict[str, str]) -> None:
    refused = running.client.get("/", headers=heads)
    assert (
        refused.status_code,
        "This request used a proxy or tunnel, so it may come from another machine" in refused.text,
    ) == (403, True)
    assert running.client.post("/do/session.start?_then=/", headers=heads).status_code in (400, 403)
    assert running.ticket not in running.client.get("/feeds/", headers=heads).text
    assert "feeds" not in running.client.get("/healthz", headers=heads).json()
    token = running.add_overlay("hello")
    assert running.client.get(f"/o/{token}", headers=heads).status_code == 200
    assert running.client.get("/api/signals", headers={**heads, **running.auth}).status_code == 200


def test_http_1_0_is_what_proxies_speak(running: Running) -> None:
    answer = raw(running.port, f"GET / HTTP/1.0\r\nHost: 127.0.0.1:{running.port}\r\n\r\n")
    assert (
        answer.split()[1],
        "This request used a proxy or tunnel, so it may come from another machine" in answer,
    ) == ("403", True)


def test_through_a_proxy_with_a_password_one_is_the_owner_from_the_network(fenced: Running, tmp_path: Path) -> None:
    fenced.client.headers["X-Forwarded-For"] = "127.0.0.1"
    assert _sign_in(fenced.client, "kite-string").status_code == 302
    path = tmp_path / "match.json"
    path.write_text('{"kills": 3}')
    typed = {"title": "Match", "path": str(path), "name_folder": str(tmp_path), "keep_anyway": "yes"}
    assert "the owner, on this machine" in fenced.press("/", "/feeds/new/file", typed).text
    assert fenced.client.get("/feeds/match").status_code == 404


@pytest.fixture
def proxied(tmp_path: Path) -> Iterator[Running]:
    made = Running(tmp_path / "proxied", password="kite-string", proxy_name="tesoura.pier.example")
    made.client.headers.update(
        {"Host": "tesoura.pier.example", "Origin": "http://tesoura.pier.example", "X-Forwarded-For": "10.0.0.9"}
    )
    yield made
    made.stop()


def wrong_from(running: Running) -> object:
    """Where the last wrong password came from, as the log has it."""
    (last,) = running.store.read(lambda session: event_log.newest_under(session, "tesoura.wrong_password", 1))
    return last.event.data["from"]


def test_a_proxy_that_was_named_is_believed(proxied: Running) -> None:
    assert _sign_in(proxied.client, "guess").status_code == 403
    assert wrong_from(proxied) == "10.0.0.9"
    # The nearest proxy's address counts; what stands before it, anybody could have sent.
    proxied.client.headers["X-Forwarded-For"] = "127.0.0.1, 10.0.0.7"
    _sign_in(proxied.client, "guess")
    assert wrong_from(proxied) == "10.0.0.7"
    proxied.client.headers["X-Forwarded-For"] = "lamp"
    _sign_in(proxied.client, "guess")
    assert wrong_from(proxied) == "a proxy"


def test_a_proxy_without_headers_is_known_by_its_name_and_other_names_are_refused(proxied: Running) -> None:
    del proxied.client.headers["X-Forwarded-For"]
    _sign_in(proxied.client, "guess")
    assert wrong_from(proxied) == "a proxy"
    assert proxied.client.get("/sign-in", headers={"Host": "evil.example"}).status_code == 403


def test_cookies_over_tls_never_go_over_an_open_connection(proxied: Running, fenced: Running) -> None:
    proxied.client.headers["X-Forwarded-Proto"] = "https"
    assert "; Secure" in proxied.client.get("/sign-in").headers["set-cookie"]
    assert "Secure" not in _sign_in(fenced.client, "kite-string").headers["set-cookie"]


def test_a_copy_of_a_cookie_ends_with_signing_out_and_stays_ended(tmp_path: Path) -> None:
    running = Running(tmp_path, password="kite-string")
    _sign_in(running.client, "kite-string")
    copy, port = dict(running.client.cookies), running.port
    running.client.cookies.clear()
    _sign_in(running.client, "kite-string")
    other = dict(running.client.cookies)
    running.client.cookies.clear()
    running.client.cookies.update(copy)
    running.press("/", "/sign-out")
    for again in (False, True):
        if again:
            running.stop()
            running = Running(tmp_path, port=port, password="kite-string")
        running.client.cookies.clear()
        running.client.cookies.update(copy)
        assert running.client.get("/").headers["location"] == "/sign-in"
        running.client.cookies.clear()
        running.client.cookies.update(other)
        assert running.client.get("/").status_code == 200
    running.stop()


def test_pages_with_keys_and_pages_of_visitors_are_not_stored(running: Running, fenced: Running) -> None:
    made = running.press("/", "/feeds/new/webhook", {"title": "Hook", "signed": "no"}, follow_redirects=True)
    assert re.search(r"/in/[\w-]{20,}", made.text)
    assert made.headers["cache-control"] == "no-store"
    assert "cache-control" not in running.client.get("/help/").headers
    _sign_in(fenced.client, "kite-string")
    assert fenced.client.get("/help/").headers["cache-control"] == "no-store"
