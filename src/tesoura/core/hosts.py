"""Names and numbers of machines."""

from __future__ import annotations

from ipaddress import IPv4Address, IPv6Address, ip_address


def is_this_machine(host: str) -> bool:
    """Whether a name or number, in whatever spelling, is that of the machine itself: `localhost`, `127.1`, `::1`.

    A name that the network would have to be asked for is not.
    """
    name = host.strip().strip("[]").rstrip(".").casefold().partition("%")[0]
    if name == "localhost" or name.endswith(".localhost"):
        return True
    found = _number(name)
    if isinstance(found, IPv6Address) and found.ipv4_mapped is not None:
        found = found.ipv4_mapped
    return found is not None and found.is_loopback


def is_address(name: str) -> bool:
    """Whether this is an IP address, and not a name."""
    try:
        ip_address(name)
    except ValueError:
        return False
    return True


def _number(name: str) -> IPv4Address | IPv6Address | None:
    try:
        return ip_address(name)
    except ValueError:
        return _short_number(name.split("."))


def _short_number(parts: list[str]) -> IPv4Address | None:
    """An IPv4 number as systems read it: of one to four parts, the last of which fills what is left; 0x… and 0… too."""
    try:
        numbers = [int(one, 16) if one[:2] == "0x" else int(one, 8 if one[:1] == "0" else 10) for one in parts]
    except ValueError:
        return None
    *first, last = numbers
    if len(numbers) > 4 or any(not 0 <= one < 256 for one in first) or not 0 <= last < 256 ** (5 - len(numbers)):
        return None
    return IPv4Address(sum(one << 8 * (3 - at) for at, one in enumerate(first)) + last)
