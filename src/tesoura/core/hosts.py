"""Names and numbers of machines."""

from __future__ import annotations

from ipaddress import IPv4Address, IPv6Address, IPv6Network, ip_address

_CARRIERS = tuple(IPv6Network(one) for one in ("64:ff9b::/96", "64:ff9b:1::/48", "2002::/16", "2001::/32"))


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


def is_of_internet(number: IPv4Address | IPv6Address) -> bool:
    """Whether an address is one machine's on the internet: not this machine's, nor its own network's.

    IPv6 addresses that lead to an IPv4 one by a translator or tunnel (NAT64, 6to4, Teredo) are not: it could be any.
    """
    if isinstance(number, IPv6Address):
        if number.ipv4_mapped is not None:
            return is_of_internet(number.ipv4_mapped)
        if number.is_site_local or any(number in one for one in _CARRIERS):
            return False
    return number.is_global and not (number.is_multicast or number.is_reserved or number.is_unspecified)


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
