"""The networks in which recorders are looked for, and where this machine stands in them."""

from __future__ import annotations

import os
import re
from collections.abc import Iterable
from fnmatch import fnmatchcase
from ipaddress import IPv4Address, IPv6Address, ip_address, ip_network
from itertools import islice
from pathlib import Path

import ifaddr

_ADDRESS = re.compile(
    r"(?:\[(?P<six>[0-9A-Fa-f:.]+)\]|(?P<name>[A-Za-z0-9](?:[A-Za-z0-9.-]{0,251}[A-Za-z0-9])?)):(?P<port>\d{1,5})"
)

THIS_MACHINE = ("127.0.0.0/8",)
"""What is looked in as long as nobody says otherwise: recorders (and simulated ones) on this machine."""


def network_words(text: str) -> str:
    """A network in its usual words, "192.168.10.0/24", from any address in it ("192.168.10.7/24") or a single one.

    Raises ValueError when it is none.
    """
    if "%" in text:
        raise ValueError("a network is named without the interface")
    return str(ip_network(text.strip(), strict=False))


def path_words(text: str) -> str:
    """A path, or what lies right under a named place: "/dev/serial/by-id/*". Raises ValueError when it does not begin at the root, goes back
    up, or has a sign that stands for several names anywhere but in its last part: then it would search the disk."""
    parts = text.strip().rstrip("/").split("/")
    if not text.strip().startswith("/") or ".." in parts or len(parts) < 3:
        raise ValueError("a path begins with / and names something below it")
    if any(_is_pattern(part) for part in parts[:-1]) or "**" in parts[-1]:
        raise ValueError("a * stands in the last part only")
    return "/".join(parts)


def ports_at(patterns: Iterable[str]) -> list[str]:
    """The ports that stand at the patterns now: character devices, or links to such (as the system makes them); nothing else is opened."""
    return [path for path in _paths_at(patterns) if Path(path).is_char_device()]


def folders_at(patterns: Iterable[str]) -> list[str]:
    """The folders that stand at the patterns now. A device or a file is none; a link leads elsewhere, and is not followed."""
    return [path for path in _paths_at(patterns) if Path(path).is_dir() and not Path(path).is_symlink()]


MOST_AT_A_PLACE = 500
"""Names that are looked at under a named place."""


def _paths_at(patterns: Iterable[str]) -> list[str]:
    """What stands at the patterns: themselves, or names right under a named place. One that would search the disk finds nothing."""
    found: set[str] = set()
    for pattern in patterns:
        try:
            place, _, last = path_words(pattern).rpartition("/")
        except ValueError:
            continue
        if not _is_pattern(last):
            found |= {pattern} if Path(pattern).exists() else set()
            continue
        try:
            with os.scandir(place or "/") as entries:
                names = [entry.name for entry in islice(entries, MOST_AT_A_PLACE)]
        except OSError:
            continue
        found |= {f"{place}/{name}" for name in names if fnmatchcase(name, last) and not name.startswith(".")}
    return sorted(found)


def _is_pattern(part: str) -> bool:
    return any(sign in part for sign in "*?[")


def is_within(host: str, networks: Iterable[str]) -> bool:
    """Whether an address (an IPv6 one may name its interface, "fe80::1%eth0") lies in one of the networks."""
    try:
        address = _plain(host)
    except ValueError:
        return False
    return any(address in ip_network(each) for each in networks)


def addresses_within(networks: Iterable[str]) -> list[str]:
    """The addresses that this machine has in the networks now; none where it has no part in one."""
    wanted = tuple(networks)
    mine = [ip.ip if isinstance(ip.ip, str) else ip.ip[0] for card in ifaddr.get_adapters() for ip in card.ips]
    return sorted({str(_plain(host)) for host in mine if is_within(host, wanted)})


def address_words(text: str) -> str:
    """The address of a recorder in its usual words, "192.168.10.20:7400", "[fd00:10::5]:7400" or "dock-3.plant.local:7400".

    Raises ValueError when it is none.
    """
    found = _ADDRESS.fullmatch(text.strip())
    if found is None or not 0 < int(found["port"]) < 65_536:
        raise ValueError(f"“{text}” is no address with a port")
    host = f"[{ip_address(found['six'])}]" if found["six"] else found["name"].lower()
    return f"{host}:{int(found['port'])}"


def address_parts(words: str) -> tuple[str, int]:
    """Host and port of an address in its usual words; a path (of a serial port, of a folder) is its own host."""
    if words.startswith("/"):
        return words, 0
    host, _, port = words.rpartition(":")
    return host.strip("[]"), int(port)


def _plain(host: str) -> IPv4Address | IPv6Address:
    return ip_address(host.split("%")[0])
