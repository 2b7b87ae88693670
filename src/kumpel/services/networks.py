"""Where recorders are looked for, and what was seen there."""

from __future__ import annotations

from dataclasses import dataclass

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.link.networks import address_parts, addresses_within, is_within
from kumpel.services import settings
from kumpel.store.tables import Recorder


@dataclass(frozen=True)
class LookedIn:
    """A network that is looked in, or an address: the addresses that this machine has there now (of a network), and how many
    recorders are in reach there."""

    where: str
    is_address: bool
    addresses: list[str]
    in_reach: int


def looked_in(db: Db) -> list[LookedIn]:
    """Every network that is set, in its order, then every address."""
    here = select(Recorder.host, Recorder.port).where(col(Recorder.in_reach), col(Recorder.host).is_not(None))
    found = db.exec(here).all()
    held = settings.held(db)
    networks = [
        LookedIn(each, False, addresses_within([each]), sum(is_within(host or "", [each]) for host, _ in found))
        for each in settings.value_in(held, settings.NETWORKS)
    ]
    places = [
        LookedIn(each, True, [], sum(place == address_parts(each) for place in found))
        for each in settings.value_in(held, settings.ADDRESSES)
    ]
    return networks + places
