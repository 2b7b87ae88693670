"""Keeps an eye on the recorders in reach: who appears, who leaves, what changed on them."""

from __future__ import annotations

import contextlib
import logging
import queue
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Literal

import procrastinate
import psycopg
from sqlalchemy.exc import SQLAlchemyError
from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.link.abilities import NEWS
from kumpel.link.discovery import Announcement, Watch
from kumpel.link.errors import LinkError
from kumpel.link.hearing import Hearing
from kumpel.link.networks import address_parts, addresses_within, is_within
from kumpel.link.wires import is_serial
from kumpel.services.firmware import updates
from kumpel.services.ground import settings
from kumpel.services.radio import visits
from kumpel.services.recorders import networks, recorders
from kumpel.services.recorders.reaching import this_machine
from kumpel.services.take_in import contact
from kumpel.services.work.jobs import Jobs
from kumpel.store.database import engine
from kumpel.store.tables import Recorder

log = logging.getLogger("kumpel.watch")
EVERY_S = 2.0
LOOK_S = 1.0
SHARE_S = 0.15
"""Of those that have to be asked each is asked less often the more they are: every two seconds for thirteen, every fifteen for a hundred."""
TOLD_S = 600.0
"""One that tells when something has changed is asked this often at the least: its clock is not among what it tells."""
APART_S = 1.0
"""Two askings of one that tells are so far apart at the least, whatever it tells."""
AGREES_S = 10.0
"""How often it is looked whether the recorders that are heard stand as in reach on record."""
GOES_ON_S = 6.0
"""A worker that died is known to be gone after twenty; what it had begun is looked for this often."""
LONGEST_PAUSE_S = 60.0
STEP_S = 0.1
KEPT_S = 60.0
"""What a recorder answers is kept this often at the least, whatever has become of its row meanwhile."""
AT_ONCE = 16
"""Recorders asked side by side; one that keeps its asker waiting (2 s a call at the most) holds up nobody else."""
Places = Literal["everywhere", "networks", "paths"]
"""What a lookout looks for: networks and addresses, which one does for all; ports and folders, which each machine does for itself; or both."""
DATABASE_ERRORS = (SQLAlchemyError, psycopg.Error, procrastinate.exceptions.ConnectorException)


@dataclass
class _Known:
    """A recorder that was announced: when it is asked next, how often in a row it did not answer, whether it is being asked."""

    at: Announcement
    next_s: float = 0.0
    failures: int = 0
    busy: bool = False
    again: bool = False
    """It told of something while it was asked."""
    claimed_by: Announcement | None = None
    kept: recorders.Answer | None = None
    """What it answered when that was last kept, and when: the same again keeps nothing, and asks the database for nothing."""
    kept_s: float = 0.0
    kept_at: tuple[str, int] | None = None
    tells: bool | None = None
    """Whether it says by itself when something has changed; None: not known yet."""
    asked_s: float = 0.0


@dataclass(frozen=True)
class _Wished:
    """Where to look, as the settings say."""

    networks: tuple[str, ...]
    addresses: tuple[str, ...]
    ports: tuple[str, ...]
    folders: tuple[str, ...]


@dataclass
class _Place:
    """An address where a recorder is looked for: when next, how often in a row nobody answered."""

    next_s: float = 0.0
    failures: int = 0
    busy: bool = False


def _pause_s(failures: int) -> float:
    return min(EVERY_S * 2.0 ** max(failures - 1, 0), LONGEST_PAUSE_S)


def _gone(serial: str, seen_s: float | None, db: Db) -> None:
    recorders.gone(db, serial, seen_s)


