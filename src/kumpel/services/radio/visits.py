"""A visit: this machine leaves its radio network, joins the one that a recorder opens, takes in what is new there, and comes back.

Where it was before stands on record before it leaves: whatever ends the visit (a wrong key, a recorder that walks off, a killed server),
the machine comes back. The key of a network is kept nowhere.
"""

from __future__ import annotations

import logging
import queue
import threading
import time
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import Engine
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.link import radio
from kumpel.link.discovery import Announcement, Watch
from kumpel.link.networks import is_within, network_words
from kumpel.link.radio import Heard, Radio, RadioError, Standing
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError, ProblemError
from kumpel.services.recorders import bays, recorders
from kumpel.services.recorders.reaching import this_machine
from kumpel.services.take_in import take_in
from kumpel.services.take_in.take_in import Starter, Wish
from kumpel.store import locks
from kumpel.store.database import tell
from kumpel.store.tables import RadioVisit, Recorder, Session, now

log = logging.getLogger("kumpel.radio")
JOINS, THERE, BACK, DONE, FAILED = "joins", "there", "back", "done", "failed"
FOUND_S, ASKS_S = 20.0, 5.0
"""A recorder announces itself within this after its network was joined."""
STAYS = timedelta(minutes=10)
"""A visit ends then at the latest, unless somebody says that it is to stay: what is being read is read to its end on the next one."""
LOOKS_S, TRIES_AGAIN_S = 0.5, 5.0
LEFT_BEHIND = timedelta(seconds=20)
"""A visit beats every half second; one that has not for so long was left behind by its process."""


def heard() -> tuple[Standing, list[Heard]]:
    """Where this machine's radio is and what it hears. Raises ConflictError where it has none, with why."""
    try:
        here = radio.this_radio()
        return here.standing(), here.heard()
    except RadioError as error:
        raise ConflictError(f"{str(error)[:1].upper()}{str(error)[1:]}.", code="no-radio") from error


@dataclass(frozen=True)
class Network:
    """A network in the air; `serial` of the recorder that opens it (empty: none does), and that recorder where it is known."""

    name: str
    signal: float
    locked: bool
    joined: bool
    serial: str
    recorder: Recorder | None


def with_recorders(db: Db, found: list[Heard]) -> list[Network]:
    """The networks that were heard, with the recorders that open them."""
    serials = {each.name: radio.serial_of(each.name) for each in found}
    rows = db.exec(select(Recorder).where(col(Recorder.serial).in_([s for s in serials.values() if s]))).all()
    known = {row.serial: row for row in rows}
    return [
        Network(each.name, each.signal, each.locked, each.joined, serials[each.name], known.get(serials[each.name]))
        for each in found
    ]


def away_with(db: Db, standing: Standing, networks: list[str]) -> list[Recorder]:
    """The recorders that are reached by the network that is left: away for as long as the visit lasts. Recorders by cable stay."""
    if not standing.network:
        return []
    rows = db.exec(select(Recorder).where(col(Recorder.in_reach), Recorder.machine == "")).all()
    return sorted((row for row in rows if is_within(row.host or "", networks)), key=lambda row: row.token)


def begin(db: Db, network: str, key: str) -> RadioVisit:
    """Put a visit on record, with where the machine is now: it comes back there. `run` does it, with the key."""
    deeds.ask(db, "radio network joined", Whom("machine", this_machine()))
    try:
        radio.check_network(network, key)
    except ValueError as error:
        raise InvalidError(f"Nothing was joined: {error}.", field="key" if key else "network") from error
    if not radio.serial_of(network):
        # The server is not led into whatever network somebody names.
        raise InvalidError("Only a network that a recorder opens is joined: KR and its serial number.", field="network")
    standing, _ = heard()
    visit = RadioVisit(
        machine=this_machine(),
        network=network,
        device=standing.device,
        left_profile=standing.profile,
        left_network=standing.network,
        stay_until=now() + STAYS,
        made_by=deeds.actor(db),
    )
    db.add(visit)
    try:
        db.flush()
    except IntegrityError as error:
        raise ConflictError("The machine is in the network of a recorder already. End that visit first.") from error
    about = {"network": network, "left": standing.network}
    deeds.keep(db, "radio network joined", Whom("machine", visit.machine), after=about)
    _say(db, visit)
    return visit


def stay(db: Db, visit_id: int) -> RadioVisit:
    """Ten minutes from now, also when everything is taken in: for setting the recorder up there."""
    visit = visit_of(db, visit_id)
    deeds.ask(db, "radio visit lengthened", Whom("machine", visit.machine))
    if visit.ended_at is None:
        visit.stay_until, visit.stays = now() + STAYS, True
        _say(db, visit)
    return visit


def end(db: Db, visit_id: int) -> RadioVisit:
    """Come back as soon as the block that is being read is read: the rest is read on the next visit."""
    visit = visit_of(db, visit_id)
    deeds.ask(db, "radio visit ended", Whom("machine", visit.machine))
    if visit.ended_at is None:
        visit.stop = True
        _say(db, visit)
    return visit


def visit_of(db: Db, visit_id: int) -> RadioVisit:
    visit = db.get(RadioVisit, visit_id)
    if visit is None:
        raise NotFoundError("This visit is not on record.")
    return visit


def newest(db: Db) -> RadioVisit | None:
    """The visit of this machine that is under way, or the last one."""
    mine = select(RadioVisit).where(RadioVisit.machine == this_machine()).order_by(col(RadioVisit.id).desc())
    return db.exec(mine.limit(1)).first()


