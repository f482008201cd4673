"""The machine itself, in every spelling of its name and number; and what only looks like it."""

from __future__ import annotations

import pytest

from tesoura.core.hosts import is_this_machine


@pytest.mark.parametrize("host", [
    "localhost", "LOCALHOST", "localhost.", "desk.localhost", "127.0.0.1", "127.1", "127.0.1", "127.255.255.254",
    "2130706433", "0x7f000001", "0x7f.1", "0177.0.0.1", "::1", "[::1]", "0:0:0:0:0:0:0:1", "::ffff:127.0.0.1",
    "[::FFFF:7F00:1]", " 127.0.0.1 ",
])  # fmt: skip
def test_this_machine_is_known_in_every_spelling(host: str) -> None:
    assert is_this_machine(host)


@pytest.mark.parametrize("host", [
    "chat.example", "localhost.example", "127.0.0.1.example", "128.0.0.1", "126.1", "127", "0", "1.127", "127.0.0.256",
    "127.0.0.0.1", "::2", "::ffff:128.0.0.1", "", "127.", "127..1", "0x", "-127.1", "10.0.0.1", "fe80::1",
])  # fmt: skip
def test_what_looks_like_it_is_another_one(host: str) -> None:
    assert not is_this_machine(host)
