"""The recorders that are worn now, watched once for everybody who looks at the wall.

One link a recorder, in the lookout that leads, however many browsers and web processes look on; when nobody looks, none. What is seen is
kept in memory for ten minutes and nowhere else: what is stored comes by take-in alone.
"""

from __future__ import annotations

import logging
import math
import queue
import threading
import time
from collections import deque
from collections.abc import Generator, Iterator, Mapping
from contextlib import closing, contextmanager
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.assessment import Verdict
from kumpel.kinds.live import LiveFigure
from kumpel.kinds.registry import KINDS
from kumpel.link.errors import LinkError
from kumpel.link.messages import Mode
from kumpel.services.ground.problems import ProblemError, RecorderError
from kumpel.services.recorders.exchange import Message, Wire, dial, packs
from kumpel.services.recorders.live_values import LiveValue, own_exchanges, watch_held
from kumpel.store.database import engine
from kumpel.store.tables import HandOver, Person, Recorder, Team, now

log = logging.getLogger("kumpel.wall")
COURSE_S, COURSE_STEP_S = 600.0, 2.0
"""How much of each is kept, and at which steps."""
LOOKS_S = 5.0
"""How often it is asked who wears what."""
GATHERS_S = 0.25
"""Words of so long are told together; a step towards an alarm at once."""
STILL_S = 2.0
"""Nothing new is said to be nothing new this often: a wall that hears nothing knows that the server is away."""
AGAIN_S = 2.0
MOST_WORN = 64
LINGERS_S = 600.0
"""Watched for so long after the last one looked: who opens the wall again sees the ten minutes before."""
SILENT_WORDS, LEAST_SILENT_S, MOST_SILENT_S = 3, 6.0, 30.0
CALM_S = 60.0
"""An alarm is over when its figure was below for so long and somebody answered."""
LEADS_ON = 1.5
CALM, WATCH, ALARM = "within", "watch", "alarm"
STATES = {None: CALM, Verdict.ACTION: WATCH, Verdict.ABOVE: ALARM}
MOST_BEHIND = 400
"""Notes that wait for somebody who does not read; then only the whole is told."""
Note = dict[str, Any]


@dataclass(frozen=True)
class Worn:
    """A recorder that somebody wears, as the wall names it."""

    recorder: Recorder
    person: str
    team: str
    place: str
    since: float

    @property
    def figures(self) -> tuple[LiveFigure, ...]:
        of = KINDS[self.recorder.kind].live
        return of(self.recorder.setup) if of else ()


