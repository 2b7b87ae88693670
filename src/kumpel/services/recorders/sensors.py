"""Calibrating the sensors of a recorder: held, judged, written, read back, proved; and put back or replaced."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from sqlmodel import Session as Db

from kumpel.core.names import clean_line
from kumpel.core.vehicle.calibration import CaptureError, accepted, level
from kumpel.kinds.registry import KINDS
from kumpel.kinds.sensors import SensorWord
from kumpel.link import abilities
from kumpel.link.abilities import Calibration, Captured
from kumpel.link.client import RecorderLink
from kumpel.link.errors import LinkError, RefusedError
from kumpel.link.messages import MeasuredChannel
from kumpel.services.ground import deeds, sensor_checks
from kumpel.services.ground.carriers import carriers
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError, RecorderError
from kumpel.services.ground.sensor_checks import CheckRow, Standing
from kumpel.services.recorders import checks, live_values
from kumpel.services.recorders.live_values import talk_to
from kumpel.services.recorders.recorders import recorder_of
from kumpel.store.tables import Recorder, SensorCheck, now

HOLD_S = 1.0
SAME = 1e-6
"""A value read back that differs by less (relative) is the same: recorders may keep numbers of four bytes."""
Points = list[tuple[float, float]]


@dataclass(frozen=True)
class SensorState:
    """A sensor with what the recorder holds for it: points by channel as (raw, true), None where the recorder was not asked. `trues`
    are the true values to begin with: those that its vehicle was calibrated by last, by position, further ones behind them."""

    word: SensorWord
    trues: tuple[float, ...]
    on_it: dict[str, Points] | None
    serial: str
    standing: Standing | None
    off: bool
    off_because: str


@dataclass(frozen=True)
class Bench:
    """All about the sensors of a recorder: what it measures, how each is calibrated, every check that is on record."""

    channels: list[MeasuredChannel]
    sensors: list[SensorState]
    standings: list[Standing]
    rows: list[CheckRow]
    trouble: str


@dataclass(frozen=True)
class Steady:
    """A raw value held for a second; `refused` says why it cannot be used, empty when it can."""

    raw: float
    spread: float
    count: int
    refused: str


def bench(db: Db, recorder_id: int) -> Bench:
    """What is known of a recorder's sensors; of one that does not answer, what was known last, and why it does not."""
    recorder = recorder_of(db, recorder_id)
    channels: list[MeasuredChannel] = []
    on_it: list[Calibration] | None = None
    trouble = ""
    db.commit()  # nothing is held while the recorder is asked
    try:
        with talk_to(db, recorder) as link:
            described = link.describe()
            channels = described.channels
            if abilities.CALIBRATIONS in described.can:
                on_it = link.calibrations()
    except (RecorderError, ConflictError) as error:
        trouble = error.detail
    return _bench(db, recorder, channels, on_it, trouble)


def _bench(
    db: Db, recorder: Recorder, channels: list[MeasuredChannel], on_it: list[Calibration] | None, trouble: str = ""
) -> Bench:
    rows = checks.of_recorder(db, recorder.id or 0)
    standings = sensor_checks.standings(recorder, rows, days=_days(db, recorder))
    kind = KINDS.get(recorder.kind)
    known = {channel.key for channel in channels}
    unlogged = kind.off_channels(recorder.setup) if kind and kind.off_channels else {}
    there = None if on_it is None else {c.channel: [(p.raw, p.true) for p in c.points] for c in on_it}
    days = _days(db, recorder)
    theirs = [row for each in carriers().on_the_same(db, recorder) for row in checks.of_recorder(db, each)]
    theirs.sort(key=lambda row: row.at, reverse=True)
    found = []
    for word in kind.sensors_with(recorder.setup) if kind else ():
        word = replace(word, every_days=days.get(word.key, word.every_days))
        if known and not known.intersection(word.channels):
            continue
        off = [unlogged[key] for key in word.channels if key in unlogged]
        found.append(
            SensorState(
                word,
                _trues(word, theirs),
                None if there is None else {key: there[key] for key in word.channels if key in there},
                next((row.serial for row in rows if row.sensor == word.key and row.serial), ""),
                next((s for s in standings if s.sensor == word.key and s.check == sensor_checks.CALIBRATION), None),
                len(off) == len(word.channels),
                off[0] if off else "",
            )
        )
    return Bench(channels, found, standings, rows, trouble)


def _days(db: Db, recorder: Recorder) -> Mapping[str, int]:
    return carriers().check_days(db, [recorder]).get(recorder.id or 0, {})


