"""The page of phones and pads, and the phone's own pages: pairing, changing, removing, and what a phone never sees."""

from __future__ import annotations

import re
from contextlib import closing
from typing import Any

import httpx
import pytest

from tests.conftest import Running, flat
from tests.runtime.test_devices import device, lay


def pair(running: Running, **data: Any) -> str:
    """Open a pairing on the page; its digits."""
    running.do("device.pair", {"leaves": ["l1"], **data})
    digits = re.search(r'class="digits private"[^>]*>(\d{3}) (\d{3})', running.client.get("/devices/").text)
    assert digits
    return digits[1] + digits[2]


class Phone(httpx.Client):
    """A phone's browser that has given a code, and what it was shown then."""

    def __init__(self, running: Running, code: str) -> None:
        super().__init__(base_url=running.address, trust_env=False, follow_redirects=True)
        token = re.search(r'name="csrf_token"\s+value="([^"]+)"', self.get("/phone/pair").text)
        assert token
        self.shown = flat(self.post("/phone/pair", data={"csrf_token": token[1], "code": code}).text)


def test_a_phone_is_paired_by_digits_and_its_cookie_lets_its_socket_in(running: Running) -> None:
    lay(running, does="scene", scene="Talk")
    with closing(Phone(running, pair(running, name="Mara's phone"))) as client:
        assert "Mara's phone" in client.shown
        cookie = f"tesoura_device_{running.port}"
        (kept,) = [one for one in client.cookies.jar if one.name == cookie]
        assert kept.has_nonstandard_attr("HttpOnly")
        with device(running, token=kept.value) as one:
            assert one.told["result"] == {"version": 1, "device": "Mara's phone"}
            page = flat(running.client.get("/devices/").text)
            assert "● connected" in page
            assert "A phone, paired" in page
            assert "Presses on Play." in page
    assert kept.value is not None
    assert kept.value not in running.client.get("/log/").text


def test_a_code_stands_behind_the_sign_that_no_server_is_sent(running: Running) -> None:
    lay(running, does="air")
    pair(running)
    open_one = running.runtime.call(lambda self: self.devices.pairing())
    assert open_one is not None
    secret = open_one[0].secret
    assert f"/phone/pair#{secret}" not in running.client.get("/phone/pair").text
    with closing(Phone(running, secret)) as client:
        assert "Buttons · Tesoura" in client.shown
    with closing(Phone(running, secret)) as client:
        assert "This code is wrong or has expired." in client.shown
        assert client.get("/phone/").url.path == "/phone/pair"


def test_a_device_is_changed_and_removed_on_the_page(running: Running) -> None:
    lay(running, does="air")
    running.press("/", "/desk/leaves/new", {"name": "Breaks"})
    Phone(running, pair(running)).close()
    running.do("device.change?device=1", {"leaves": ["l1", "l3"], "name": "Pocket"})
    page = flat(running.client.get("/devices/").text)
    assert "<h3>Pocket</h3>" in page
    assert "Presses on Play, Breaks." in page
    assert "Choose at least one button page" in running.do("device.change?device=1", {"name": "Pocket"}).text
    Phone(running, pair(running)).close()
    answer = running.do("device.change?device=2", {"leaves": ["l1"], "name": "pocket"})
    assert "There is a device pocket already." in answer.text
    running.do("device.remove?device=1", {})
    assert "“Pocket” was removed." in running.client.get("/devices/").text
    assert "This device no longer exists." in running.do("device.remove?device=1", {}).text


def test_devices_of_the_same_name_are_told_apart(running: Running) -> None:
    lay(running, does="air")
    for _ in range(3):
        Phone(running, pair(running, name="Phone")).close()
    page = running.client.get("/devices/").text
    assert re.findall(r"<h3>(Phone.*?)</h3>", page) == ["Phone", "Phone 2", "Phone 3"]


def test_a_pairing_can_be_closed_and_needs_a_leaf(running: Running) -> None:
    # From an empty folder the way leads to the desk, and not to the page of the first step.
    there = re.search(r'href="([^"]+)">Create a button page first\.', running.client.get("/devices/").text)
    assert there
    assert "Create button page" in running.client.get(there[1]).text
    lay(running, does="air")
    code = pair(running)
    running.do("device.close", {})
    with closing(Phone(running, code)) as client:
        assert "This code is wrong or has expired" in client.shown
    assert "This button page no longer exists." in running.do("device.pair", {"leaves": ["l77"]}).text


@pytest.mark.parametrize("path", ["/", "/signals/", "/devices/", "/log/", "/preferences/", "/desk/leaves/"])
def test_a_phone_sees_its_buttons_and_nothing_else(tmp_path: Any, path: str) -> None:
    running = Running(tmp_path, host="127.0.0.1", password="kites-in-the-wind")
    try:
        lay(running, does="air")
        code = running.runtime.call(lambda self: self.devices.begin_pairing(("l1",)).digits)
        with closing(Phone(running, code)) as client:
            assert client.get("/phone/").status_code == 200
            assert client.get(path).url.path == "/sign-in"
    finally:
        running.stop()


def test_the_manifest_and_its_icons_are_there(running: Running) -> None:
    told = running.client.get("/phone/manifest.webmanifest")
    assert told.headers["content-type"] == "application/manifest+json"
    for icon in told.json()["icons"]:
        assert running.client.get(icon["src"]).headers["content-type"] == "image/png"