@dataclass
class Tile:
    """What was heard of one of them. All times in Unix s of the server."""

    worn: Worn
    figures: tuple[LiveFigure, ...]
    values: dict[str, float] = field(default_factory=dict)
    heard_at: float | None = None
    silent_after_s: float = MOST_SILENT_S
    lead: str = ""
    state: str = CALM
    words: str = ""
    since: float = 0.0
    """Since when it is in this state."""
    alarm_at: float | None = None
    calm_at: float | None = None
    answered: str = ""
    trouble: str = ""
    course: deque[tuple[float, dict[str, float]]] = field(
        default_factory=lambda: deque(maxlen=round(COURSE_S / COURSE_STEP_S))
    )
    """When, and every value then."""

    def take(self, values: Mapping[str, float], now_s: float) -> bool:
        """Takes a pack; says whether it has to be told at once."""
        self.values |= {key: value for key, value in values.items() if any(f.channel == key for f in self.figures)}
        self.heard_at, self.trouble = now_s, ""
        figure, state, words = self._foremost()
        urgent = state == ALARM and self.alarm_at is None
        if state != self.state:
            self.since = now_s
        self.lead, self.state, self.words = figure, state, words
        if state == ALARM:
            self.alarm_at, self.calm_at = self.alarm_at or now_s, None
        elif self.alarm_at is not None:
            self.calm_at = self.calm_at or now_s
        if not self.course or now_s - self.course[-1][0] >= COURSE_STEP_S:
            self.course.append((now_s, dict(self.values)))
        return urgent

    def settle(self, now_s: float) -> bool:
        """Ends an alarm that is over; says whether one did."""
        over = self.calm_at is not None and now_s - self.calm_at >= CALM_S and self.answered
        if over:
            self.alarm_at = self.calm_at = None
            self.answered = ""
        return bool(over)

    def _foremost(self) -> tuple[str, str, str]:
        """The figure that matters most now, its state, and the step in words."""
        found = []
        for n, figure in enumerate(self.figures):
            value = self.values.get(figure.channel, math.nan)
            step = None if math.isnan(value) else figure.step_at(value)
            rank = (CALM, WATCH, ALARM).index(STATES[step.verdict if step else None])
            # One that leads goes on leading until another is clearly nearer to its alarm.
            near = figure.nearness(value) * (LEADS_ON if figure.channel == self.lead else 1.0)
            found.append((rank, near, -n, figure, step))
        if not found:
            return "", CALM, ""
        rank, _, _, figure, step = max(found, key=lambda each: each[:3])
        words = "" if step is None else f"{'below' if step.below else 'above'} {step.value:g} {figure.unit}".strip()
        return figure.channel, (CALM, WATCH, ALARM)[rank], words

    @property
    def plain(self) -> Note:
        """What changes of it."""
        return {
            "recorder": self.worn.recorder.id,
            "values": {key: None if math.isnan(value) else value for key, value in self.values.items()},
            "heard_at": self.heard_at,
            "silent_after_s": self.silent_after_s,
            "lead": self.lead,
            "state": self.state,
            "words": self.words,
            "since": self.since,
            "alarm_at": self.alarm_at,
            "answered": self.answered,
            "trouble": self.trouble,
        }

    @property
    def whole(self) -> Note:
        """All of it, with its course."""
        recorder = self.worn.recorder
        return self.plain | {
            "token": recorder.token,
            "kind": recorder.kind,
            "person": self.worn.person,
            "team": self.worn.team,
            "place": self.worn.place,
            "worn_since": self.worn.since,
            "figures": [
                {
                    "channel": f.channel,
                    "label": f.label,
                    "unit": f.unit,
                    "decimals": f.decimals,
                    "steps": [
                        {"value": s.value, "alarm": s.verdict is Verdict.ABOVE, "below": s.below} for s in f.steps
                    ],
                }
                for f in self.figures
            ],
            "times": [round(at, 1) for at, _ in self.course],
            "courses": {f.channel: [_rounded(values, f) for _, values in self.course] for f in self.figures},
        }


def _rounded(values: Mapping[str, float], figure: LiveFigure) -> float | None:
    value = values.get(figure.channel, math.nan)
    return None if math.isnan(value) else round(value, figure.decimals + 1)


def worn_now(db: Db) -> list[Worn]:
    """Recorders that are handed out and were recording at their last word (within a day), can be watched, and are of no patient; by team
    and name. One that is out of reach stays: its silence is what has to be seen."""
    rows = db.exec(
        select(Recorder, HandOver, Person.name, Team.name)
        .join(HandOver, col(HandOver.recorder_id) == Recorder.id)
        .join(Person, col(HandOver.person_id) == Person.id)
        .outerjoin(Team, col(Person.team_id) == Team.id)
        .where(
            col(HandOver.returned_at).is_(None),
            col(Recorder.status)["mode"].astext == Mode.RECORDING,
            col(Recorder.seen_at) > now() - timedelta(days=1),
        )
        .order_by(col(Team.name), col(Person.name))
    ).all()
    found = [
        Worn(recorder, name, team or "", str(given.tags.get("place", "")), given.given_at.timestamp())
        for recorder, given, name, team in rows
    ]
    watched = [w for w in found if (kind := KINDS.get(w.recorder.kind)) and kind.live and not kind.patient]
    return watched[:MOST_WORN]