class Lookout(threading.Thread):
    """Listens for announcements and asks every recorder in reach again every two seconds, each by itself.

    One that does not answer is tried again after 2, 4, 8 .. 60 s. Whatever goes wrong with a recorder stays with it.
    """

    def __init__(
        self, url: str, jobs: Jobs, fence: Callable[[Db], None] = lambda db: None, places: Places = "everywhere"
    ) -> None:
        """`fence` raises in a transaction when another lookout leads since."""
        super().__init__(name="lookout", daemon=True)
        self._url, self._jobs, self._fence, self._of = url, jobs, fence, places
        self._news: queue.Queue[Announcement | str] = queue.Queue()
        self._known: dict[str, _Known] = {}
        self._ending = threading.Event()
        self._watch: Watch | None = None
        self._networks: tuple[str, ...] = ()
        self._addresses: tuple[str, ...] = ()
        self._places: dict[str, _Place] = {}
        self._looking: Future[list[networks.Seen]] | None = None
        self._seen: list[networks.Seen] = []
        self._told_of: list[networks.Seen] | None = None
        """What was last put on record of what this machine sees."""
        self._wished: _Wished | None = None
        """Where to look as it was last read: by the one who goes on, so that no connection more is needed."""
        self._pool = ThreadPoolExecutor(AT_ONCE, "ask")
        self._told: queue.SimpleQueue[tuple[str, bool | None]] = queue.SimpleQueue()
        """Serial numbers of recorders that told of a change (None), or are not heard any more: they tell, or they do not."""
        self._hearing = Hearing(lambda serial: self._told.put((serial, None)), lambda *lost: self._told.put(lost))

    def run(self) -> None:
        going_on_s = wishes_s = 0.0
        looked_s = agrees_s = 0.0
        wished: _Wished | None = None
        self._hearing.start()
        try:
            while not self._ending.wait(STEP_S):
                now_s = time.monotonic()
                if now_s >= wishes_s:
                    wishes_s = now_s + EVERY_S
                    self._pool.submit(self._safely, "reading where to look", partial(self._reading, self._read_wishes))
                if now_s >= going_on_s:
                    going_on_s = now_s + GOES_ON_S
                    self._pool.submit(self._safely, "going on with take-in", self._go_on)
                if now_s >= agrees_s:
                    agrees_s = now_s + AGREES_S
                    self._pool.submit(self._safely, "comparing", partial(self._reading, self._compare))
                # Interfaces, ports and sticks come and go: also without another wish.
                if self._wished is not None and (time.monotonic() >= looked_s or self._wished != wished):
                    wished, looked_s = self._wished, time.monotonic() + LOOK_S
                    self._safely("looking where it is set", partial(self._look_where_set, wished))
                self._take_news()
                self._take_told()
                self._ask_due()
        finally:
            if self._watch is not None:
                self._watch.close()
            self._hearing.stop()
            self._pool.shutdown(wait=False, cancel_futures=True)

    def stop(self) -> None:
        self._ending.set()
        self.join(timeout=2)

    def _look_where_set(self, wished: _Wished) -> None:
        """Listen where the settings say and this machine has a part, ask at addresses, ports and folders; others are out of reach."""
        networks = wished.networks
        self._look_at((*wished.addresses, *self._paths(wished)))
        addresses = tuple(addresses_within(networks))
        if (networks, addresses) == (self._networks, self._addresses):
            return
        if self._watch is not None:
            self._watch.close()
            self._watch = None
        self._networks, self._addresses = networks, ()
        for serial, known in list(self._known.items()):
            if known.at.name.removeprefix("at ") not in self._places and not is_within(known.at.host, networks):
                self._forget(serial)
        if addresses:
            self._watch = Watch(self._news.put, self._news.put, addresses, networks)
        self._addresses = addresses

    def _paths(self, wished: _Wished) -> tuple[str, ...]:
        """Ports and folders that stand where they are looked for, as they were last seen: a share that hangs holds up only that look."""
        if self._looking is None or self._looking.done():
            if self._looking is not None and self._looking.exception() is None:
                self._seen = self._looking.result()
            self._looking = self._pool.submit(networks.seen_here, wished.ports, wished.folders)
        if self._of == "paths" and self._seen != self._told_of:
            self._pool.submit(self._safely, "saying what is plugged in", partial(self._tell_seen, self._seen))
        return tuple(each.path for each in self._seen if each.path)

    def _tell_seen(self, seen: list[networks.Seen]) -> None:
        with Db(engine(self._url)) as db:
            self._fence(db)
            networks.keep_seen(db, this_machine(), seen)
            db.commit()
        self._told_of = seen

    def _look_at(self, places: Sequence[str]) -> None:
        """Greet whoever stands at the addresses that are set and is not known yet."""
        for gone in self._places.keys() - set(places):
            del self._places[gone]
            self._news.put(recorders.at_address(gone))
        standing = {(known.at.host, known.at.port) for known in self._known.values()}
        for words in places:
            place = self._places.setdefault(words, _Place())
            if address_parts(words) in standing or place.busy or place.next_s > time.monotonic():
                continue
            place.busy = True
            self._pool.submit(self._safely, words, partial(self._greet, words, place))

    def _greet(self, words: str, place: _Place) -> None:
        host, port = address_parts(words)
        answer = recorders.ask(host, port)
        if answer is None or isinstance(answer, str):
            place.failures += 1
        else:
            place.failures = 0
            self._news.put(Announcement(answer.described.serial, host, port, recorders.at_address(words)))
        place.next_s, place.busy = time.monotonic() + _pause_s(place.failures), False

    def _take_news(self) -> None:
        while not self._news.empty():
            news = self._news.get_nowait()
            if isinstance(news, str):
                self._left(news)
                continue
            known = self._known.get(news.serial)
            if known is None:
                self._known[news.serial] = _Known(news)
            elif (known.at.host, known.at.port) == (news.host, news.port):
                known.at, known.next_s, known.failures, known.tells = news, 0.0, 0, None
            else:
                # Moved, or somebody else says it is the same recorder: the next asking tells.
                known.claimed_by, known.next_s, known.failures = news, 0.0, 0

    def _take_told(self) -> None:
        while not self._told.empty():
            serial, lost = self._told.get_nowait()
            known = self._known.get(serial)
            if known is None:
                continue
            if lost is not None:
                # Not there any more, or there again already: the next asking tells.
                known.tells = None if lost else False
            known.next_s = min(known.next_s, known.asked_s + APART_S)
            known.again = known.busy

    def _compare(self, db: Db) -> None:
        """One that is heard and stands as out of reach is asked: whatever took it for gone was wrong, or is over."""
        standing = set(db.exec(select(Recorder.serial).where(Recorder.in_reach)).all())
        for serial, known in list(self._known.items()):
            if serial not in standing and self._hearing.hears(serial):
                known.kept, known.next_s = None, 0.0

    def _left(self, name: str) -> None:
        for serial, known in list(self._known.items()):
            if known.claimed_by is not None and known.claimed_by.name == name:
                known.claimed_by = None
            if known.at.name != name:
                continue
            if known.claimed_by is not None:
                self._moved(known, known.claimed_by)
                known.next_s = 0.0
                continue
            self._forget(serial)

    def _moved(self, known: _Known, to: Announcement) -> None:
        self._hearing.leave(known.at.serial)
        known.at, known.claimed_by, known.tells = to, None, None

    def _forget(self, serial: str) -> None:
        del self._known[serial]
        self._hearing.leave(serial)
        self._pool.submit(
            self._safely, serial, partial(self._with, partial(_gone, serial, self._hearing.last_heard_s(serial)))
        )

    def _ask_due(self) -> None:
        now_s = time.monotonic()
        for known in self._known.values():
            if not known.busy and known.next_s <= now_s:
                known.busy = True
                self._pool.submit(self._ask, known)

    def _ask(self, known: _Known) -> None:
        try:
            self._safely(known.at.serial, lambda: self._ask_one(known))
        finally:
            known.next_s = time.monotonic() + self._pause_of(known)
            known.busy = known.again = False

    def _pause_of(self, known: _Known) -> float:
        if self._hearing.hears(known.at.serial) and not known.failures:
            return APART_S if known.again else TOLD_S
        asked = sum(not self._hearing.hears(serial) for serial in self._known)
        return max(_pause_s(known.failures), EVERY_S, SHARE_S * asked)

    def _hear(self, known: _Known, answer: recorders.Answer) -> None:
        """Let one that can tell do so from now on, and ask it once more: something may have changed meanwhile."""
        at = known.at
        if (
            NEWS not in answer.described.can
            or known.tells is False
            or is_serial(at.host)
            or self._hearing.hears(at.serial)
        ):
            return
        known.tells = False
        with contextlib.suppress(LinkError):
            known.tells = known.again = self._hearing.listen_to(at.serial, at.host, at.port)

    def _ask_one(self, known: _Known) -> None:
        known.failures += 1  # until it has answered and that is stored
        known.asked_s = time.monotonic()
        other = known.claimed_by
        answer = recorders.ask(known.at.host, known.at.port)
        if answer is None:
            known.failures = 0
            return  # Its port is busy: it is being read.
        still_there = not isinstance(answer, str) and answer.described.serial == known.at.serial
        if other is not None and not still_there:
            self._moved(known, other)
            answer = recorders.ask(other.host, other.port)

        if (
            isinstance(answer, recorders.Answer)
            and known.kept is not None
            and known.claimed_by is None
            and known.kept_at == (known.at.host, known.at.port)
            and time.monotonic() - known.kept_s < KEPT_S
            and not recorders.is_news(known.kept, answer)
        ):
            known.failures = 0
            self._hear(known, answer)
            return

        def keep(db: Db) -> None:
            if self._known.get(known.at.serial) is not known:
                return  # It left, or is no longer looked for, while it was asked.
            before = db.exec(select(Recorder.in_reach).where(Recorder.serial == known.at.serial)).first()
            recorder = recorders.note(
                db, known.at, answer, known.claimed_by, self._hearing.last_heard_s(known.at.serial)
            )
            if recorder.in_reach and not before:
                self._jobs.go_on(db, recorder.serial)
            else:
                for update_id in updates.waiting(db, recorder.serial):
                    self._jobs.start_update(update_id)
            contact.take_in_new(db, recorder, self._jobs.start_take_in)

        self._with(keep)
        known.kept = answer if isinstance(answer, recorders.Answer) and known.claimed_by is None else None
        known.kept_s = time.monotonic()
        known.kept_at = (known.at.host, known.at.port)
        if isinstance(answer, recorders.Answer):
            known.failures = 0
            self._hear(known, answer)

    def _with(self, work: Callable[[Db], None]) -> None:
        with Db(engine(self._url)) as db:
            self._fence(db)
            work(db)

    def _reading(self, look: Callable[[Db], None]) -> None:
        """What writes nothing takes no lock either: for PostgreSQL nothing has happened, and kept answers stay."""
        with Db(engine(self._url)) as db:
            look(db)

    def _go_on(self) -> None:
        self._with(lambda db: self._jobs.go_on(db, stopped_too=False))  # a worker may have died at it
        visits.come_back(engine(self._url))

    def _read_wishes(self, db: Db) -> None:
        words = (settings.NETWORKS, settings.ADDRESSES, settings.PORTS, settings.FOLDERS)
        found = settings.chosen(db)
        networks, addresses, ports, folders = (tuple(settings.value_in(found, word)) for word in words)
        if self._of == "paths":
            networks = addresses = ()
        elif self._of == "networks":
            ports = folders = ()
        self._wished = _Wished(networks, addresses, ports, folders)

    @staticmethod
    def _safely(what: str, work: Callable[[], None]) -> None:
        """Whatever happens stays here. The log names the recorder and the kind of error, never what a recorder sent."""
        try:
            work()
        except DATABASE_ERRORS as error:
            log.warning("%s: the database did not answer (%s)", what, type(error).__name__)
        except Exception as error:
            log.warning("%s: %s while it was asked", what, type(error).__name__)
