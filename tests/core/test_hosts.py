"""The machine itself, in every spelling of its name and number; and what only looks like it."""

from __future__ import annotations

from ipaddress import ip_address

import pytest

from tesoura.core.hosts import is_of_internet, is_this_machine


@pytest.mark.parametrize(
    "host",
    [
        "localhost",
        "LOCALHOST",
        "localhost.",
        "desk.localhost",
        "127.0.0.1",
        "127.1",
        "127.0.1",
        "127.255.255.254",
        "2130706433",
        "0x7f000001",
        "0x7f.1",
        "0177.0.0.1",
        "::1",
        "[::1]",
        "0:0:0:0:0:0:0:1",
        "::ffff:127.0.0.1",
        "[::FFFF:7F00:1]",
        " 127.0.0.1 ",
    ],
)
def test_this_machine_is_known_in_every_spelling(host: str) -> None:
    assert is_this_machine(host)


@pytest.mark.parametrize(
    "host",
    [
        "chat.example",
        "localhost.example",
        "127.0.0.1.example",
        "128.0.0.1",
        "126.1",
        "127",
        "0",
        "1.127",
        "127.0.0.256",
        "127.0.0.0.1",
        "::2",
        "::ffff:128.0.0.1",
        "",
        "127.",
        "127..1",
        "0x",
        "-127.1",
        "10.0.0.1",
        "fe80::1",
    ],
)
def test_what_looks_like_it_is_another_one(host: str) -> None:
    assert not is_this_machine(host)


@pytest.mark.parametrize(
    "number",
    [
        "10.0.0.1",
        "127.0.0.1",
        "169.254.169.254",
        "192.168.1.1",
        "100.64.0.1",
        "0.0.0.0",
        "224.0.0.1",
        "239.1.2.3",
        "240.0.0.1",
        "255.255.255.255",
        "::1",
        "::",
        "fe80::1",
        "fc00::1",
        "fec0::1",
        "ff02::1",
        "ff0e::1",
        "::ffff:10.0.0.1",
        "::ffff:127.0.0.1",
        "64:ff9b::a00:1",
        "64:ff9b::7f00:1",
        "64:ff9b::a9fe:a9fe",
        "64:ff9b:1::808:808",
        "2002:a00:1::",
        "2002:7f00:1::1",
        "2002:c0a8:101::1",
        "2001:0:a00:1::1",
        "2001:0:808:808::f5ff:fffe",
        "64:ff9b::808:808",
        "2002:808:808::1",
        "2001:db8::1",
    ],
)
def test_an_address_of_this_machine_or_its_network_is_none_of_the_internet_however_it_is_written(number: str) -> None:
    assert not is_of_internet(ip_address(number))


@pytest.mark.parametrize("number", ["8.8.8.8", "93.184.216.34", "2606:4700::1111", "::ffff:8.8.8.8"])
def test_an_address_of_the_internet_is_one(number: str) -> None:
    assert is_of_internet(ip_address(number))