class Wall:
    """Watches while somebody looks; everybody who looks hears the same."""

    def __init__(self, url: str) -> None:
        self._url = url
        self._lock = threading.Lock()
        self._tiles: dict[int, Tile] = {}
        self._watchers: dict[int, threading.Event] = {}
        self._dirty: set[int] = set()
        self._news = threading.Event()
        self._urgent = threading.Event()
        self._lookers: set[queue.Queue[Note]] = set()
        self._worker: threading.Thread | None = None
        self._looked_s = 0.0

    @contextmanager
    def looking(self) -> Iterator[queue.Queue[Note]]:
        """A queue of notes: first all tiles, then what changes of them."""
        mine: queue.Queue[Note] = queue.Queue(MOST_BEHIND)
        with self._lock:
            self._lookers.add(mine)
            self._looked_s = time.monotonic()
            if self._worker is None or not self._worker.is_alive():
                self._worker = threading.Thread(target=self._work, name="wall", daemon=True)
                self._worker.start()
            mine.put_nowait(self._all())
        try:
            yield mine
        finally:
            with self._lock:
                self._lookers.discard(mine)

    def answer(self, recorder_id: int, by: str) -> None:
        """Somebody has called: the alarm of a recorder is answered."""
        with self._lock:
            tile = self._tiles.get(recorder_id)
            if tile is None or tile.alarm_at is None:
                return
            tile.answered = by
            self._dirty.add(recorder_id)
        self._urgent.set()
        self._news.set()

    def _all(self) -> Note:
        return {"now": time.time(), "all": [tile.whole for tile in self._tiles.values()]}

    def _work(self) -> None:
        looked_s = told_s = -math.inf
        while True:
            with self._lock:
                self._looked_s = time.monotonic() if self._lookers else self._looked_s
                if time.monotonic() - self._looked_s > LINGERS_S:
                    for stop in self._watchers.values():
                        stop.set()
                    self._watchers.clear()
                    self._tiles.clear()
                    self._dirty.clear()
                    self._worker = None
                    return
            now_s = time.monotonic()
            try:
                if now_s - looked_s >= LOOKS_S:
                    looked_s = now_s
                    self._follow()
                    told_s = now_s if self._tell() else told_s
            except Exception:
                log.exception("who wears what could not be read; the wall goes on")
            self._news.wait(STILL_S / 2)
            self._urgent.wait(GATHERS_S)
            self._news.clear()
            self._urgent.clear()
            with self._lock:
                self._dirty |= {key for key, tile in self._tiles.items() if tile.settle(time.time())}
            now_s = time.monotonic()
            if self._tell(still=now_s - told_s >= STILL_S):
                told_s = now_s

    def _tell(self, still: bool = False) -> bool:
        with self._lock:
            changed = [self._tiles[key].plain for key in self._dirty if key in self._tiles]
            self._dirty.clear()
            if not changed and not still:
                return False
            note = {"now": time.time(), "tiles": changed}
            for looker in self._lookers:
                self._put(looker, note)
        return True

    def _put(self, looker: queue.Queue[Note], note: Note) -> None:
        if looker.full():
            while not looker.empty():
                looker.get_nowait()
            note = self._all()
        looker.put_nowait(note)

    def _follow(self) -> None:
        """Begins to watch who wears one now, and ends with who does not any more."""
        with Db(engine(self._url)) as db:
            worn = {each.recorder.id or 0: each for each in worn_now(db)}
            db.expunge_all()
        with self._lock:
            before = {key: tile.worn for key, tile in self._tiles.items()}
            for key in before.keys() - worn.keys():
                del self._tiles[key]
                if stop := self._watchers.pop(key, None):
                    stop.set()
            for key, each in worn.items():
                tile = self._tiles.get(key)
                if tile is None or tile.worn.since != each.since or tile.worn.recorder.setup != each.recorder.setup:
                    self._tiles[key] = Tile(each, each.figures)
                    if stop := self._watchers.pop(key, None):
                        stop.set()
                if key not in self._watchers:
                    stop = self._watchers[key] = threading.Event()
                    threading.Thread(target=self._watch, args=(key, stop), name=f"wall {key}", daemon=True).start()
            order = [key for key in worn if key in self._tiles]
            changed = order != [*before] or any(self._tiles[key].worn != before.get(key) for key in order)
            self._tiles = {key: self._tiles[key] for key in order}
            if changed:
                for looker in self._lookers:
                    self._put(looker, self._all())

    def _watch(self, key: int, stop: threading.Event) -> None:
        """One recorder, until it is not worn any more: what goes wrong is said on its tile, and it is tried again."""
        while not stop.is_set():
            tile = self._tiles.get(key)
            if tile is None:
                return
            try:
                with Db(engine(self._url)) as db:
                    recorder = db.get_one(Recorder, key)
                    db.expunge(recorder)
                channels = [figure.channel for figure in tile.figures]
                with closing(watch_held(self._url, recorder, channels)) as packs:
                    every_s = next(packs)
                    tile.silent_after_s = min(max(SILENT_WORDS * every_s, LEAST_SILENT_S), MOST_SILENT_S)
                    for pack in packs:
                        if stop.is_set():
                            return
                        self._heard(key, tile, pack)
            except ProblemError as problem:
                self._failed(key, tile, problem.detail)
            except Exception:
                log.exception("a recorder on the wall could not be watched")
                self._failed(key, tile, "it could not be watched")
            stop.wait(AGAIN_S)

    def _heard(self, key: int, tile: Tile, pack: list[LiveValue]) -> None:
        with self._lock:
            urgent = tile.take({value.channel: value.value for value in pack}, time.time())
            self._dirty.add(key)
        if urgent:
            self._urgent.set()
        self._news.set()

    def _failed(self, key: int, tile: Tile, words: str) -> None:
        with self._lock:
            if tile.trouble == words:
                return
            tile.trouble = words
            self._dirty.add(key)
        self._news.set()