def sensor_of(recorder: Recorder, key: str) -> SensorWord:
    kind = KINDS.get(recorder.kind)
    found = next((word for word in kind.sensors_with(recorder.setup) if word.key == key), None) if kind else None
    if found is None:
        raise NotFoundError(f"{recorder.token} has no sensor “{key}” that is calibrated here.")
    return found


def capture(
    db: Db, recorder_id: int, key: str, position: int, trues: Sequence[float], raws: Sequence[float | None]
) -> Steady:
    """Hold a sensor for a second in one of its positions; `raws` are those of the others that are captured already.

    A value that cannot be used is answered with the reason, which is kept on record; nothing is written to the recorder.
    """
    recorder = recorder_of(db, recorder_id)
    whom = Whom("recorder", recorder_id)
    deeds.ask(db, "sensor calibrated", whom)
    word = sensor_of(recorder, key)
    if word.way != "positions" or len(trues) != len(raws) or not is_enough(word, len(trues)) or position >= len(trues):
        raise InvalidError(_positions_wanted(word), field="position")
    others = {
        _place(word, i): (raw, true)
        for i, (true, raw) in enumerate(zip(trues, raws, strict=True))
        if raw is not None and i != position
    }
    db.commit()
    with talk_to(db, recorder) as link:
        held = link.capture(word.key, HOLD_S)
    refused = ""
    try:
        accepted(held.raw, held.spread, trues[position], others, word.within)
    except CaptureError as error:
        refused = str(error)
        about = {"sensor": key, "position": _place(word, position), "why": refused}
        deeds.keep(db, "capture refused", whom, after=about | {"raw": held.raw, "spread": held.spread})
        db.commit()
    return Steady(held.raw, held.spread, held.count, refused)


def press(db: Db, recorder_id: int, key: str, serial: str = "", passcode: str = "") -> Bench:
    """Calibrate a sensor of one press: hold all its channels, write, read back. ConflictError says why it cannot be."""
    recorder = recorder_of(db, recorder_id)
    deeds.ask(db, "sensor calibrated", Whom("recorder", recorder_id))
    word = sensor_of(recorder, key)
    if word.way != "press":
        raise InvalidError(f"{word.label} is calibrated in positions, one after the other.")
    db.commit()
    with talk_to(db, recorder, passcode) as link:
        _at_rest(link, word)
        held = {place.channel: link.capture(place.channel, HOLD_S / 2) for place in word.positions}
    try:
        points = {
            place.channel: [(_level(word, place.words, held[place.channel], place.true), place.true)]
            for place in word.positions
        }
    except CaptureError as error:
        deeds.keep(db, "capture refused", Whom("recorder", recorder_id), after={"sensor": key, "why": str(error)})
        db.commit()
        raise ConflictError(f"Not zeroed, nothing was written: {error}.", code="refused") from error
    return _written(db, recorder, word, points, serial, passcode, "")


def _level(word: SensorWord, words: str, held: Captured, true: float) -> float:
    if word.within.unit != word.unit:
        return accepted(held.raw, held.spread, true, {}, word.within)
    return level(f"the axis {words}", held.raw, held.spread, true, word.within)


def _at_rest(link: RecorderLink, word: SensorWord) -> None:
    """Raises ConflictError when what has to stand still does not."""
    if word.at_rest is None:
        return
    channel, highest = word.at_rest
    known = {each.key: each for each in link.describe().channels}
    if channel not in known:
        return
    value = link.capture(channel, 0.2)
    if value.raw > highest:
        name, unit = known[channel].name, known[channel].unit
        raise ConflictError(
            f"{name} is {value.raw:.0f} {unit}: switch the engine off, it shakes the sensor. Nothing was written.",
            code="refused",
        )


def write(
    db: Db, recorder_id: int, key: str, points: Sequence[tuple[float, float]], serial: str = "", passcode: str = ""
) -> Bench:
    """Write the captured points of a sensor to the recorder, read them back, keep them."""
    recorder = recorder_of(db, recorder_id)
    deeds.ask(db, "sensor calibrated", Whom("recorder", recorder_id))
    word = sensor_of(recorder, key)
    if word.way != "positions" or not is_enough(word, len(points)):
        raise InvalidError(f"{_positions_wanted(word)} {len(points)} were given.", field="points")
    others: dict[str, tuple[float, float]] = {}
    for i, (raw, true) in enumerate(points):
        try:
            accepted(raw, 0.0, true, others, word.within)
        except CaptureError as error:
            raise InvalidError(f"{_place(word, i)}: {error}. Nothing was written.", field="points") from error
        others[_place(word, i)] = (raw, true)
    # Captured from the middle outwards, on the recorder from one end to the other.
    raws = [raw for raw, _ in points]
    in_line = raws in (sorted(raws), sorted(raws, reverse=True))
    return _written(db, recorder, word, {word.key: list(points) if in_line else sorted(points)}, serial, passcode, "")