def run(store: Engine, visit_id: int, key: str, start: Starter) -> None:
    """From leaving to being back. The lock is of this function's own connection: it dies with it."""
    with (
        store.connect() as connection,
        Db(connection, expire_on_commit=False) as db,
        locks.locked(db, locks.VISIT, visit_id) as mine,
    ):
        visit = db.get(RadioVisit, visit_id)
        if not mine or visit is None or visit.ended_at is not None:
            return
        deeds.work_for(db, visit.made_by)
        here = radio.this_radio()
        try:
            address = here.join(visit.network, key)
            _visited(db, visit, address, start)
        except (RadioError, ProblemError) as error:
            visit.trouble = f"{error}"[:400]
        _go_back(db, visit, here)


def come_back(store: Engine) -> None:
    """What a process that ended left behind in another network comes back: looked for all the time by whoever looks out on this machine."""
    with store.connect() as connection, Db(connection, expire_on_commit=False) as db:
        left = select(RadioVisit.id).where(
            RadioVisit.machine == this_machine(),
            col(RadioVisit.ended_at).is_(None),
            col(RadioVisit.beat_at) < now() - LEFT_BEHIND,
        )
        for visit_id in db.exec(left).all():
            with locks.locked(db, locks.VISIT, visit_id or 0) as mine:
                visit = db.get_one(RadioVisit, visit_id)
                if mine and visit.ended_at is None:
                    visit.trouble = "the server ended in the middle of it"
                    _go_back(db, visit, radio.this_radio())


def _visited(db: Db, visit: RadioVisit, address: str, start: Starter) -> None:
    found = _find(address, radio.serial_of(visit.network))
    recorder = recorders.heard(db, found)
    if not recorder.in_reach:
        raise ConflictError(f"{visit.network} was joined, but its recorder does not answer: {recorder.trouble}")
    visit.recorder_id, visit.state = recorder.id, THERE
    _say(db, visit)
    wishes = [Wish(recorder.id or 0, name) for name in bays.worth_taking_in(db, recorder)]
    ids = take_in.begin(db, wishes, visit.made_by, start) if wishes else []
    visit.sessions = len(ids)
    _say(db, visit)
    while now() < visit.stay_until and not visit.stop and (visit.stays or _on_the_way(db, ids)):
        time.sleep(LOOKS_S)
        visit.beat_at = now()
        _say(db, visit, quietly=True)
        db.refresh(visit)
    visit.sessions = len(_of(db, ids, "stored"))


def _on_the_way(db: Db, ids: list[int]) -> bool:
    """Whether something is still being read there: what was cut for good is not waited for."""
    return any(session.trouble == "" for session in _of(db, ids, "arriving"))


def _of(db: Db, ids: list[int], state: str) -> list[Session]:
    return list(db.exec(select(Session).where(col(Session.id).in_(ids), Session.state == state)).all())


def _find(address: str, serial: str) -> Announcement:
    """The recorder that the network is named after, as it announces itself there; whoever else does is passed over."""
    if not address:
        raise ConflictError("the network was joined, but it gave this machine no address")
    until_s = time.monotonic() + FOUND_S
    while time.monotonic() < until_s:
        # Listened for anew: what was asked as the network was just being joined may have gone nowhere.
        found = _listen(address, serial, min(ASKS_S, until_s - time.monotonic()))
        if found is not None:
            return found
    raise ConflictError("the network was joined, but no recorder announces itself in it: is it ready to transfer?")


def _listen(address: str, serial: str, for_s: float) -> Announcement | None:
    seen: queue.SimpleQueue[Announcement] = queue.SimpleQueue()
    watch = Watch(seen.put, lambda name: None, [address.partition("/")[0]], [network_words(address)])
    until_s = time.monotonic() + for_s
    try:
        while (left_s := until_s - time.monotonic()) > 0:
            found = seen.get(timeout=left_s)
            if found.serial == serial:
                return found
    except queue.Empty:
        pass
    finally:
        watch.close()
    return None


def _go_back(db: Db, visit: RadioVisit, here: Radio) -> None:
    visit.state, visit.beat_at = BACK, now()
    _say(db, visit)
    there = db.get(Recorder, visit.recorder_id) if visit.recorder_id else None
    failed = bool(visit.trouble)
    while True:
        try:
            here.go_back(Standing(visit.device, visit.left_profile, visit.left_network))
            break
        except RadioError as error:
            # Tried for as long as it takes: the house's network may be away for a while, and nobody is there to press anything.
            words = (
                f"{visit.left_network or 'the network before'} could not be joined again: {error}; it is tried again"
            )
            if visit.trouble != words:
                log.warning("coming back from %s: %s", visit.network, error)
            visit.trouble = words[:400]
            visit.beat_at = now()
            _say(db, visit)
            time.sleep(TRIES_AGAIN_S)
    visit.state, visit.ended_at = (FAILED if failed else DONE), now()
    if not failed:
        visit.trouble = ""
    if there is not None:
        recorders.gone(db, there.serial)
    _say(db, visit)


def _say(db: Db, visit: RadioVisit, quietly: bool = False) -> None:
    db.add(visit)
    if not quietly:
        tell(db, "radio")
    db.commit()


def begin_in_background(store: Engine, visit_id: int, key: str, start: Starter) -> None:
    """`run` on a thread: the key is in its memory alone."""
    threading.Thread(target=run, args=(store, visit_id, key, start), name=f"visit {visit_id}", daemon=True).start()
