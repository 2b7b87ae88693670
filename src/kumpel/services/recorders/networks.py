"""Where recorders are looked for, what was seen there, and which equipment on the way to them is missing."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.link.networks import THIS_MACHINE, address_parts, addresses_within, folders_at, is_within, ports_at
from kumpel.services.ground import settings
from kumpel.store.tables import HandOver, Recorder

FEWEST_OF_A_DOCK = 2
"""One recorder that is not there says nothing about its dock."""


@dataclass(frozen=True)
class LookedIn:
    """A place that is looked in: a network (with the addresses that this machine has there now), an address, a port, a folder, a dock.

    `name` is what it is called, `in_reach` how many recorders are in reach there, `missing` in words the equipment that is not
    there, or not usable; empty when it is. A recorder that is missing is no missing equipment. `empty`: only that nothing is plugged in,
    as on most days.
    """

    where: str
    what: Literal["network", "address", "port", "folder", "dock"]
    name: str
    addresses: list[str]
    in_reach: int
    missing: str = ""
    empty: bool = False


def looked_in(db: Db) -> list[LookedIn]:
    """Every network that is set, in its order, then every address, ports, folders, and the docks that recorders were seen in."""
    here = select(Recorder.host, Recorder.port).where(col(Recorder.in_reach), col(Recorder.host).is_not(None))
    found = db.exec(here).all()
    held = settings.chosen(db)
    networks = [_network(each, [host for host, _ in found]) for each in settings.value_in(held, settings.NETWORKS)]
    places = [
        LookedIn(each, "address", each, [], sum(place == address_parts(each) for place in found))
        for each in settings.value_in(held, settings.ADDRESSES)
    ]
    hosts = {host for host, _ in found}
    ports = [port for each in settings.value_in(held, settings.PORTS) for port in _ports(each, hosts)]
    folders = [folder for each in settings.value_in(held, settings.FOLDERS) for folder in _folders(each, hosts)]
    return networks + places + ports + folders + _docks(db)


def _network(words: str, hosts: Sequence[str | None]) -> LookedIn:
    addresses = addresses_within([words])
    name = "this machine" if words in THIS_MACHINE else words
    missing = "" if addresses else "the server has no address in it now: is its network cable in?"
    return LookedIn(words, "network", name, addresses, sum(is_within(host or "", [words]) for host in hosts), missing)


def _ports(pattern: str, hosts: set[str | None]) -> list[LookedIn]:
    there = ports_at([pattern])
    if not there:
        name = f"port {Path(pattern).name}" if "*" not in pattern else "cables"
        return [LookedIn(pattern, "port", name, [], 0, "no adapter is plugged into the server", True)]
    return [
        LookedIn(path, "port", f"port {Path(path).name}", [], int(path in hosts), "" if path in hosts else _shut(path))
        for path in there
    ]


def _shut(path: str) -> str:
    """Why a port or folder cannot be used, as the system has it; empty when it can."""
    if os.access(path, os.R_OK | os.W_OK):
        return ""
    try:
        group = Path(path).group()
    except (OSError, KeyError):
        return "it was pulled out"
    return f"Kumpel may not open it: its user has to be in the group “{group}”"


def _folders(pattern: str, hosts: set[str | None]) -> list[LookedIn]:
    there = folders_at([pattern])
    if not there:
        name = Path(pattern).name if "*" not in pattern else Path(pattern).parent.name
        return [LookedIn(pattern, "folder", name, [], 0, "no stick or card is in", True)]
    return [
        LookedIn(path, "folder", Path(path).name, [], int(path in hosts), "" if path in hosts else _shut(path))
        for path in there
    ]


def _docks(db: Db) -> list[LookedIn]:
    """Docks of whose recorders none answers, though none of them is handed out: the dock is missing, and not its recorders."""
    out = select(HandOver.recorder_id).where(col(HandOver.returned_at).is_(None))
    rows = db.exec(select(Recorder).where(col(Recorder.id).not_in(out))).all()
    docks: dict[str, list[Recorder]] = {}
    for row in rows:
        dock, comma, _ = str(row.status.get("place", "")).partition(", ")
        if comma:
            docks.setdefault(dock, []).append(row)
    return [
        LookedIn(
            name, "dock", name, [], 0, f"none of its {len(mine)} recorders answers: is it powered, and its cable in?"
        )
        for name, mine in sorted(docks.items())
        if len(mine) >= FEWEST_OF_A_DOCK and not any(row.in_reach for row in mine)
    ]
