"""Where recorders are looked for, what was seen there, and which equipment on the way to them is missing."""

from __future__ import annotations

import os
from collections.abc import Sequence, Set
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Literal

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.link.networks import THIS_MACHINE, address_parts, addresses_within, folders_at, is_within, ports_at
from kumpel.services.ground import settings
from kumpel.services.recorders.reaching import this_machine
from kumpel.store import locks
from kumpel.store.database import tell
from kumpel.store.tables import HandOver, LookoutTerm, Recorder

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


@dataclass(frozen=True)
class Seen:
    """What a machine sees where a port or a folder is looked for: its path, empty where nothing that fits is there; why it cannot be used."""

    what: Literal["port", "folder"]
    wished: str
    path: str
    shut: str


def seen_here(ports: Sequence[str], folders: Sequence[str]) -> list[Seen]:
    """What this machine has of the ports and folders that are looked for."""
    found: list[Seen] = []
    for each in ports:
        found += [Seen("port", each, path, _shut(path)) for path in ports_at([each])] or [Seen("port", each, "", "")]
    for each in folders:
        found += [Seen("folder", each, path, _shut(path)) for path in folders_at([each])] or [
            Seen("folder", each, "", "")
        ]
    return found


def keep_seen(db: Db, machine: str, seen: Sequence[Seen]) -> None:
    """What a machine sees stands with its lookout, for those who ask on another one. Not committed."""
    row = db.get(LookoutTerm, machine)
    if row is not None:
        row.sees = [asdict(each) for each in seen]
        db.add(row)
        tell(db, "recorders")


def looked_in(db: Db) -> list[LookedIn]:
    """Every network that is set, in its order, then every address, ports, folders, and the docks that recorders were seen in."""
    here = select(Recorder.host, Recorder.port, Recorder.machine).where(
        col(Recorder.in_reach), col(Recorder.host).is_not(None)
    )
    found = db.exec(here).all()
    held = settings.chosen(db)
    networks = [_network(each, [host for host, _, _ in found]) for each in settings.value_in(held, settings.NETWORKS)]
    places = [
        LookedIn(each, "address", each, [], sum((host, port) == address_parts(each) for host, port, _ in found))
        for each in settings.value_in(held, settings.ADDRESSES)
    ]
    wished = settings.value_in(held, settings.PORTS), settings.value_in(held, settings.FOLDERS)
    answer = {(host, machine) for host, _, machine in found}
    return networks + places + _plugged(db, *wished, answer) + _docks(db)


def _plugged(
    db: Db, ports: Sequence[str], folders: Sequence[str], answer: Set[tuple[str | None, str]]
) -> list[LookedIn]:
    """Ports and folders of each machine that has a lookout for them, and of this one; named by machine where there are several."""
    own = this_machine()
    areas = db.exec(select(LookoutTerm).where(LookoutTerm.area != "").order_by(LookoutTerm.area)).all()
    others = [term for term in areas if term.area != own]
    alive = {term.area for term in others if locks.is_held(db, locks.LOOKOUT, term.area)}
    machines = {term.area: [Seen(**each) for each in term.sees] for term in others if term.area in alive}
    if not machines or own in {term.area for term in areas}:
        machines = {own: seen_here(ports, folders)} | machines
    several = [*machines] != [own]
    rows = [(machine, each) for machine, seen in machines.items() for each in seen]
    rows.sort(key=lambda row: row[1].what, reverse=True)  # ports, then folders
    return [
        _plugged_in(each, machine if several else "", (each.path, machine) in answer or (each.path, "") in answer)
        for machine, each in rows
    ] + [_silent(term.area) for term in others if term.area not in alive and _had_recorders(db, term.area)]


def _had_recorders(db: Db, machine: str) -> bool:
    return db.exec(select(Recorder.id).where(Recorder.machine == machine).limit(1)).first() is not None


def _silent(machine: str) -> LookedIn:
    return LookedIn(machine, "port", f"cables of {machine}", [], 0, "the part of Kumpel there does not run")


def _plugged_in(seen: Seen, machine: str, answers: bool) -> LookedIn:
    """`machine` is named where there are several, else empty."""
    name = _name(seen) + (f" of {machine}" if machine else "")
    if seen.path:
        return LookedIn(seen.path, seen.what, name, [], int(answers), "" if answers else seen.shut)
    nothing = (
        f"no adapter is plugged into {machine or 'the server'}" if seen.what == "port" else "no stick or card is in"
    )
    return LookedIn(seen.wished, seen.what, name, [], 0, nothing, True)


def _name(seen: Seen) -> str:
    if seen.path:
        return f"port {Path(seen.path).name}" if seen.what == "port" else Path(seen.path).name
    if seen.what == "port":
        return f"port {Path(seen.wished).name}" if "*" not in seen.wished else "cables"
    return Path(seen.wished).name if "*" not in seen.wished else Path(seen.wished).parent.name


def _network(words: str, hosts: Sequence[str | None]) -> LookedIn:
    addresses = addresses_within([words])
    name = "this machine" if words in THIS_MACHINE else words
    missing = "" if addresses else "the server has no address in it now: is its network cable in?"
    return LookedIn(words, "network", name, addresses, sum(is_within(host or "", [words]) for host in hosts), missing)


def _shut(path: str) -> str:
    """Why a port or folder cannot be used, as the system has it; empty when it can."""
    if os.access(path, os.R_OK | os.W_OK):
        return ""
    try:
        group = Path(path).group()
    except (OSError, KeyError):
        return "it was pulled out"
    return f"Kumpel may not open it: its user has to be in the group “{group}”"


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