MOST_POINTS = 9
"""As many as a recorder holds (docs/link-protocol.md)."""


def is_enough(word: SensorWord, count: int) -> bool:
    return len(word.positions) <= count <= MOST_POINTS


def _positions_wanted(word: SensorWord) -> str:
    return f"{word.label} has {len(word.positions)} positions, and up to {MOST_POINTS} points."


def _place(word: SensorWord, index: int) -> str:
    """What a point is called: its position, or its number."""
    return word.positions[index].words if index < len(word.positions) else f"point {index + 1}"


def _trues(word: SensorWord, rows: Sequence[CheckRow]) -> tuple[float, ...]:
    """The true values of the newest calibration among `rows` (those of its vehicle), each to the position that it is nearest to."""
    usual = tuple(position.true for position in word.positions)
    last = next((r for r in rows if r.sensor == word.key and r.what == sensor_checks.CALIBRATION), None)
    left = [float(true) for _, true in (last.points.get(word.key, []) if last else [])]
    if word.way != "positions" or len(left) < len(usual):
        return usual
    found = []
    for true in usual:
        nearest = min(left, key=lambda each: abs(each - true))
        left.remove(nearest)
        found.append(nearest)
    return (*found, *sorted(left))


def put_back(db: Db, recorder_id: int, check_id: int, passcode: str = "") -> Bench:
    """Write an earlier calibration again. ConflictError when the sensor was replaced since."""
    recorder = recorder_of(db, recorder_id)
    deeds.ask(db, "sensor calibrated", Whom("recorder", recorder_id))
    row = db.get(SensorCheck, check_id)
    if row is None or row.recorder_id != recorder_id or row.what != sensor_checks.CALIBRATION:
        raise NotFoundError("This calibration is not on record.")
    word = sensor_of(recorder, row.sensor)
    since = [
        r for r in checks.of_recorder(db, recorder_id) if r.sensor == row.sensor and r.what == sensor_checks.REPLACED
    ]
    if any(r.at > row.at for r in since):
        raise ConflictError(
            f"The sensor was replaced {sensor_checks.day(since[0].at)}: its calibrations of before are those of another one. Capture anew."
        )
    points = {channel: [(float(raw), float(true)) for raw, true in pairs] for channel, pairs in row.points.items()}
    return _written(db, recorder, word, points, row.serial, passcode, f"put back from {sensor_checks.day(row.at)}")


def _written(
    db: Db,
    recorder: Recorder,
    word: SensorWord,
    points: dict[str, Points],
    serial: str,
    passcode: str,
    note: str,
) -> Bench:
    """Write, read back and compare each channel; a difference is named and what was there before is written back."""
    db.commit()
    with talk_to(db, recorder, passcode) as link:
        before = {c.channel: [(p.raw, p.true) for p in c.points] for c in link.calibrations()}
        done: list[str] = []
        try:
            for channel, wanted in points.items():
                link.calibrate(channel, wanted)
                done.append(channel)
                _compare(channel, wanted, link.calibrations())
        except (LinkError, _DiffersError) as error:
            if isinstance(error, RefusedError) and not done:
                raise
            kept = _restored(link, list(points), before)
            raise RecorderError(
                f"{word.label}: {error}. {'The old calibration stays on the recorder' if kept else _HALF}; nothing was kept here."
            ) from error
        on_it, channels = link.calibrations(), link.describe().channels
    due_at = now() + timedelta(days=_days(db, recorder).get(word.key, word.every_days))
    made = SensorCheck(
        recorder_id=0,
        what=sensor_checks.CALIBRATION,
        sensor=word.key,
        serial=clean_line(serial)[:40],
        points={channel: [list(pair) for pair in pairs] for channel, pairs in points.items()},
        unit=word.unit,
        adjusted=True,
        at=now(),
        due_at=due_at,
        note=note,
    )
    checks.keep(db, recorder, made)
    deeds.keep(
        db,
        "sensor calibrated",
        Whom("recorder", recorder.id),
        {"points": {channel: before.get(channel, []) for channel in points}},
        {"sensor": word.key, "serial": made.serial, "points": made.points, "note": note},
    )
    db.commit()
    return _bench(db, recorder, channels, on_it)


