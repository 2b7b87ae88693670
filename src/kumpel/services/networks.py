"""Where recorders are looked for, and what was seen there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.link.networks import address_parts, addresses_within, folders_at, is_within, ports_at
from kumpel.services import settings
from kumpel.store.tables import Recorder


@dataclass(frozen=True)
class LookedIn:
    """A network that is looked in, an address, a port or a folder: the addresses that this machine has there now (of a network), and how many
    recorders are in reach there."""

    where: str
    what: Literal["network", "address", "port", "folder"]
    addresses: list[str]
    in_reach: int


def looked_in(db: Db) -> list[LookedIn]:
    """Every network that is set, in its order, then every address, then ports and folders that are there now."""
    here = select(Recorder.host, Recorder.port).where(col(Recorder.in_reach), col(Recorder.host).is_not(None))
    found = db.exec(here).all()
    held = settings.held(db)
    networks = [
        LookedIn(each, "network", addresses_within([each]), sum(is_within(host or "", [each]) for host, _ in found))
        for each in settings.value_in(held, settings.NETWORKS)
    ]
    places = [
        LookedIn(each, "address", [], sum(place == address_parts(each) for place in found))
        for each in settings.value_in(held, settings.ADDRESSES)
    ]
    hosts = {host for host, _ in found}
    ports = [
        LookedIn(path, "port", [], int(path in hosts)) for path in ports_at(settings.value_in(held, settings.PORTS))
    ]
    folders = [
        LookedIn(path, "folder", [], int(path in hosts))
        for path in folders_at(settings.value_in(held, settings.FOLDERS))
    ]
    return networks + places + ports + folders
