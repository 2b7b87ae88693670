"""Where recorders are looked for, and what was seen there."""

from __future__ import annotations

from dataclasses import dataclass

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.link.networks import addresses_within, is_within
from kumpel.services import settings
from kumpel.store.tables import Recorder


@dataclass(frozen=True)
class LookedIn:
    """A network that is looked in: the addresses that this machine has in it now, and how many recorders are in reach there."""

    network: str
    addresses: list[str]
    in_reach: int


def looked_in(db: Db) -> list[LookedIn]:
    """Every network that is set, in its order."""
    hosts = db.exec(select(Recorder.host).where(col(Recorder.in_reach), col(Recorder.host).is_not(None))).all()
    networks = settings.value_of(db, settings.NETWORKS)
    return [
        LookedIn(each, addresses_within([each]), sum(is_within(host or "", [each]) for host in hosts))
        for each in networks
    ]