_HALF = "It could not be written back either: look at the recorder's calibration before it is used"


class _DiffersError(Exception):
    """What was read back is not what was written."""


def _compare(channel: str, wanted: Points, found: Sequence[Calibration]) -> None:
    there = next(([(p.raw, p.true) for p in c.points] for c in found if c.channel == channel), [])
    if len(there) != len(wanted):
        raise _DiffersError(f"{len(wanted)} points were written to {channel}, {len(there)} are there")
    for i, (mine, its) in enumerate(zip(wanted, there, strict=True)):
        for what, a, b in (("raw value", mine[0], its[0]), ("true value", mine[1], its[1])):
            if abs(a - b) > SAME * max(abs(a), abs(b), 1.0):
                raise _DiffersError(f"the {what} of point {i + 1} of {channel} reads back as {b:g}, {a:g} was written")


def _restored(link: RecorderLink, channels: Sequence[str], before: dict[str, Points]) -> bool:
    try:
        for channel in channels:
            link.calibrate(channel, before.get(channel, []))
            _compare(channel, before.get(channel, []), link.calibrations())
    except (LinkError, _DiffersError):
        return False
    return True


def prove(db: Db, recorder_id: int, key: str, seen: Sequence[float], days: int, certificate: str = "") -> Bench:
    """Keep that a calibration was seen to be right on the live value: what was seen for each step, how long it is to hold.

    What was seen has to be what the recorder showed here since it was calibrated, whatever a browser says.
    """
    recorder = recorder_of(db, recorder_id)
    deeds.ask(db, "check kept", Whom("recorder", recorder_id))
    word = sensor_of(recorder, key)
    rows = checks.of_recorder(db, recorder_id)
    last = next(
        (r for r in rows if r.sensor == key and r.what in (sensor_checks.CALIBRATION, sensor_checks.REPLACED)), None
    )
    if last is None or last.what != sensor_checks.CALIBRATION:
        raise ConflictError(f"{word.label} is not calibrated: write a calibration first, then prove it.")
    if len(seen) != len(word.proof):
        raise InvalidError(f"{word.label} is proved in {len(word.proof)} steps.", field="seen")
    for step, value in zip(word.proof, seen, strict=True):
        if not step.low <= value <= step.high:
            raise InvalidError(f"{step.words}: {value:g} {word.unit} was seen. Nothing was kept.", field="seen")
    for step, value in zip(word.proof, seen, strict=True):
        if not live_values.was_shown(db, recorder, word.key, value, last.at):
            raise InvalidError(
                f"{step.words}: the recorder did not show {value:g} {word.unit} here since it was calibrated. Move it once more while its live values are on the screen; nothing was kept.",
                field="seen",
            )
    steps = ", ".join(f"{step.words}: {v:.1f} {word.unit}" for step, v in zip(word.proof, seen, strict=True))
    made = SensorCheck(
        recorder_id=0,
        what=sensor_checks.PROOF,
        sensor=key,
        serial=last.serial,
        unit=word.unit,
        at=now(),
        due_at=now() + timedelta(days=days),
        certificate=clean_line(certificate),
        note=f"seen: {steps}"[:400],
    )
    checks.keep(db, recorder, made)
    deeds.keep(db, "check kept", Whom("recorder", recorder_id), after={"what": sensor_checks.PROOF, "note": made.note})
    db.commit()
    return bench(db, recorder_id)


def replaced(db: Db, recorder_id: int, key: str, serial: str, why: str, at: datetime | None = None) -> Bench:
    """Keep that a sensor was replaced: its calibrations of before count no longer."""
    recorder = recorder_of(db, recorder_id)
    deeds.ask(db, "sensor replaced", Whom("recorder", recorder_id))
    word = sensor_of(recorder, key)
    made = SensorCheck(
        recorder_id=0,
        what=sensor_checks.REPLACED,
        sensor=word.key,
        serial=clean_line(serial),
        at=at or now(),
        note=clean_line(why)[:400],
    )
    checks.keep(db, recorder, made)
    deeds.keep(
        db, "sensor replaced", Whom("recorder", recorder_id), after={"sensor": key, "serial": made.serial, "why": why}
    )
    db.commit()
    return bench(db, recorder_id)
