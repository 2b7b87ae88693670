"""Giving a recorder the house's radio network: name and key go onto it, and the key nowhere else."""

from __future__ import annotations

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.link.abilities import RADIO, RadioState
from kumpel.link.client import RefusedError
from kumpel.link.messages import Code
from kumpel.link.radio import check_network
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.recorders.live_values import talk_to
from kumpel.services.recorders.recorders import recorder_of
from kumpel.store.tables import Recorder


def that_can(db: Db) -> list[Recorder]:
    """Recorders in reach that have a radio which joins networks."""
    can = col(Recorder.status)["can"].contains([RADIO])
    return list(db.exec(select(Recorder).where(can, col(Recorder.in_reach)).order_by(col(Recorder.token))).all())


def give(db: Db, recorder_id: int, name: str, key: str, passcode: str = "") -> RadioState:
    """Have a recorder join a network from now on. The deed names the network, and nothing names the key."""
    recorder, whom = recorder_of(db, recorder_id), Whom("recorder", recorder_id)
    deeds.ask(db, "radio network given", whom)
    try:
        check_network(name, key)
    except ValueError as error:
        raise InvalidError(f"Nothing was written: {error}.", field="key" if key else "name") from error
    with talk_to(db, recorder, passcode) as link:
        try:
            state = link.join_network(name, key)
        except RefusedError as error:
            if error.code != Code.BAD_VALUE:
                raise
            # What it says of a value that it refuses might repeat it.
            raise ConflictError(f"{recorder.token} cannot take this name and key.", code="bad-value") from None
    deeds.keep(db, "radio network given", whom, after={"network": name})
    db.commit()
    return state


def take_away(db: Db, recorder_id: int, passcode: str = "") -> RadioState:
    """Have a recorder forget its network, and its key with it."""
    recorder, whom = recorder_of(db, recorder_id), Whom("recorder", recorder_id)
    deeds.ask(db, "radio network taken away", whom)
    with talk_to(db, recorder, passcode) as link:
        state = link.leave_network()
    deeds.keep(db, "radio network taken away", whom)
    db.commit()
    return state