_walls: dict[str, Wall] = {}
_making = threading.Lock()


def wall_of(url: str) -> Wall:
    """The wall of this process."""
    with _making:
        return _walls.setdefault(url, Wall(url))


def look(url: str) -> Generator[Note]:
    """The notes of the wall, wherever it is: in the lookout that leads, else here. Until closed; raises RecorderError when that ends."""
    with Db(engine(url)) as db:
        wire = dial(db, own=own_exchanges())
    if wire is None:
        yield from _look_here(url)
        return
    try:
        with closing(packs(wire, {"want": "wall"})) as found:
            for message in found:
                yield message["note"]
    except LinkError as error:
        raise RecorderError(f"The wall: {error}.") from error


def answer(db: Db, url: str, recorder_id: int, by: str) -> None:
    """Tells the wall that somebody has called."""
    wire = dial(db, own=own_exchanges())
    db.commit()
    if wire is None:
        wall_of(url).answer(recorder_id, by)
        return
    with closing(packs(wire, {"want": "answered", "recorder": recorder_id, "by": by})) as found:
        next(found)


def _look_here(url: str) -> Generator[Note]:
    with wall_of(url).looking() as notes:
        while True:
            yield notes.get()


def _send_notes(url: str, wire: Wire, asked: Message) -> None:
    with closing(_look_here(url)) as notes:
        for note in notes:
            wire.send({"note": note})


def _take_answer(url: str, wire: Wire, asked: Message) -> None:
    wall_of(url).answer(int(asked["recorder"]), str(asked["by"]))
    wire.send({"done": True})


ANSWERS = {"wall": _send_notes, "answered": _take_answer}
"""What other processes ask of the wall of the one that leads."""
