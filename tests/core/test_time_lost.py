"""Where a lap loses time: corners, laps laid over each other, reasons, against a driver whose mistakes are known."""

from __future__ import annotations

import math
import unittest
from collections.abc import Iterable
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np

from kumpel.core.laps_wish import FurtherLap, LapsWish
from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Review
from kumpel.core.samples import ArraySamples
from kumpel.core.vehicle import alignment, lap_view
from kumpel.core.vehicle.alignment import Grid, aligned
from kumpel.core.vehicle.assess import assess
from kumpel.core.vehicle.compare import along, gate_distances
from kumpel.core.vehicle.corners import Corner, corners_of, line_of
from kumpel.core.vehicle.courses import Course, course_from, turned
from kumpel.core.vehicle.drive import drive_of
from kumpel.core.vehicle.driving import seen_on
from kumpel.core.vehicle.laps import Lap, bests
from kumpel.core.vehicle.stretches import losses, stretches_of
from kumpel.core.vehicle.time_lost import Laid, time_lost
from kumpel.kinds.registry import KINDS
from kumpel.standins.lap_driver import STEP_M, Driven, Mistake, Sensors, What, bends_of, drive, recorded, suits
from kumpel.standins.vehicle_signal import CAR, KART, course_of, practice_loop, ramp, rounded

LOOP = practice_loop()


class Corners(unittest.TestCase):
    def test_a_square_with_rounded_corners(self) -> None:
        """Four quarter circles of 20 m around a square of 200 m: apexes a quarter of the way apart, all to the left."""
        square = rounded("square", ((0, 0, 20), (200, 0, 20), (200, 200, 20), (0, 200, 20)))
        line = line_of(course_from(course_of(square)))
        assert line is not None
        found = corners_of(line)
        # Four sides without their ends, and a whole circle of arcs: 4 (200 - 2 x 20) + 2 pi 20 = 765.7 m.
        whole = 4 * 160 + 2 * math.pi * 20
        self.assertAlmostEqual(line.length_m, whole, delta=3)
        self.assertEqual([(c.number, c.right) for c in found], [(n, False) for n in (1, 2, 3, 4)])
        # The start lies in the middle of a side: half a side, then half an arc.
        first = 80 + math.pi * 20 / 4
        for k, corner in enumerate(found):
            self.assertAlmostEqual(corner.apex_m, first + k * whole / 4, delta=4)
            self.assertLess(corner.begin_m, corner.apex_m)
            self.assertLess(corner.apex_m, corner.end_m)

    def test_the_corners_of_the_practice_loop_and_the_other_way_round(self) -> None:
        course = course_from(course_of(LOOP))
        line, back = line_of(course), line_of(turned(course))
        assert line is not None and back is not None
        there, bends = corners_of(line), bends_of(LOOP)
        self.assertEqual([c.right for c in there], [bend.side < 0 for bend in bends])
        for corner, bend in zip(there, bends, strict=True):
            self.assertAlmostEqual(corner.apex_m, bend.apex * STEP_M, delta=16)
        turned_round = corners_of(back)
        self.assertEqual([c.right for c in turned_round], [not c.right for c in reversed(there)])
        for corner, same in zip(turned_round, reversed(there), strict=True):
            self.assertAlmostEqual(corner.apex_m, line.length_m - same.apex_m, delta=4)

    def test_an_open_course(self) -> None:
        line = line_of(course_from(course_of(ramp("Ramp", 900, 1))))
        assert line is not None
        self.assertFalse(line.closed)
        self.assertEqual([c.right for c in corners_of(line)], [False, True, False])


def driven(seed: int, *mistakes: Mistake, laps: int = 8, spread_s: float = 0.03) -> Driven:
    return drive(LOOP, KART, laps, mistakes, spread_s, np.random.default_rng(seed))


def looked_at(
    recording: Recording,
    review: Review,
    lap: int | None = None,
    reference: int | None = None,
    beside: tuple[Recording, Review] | None = None,
    lanes: tuple[str, ...] = (),
    also: Iterable[int] = (),
) -> lap_view.LapSheet:
    wish = LapsWish(lap, reference, beside, lanes, tuple(FurtherLap(n) for n in also))
    return lap_view.lap_sheet(recording, review, wish)


def sheet_of(found: Driven, lap: int | None = None, seed: int = 1, **sensors: float) -> lap_view.LapSheet:
    recording = recorded(found, np.random.default_rng(seed), Sensors(**sensors)).recording
    return looked_at(recording, Review(), lap)


class Over(unittest.TestCase):
    def test_laps_lie_over_each_other_although_their_positions_drift(self) -> None:
        """Positions that drift by 1.5 m move laps by as much; laid over each other by where they turn they are within half a metre."""
        found = driven(3)
        recording = recorded(found, np.random.default_rng(5)).recording
        on = drive_of(recording, Review())
        laps = [lap for lap in on.laps if lap.kind == "timed"]
        gates = gate_distances(list(on.laps), on.path, on.way)
        grid = aligned([alignment.Driven(on.path, on.way, tuple(laps))], gates)
        assert grid is not None
        n = len(LOOP.x)
        place = (np.arange(len(found.index)) - n // 2) * STEP_M

        def apart(at_s: np.ndarray) -> float:
            true = np.stack([np.interp(row, found.times, place) - k * n * STEP_M for k, row in enumerate(at_s)])
            return float((true - true.mean(axis=0)).std())

        over = [along(on.path, on.way, lap, gates) for lap in laps]
        pinned = np.stack([o.lap.start_s + np.interp(grid.metres, o.distance_m, o.time_s) for o in over])
        self.assertGreater(apart(pinned), 0.8)
        self.assertLess(apart(grid.at_s), 0.5)
        for lap, row in zip(laps, grid.time_s, strict=True):
            self.assertEqual(row[0], 0.0)
            # The last metre of the grid lies less than a metre before the line.
            self.assertAlmostEqual(float(row[-1]), lap.time_s, delta=0.05)
            self.assertTrue((np.diff(row) >= 0).all())

    def test_one_lap_alone_is_not_moved(self) -> None:
        recording = recorded(driven(3, laps=1), np.random.default_rng(5)).recording
        sheet = looked_at(recording, Review())
        self.assertEqual((sheet.lap, sheet.reference), (1, 1))
        assert sheet.lost is not None
        self.assertEqual((sheet.lost.lost_s, sheet.lost.rows), (0.0, ()))


def made_grid(*speeds: list[tuple[float, float]]) -> Grid:
    """Laps of 100 m at given speeds: (up to which m, m/s) each."""
    metres = np.arange(0.0, 101.0)
    rows = []
    for parts in speeds:
        edges, values = zip(*parts, strict=True)
        speed = np.array([values[int(np.searchsorted(edges, m, side="left"))] for m in metres[1:]])
        rows.append(np.concatenate(([0.0], np.cumsum(1 / speed))))
    at = np.stack(rows)
    laps = tuple(Lap(k + 1, "timed", 0.0, float(row[-1])) for k, row in enumerate(rows))
    return Grid(laps, metres, at, at, np.zeros_like(at))


class Sums(unittest.TestCase):
    CORNERS = (Corner(1, 20.0, 30.0, 40.0, True), Corner(2, 60.0, 70.0, 80.0, False))

    def test_losses_of_laps_with_known_speeds(self) -> None:
        """10 m/s all the way, but 5 m/s from 20 to 30 m: 10 m at 5 in place of 10 m/s take 2 - 1 = 1 s longer, all of it before the apex."""
        grid = made_grid([(100, 10.0)], [(20, 10.0), (30, 5.0), (100, 10.0)])
        speed = 1 / np.gradient(grid.at_s, axis=1)
        stretches = stretches_of(self.CORNERS, speed, grid.metres)
        self.assertEqual([(s.corner, s.part) for s in stretches], [(n, p) for n in (1, 2) for p in ("entry", "exit")])
        self.assertEqual((stretches[0].from_m, stretches[-1].to_m), (0.0, 100.0))
        for a, b in pairwise(stretches):
            self.assertEqual(a.to_m, b.from_m)
        found = losses(grid, stretches, 0)
        np.testing.assert_allclose(found, [[0, 0, 0, 0], [1.0, 0, 0, 0]], atol=1e-9)
        lost = time_lost(Laid(grid, seen_on(grid, {}), np.tile(grid.metres, (2, 1)), self.CORNERS), 1, 0, [0, 1])
        self.assertEqual((lost.lost_s, lost.rows[0].lost_s, lost.elsewhere_s), (1.0, 1.0, 0.0))
        self.assertEqual((lost.rows[0].stretch.corner, lost.rows[0].stretch.part), (1, "entry"))

    def test_the_parts_are_the_whole_to_the_last_digit(self) -> None:
        found = driven(8, Mistake(2, 4, "early brake", 0.3), Mistake(5, 8, "slow apex", 0.4))
        recording = recorded(found, np.random.default_rng(2)).recording
        sheet = looked_at(recording, Review())
        times = {row.number: row.time_s for row in sheet.laps}
        for lap in range(1, 9):
            for reference in range(1, 9):
                lost = looked_at(recording, Review(), lap, reference).lost
                assert lost is not None
                self.assertEqual(lost.lost_s, round(times[lap] - times[reference], 2))
                self.assertEqual(round(sum(r.lost_s for r in lost.rows) + lost.elsewhere_s, 2), lost.lost_s)
                self.assertTrue(all(r.lost_s > 0 for r in lost.rows))


class Reasons(unittest.TestCase):
    def test_a_driver_hears_what_he_did(self) -> None:
        cases: tuple[tuple[Mistake, str], ...] = (
            (Mistake(3, 3, "early brake", 0.4), r"^braked \d+ m earlier"),
            (Mistake(3, 4, "late brake", 0.4), r"^braked \d+ m later, then "),
            (Mistake(3, 9, "slow apex", 0.4), r"km/h less at the apex$"),
            (Mistake(3, 5, "late throttle", 0.4), r"^full throttle \d+ m later"),
            (Mistake(3, 5, "lifted throttle", 0.4), r"^throttle lifted for \d+ m$"),
        )
        for mistake, words in cases:
            with self.subTest(mistake.what):
                sheet = sheet_of(driven(5, mistake), mistake.lap + 1)
                assert sheet.lost is not None
                mine = [r for r in sheet.lost.rows if r.cause == mistake.corner + 1]
                self.assertIn(mistake.what, [r.code for r in mine])
                self.assertRegex(next(r.reason for r in mine if r.code == mistake.what), words)
                self.assertEqual(sheet.lost.rows[0].cause, mistake.corner + 1, "it costs most")

    def test_with_gears_a_long_shift_and_another_gear_are_named(self) -> None:
        cases: tuple[tuple[What, str, str], ...] = (
            ("long shift", "long shift", r"^a long shift of \d+ m$"),
            ("wrong gear", "wrong gear", r"^in a higher gear"),
        )
        for what, code, words in cases:
            rng = np.random.default_rng(5)
            usual = drive(LOOP, CAR, 1, (), 0.0, rng)
            corner = next(i for i in range(2, len(usual.bends)) if suits(usual, i, what))
            made = recorded(drive(LOOP, CAR, 8, (Mistake(3, corner, what, 0.4),), 0.03, rng), rng).recording
            lost = looked_at(made, Review(), 4).lost
            with self.subTest(what):
                assert lost is not None
                mine = [r for r in lost.rows if r.cause == corner + 1 and r.code]
                self.assertEqual({r.code for r in mine}, {code})
                self.assertRegex(mine[0].reason.split(": ")[-1], words)

    def test_without_pedals_the_speed_alone_tells(self) -> None:
        mistake = Mistake(3, 3, "early brake", 0.5)
        recording = recorded(driven(5, mistake), np.random.default_rng(1)).recording
        bare = replace(
            recording, channels={k: c for k, c in recording.channels.items() if k in ("lat", "lon", "speed")}
        )
        lost = looked_at(bare, Review(), 4).lost
        assert lost is not None
        self.assertEqual((lost.rows[0].cause, lost.rows[0].code), (4, "early brake"))
        self.assertEqual([lane.key for lane in looked_at(bare, Review(), 4).lanes], ["speed"])

    def test_a_habit_is_told_from_a_slip(self) -> None:
        habit = tuple(Mistake(k, 9, "slow apex", 0.35) for k in (0, 1, 2, 4, 5, 6, 7))
        slip = Mistake(3, 3, "early brake", 0.4)
        once = sheet_of(driven(5, slip), 4)
        often = sheet_of(driven(5, *habit), 3)
        assert once.lost is not None and often.lost is not None
        self.assertLessEqual(once.lost.rows[0].laps, 1)
        mine = [r for r in often.lost.rows if r.stretch.corner == 10]
        self.assertGreaterEqual(max(r.laps for r in mine), 5)

    def test_what_half_of_the_laps_do_is_in_the_table_of_the_session(self) -> None:
        habit = tuple(Mistake(k, 9, "slow apex", 0.35) for k in (0, 2, 3, 5))
        recording = recorded(driven(5, *habit), np.random.default_rng(2)).recording
        found = assess(recording, Review(), KINDS["vehicle"].limit_sets[0])
        table = next(t for t in found.reviewed.tables if t.key == "lost")
        where, _, _, laps, mostly = table.rows[0]
        self.assertIn(where, ("corner 10, entry", "corner 10, exit"))
        # A fifth lap may be as slow there by its own spread; a reason is only named where it is clear.
        self.assertIn(laps, ("4 of 7", "5 of 7"))
        self.assertRegex(str(mostly), "^slower at the apex, [34] times$")
        # 0.35 s in four of the seven other laps, on the way in and out: 4 x 0.35 / 7 = 0.20 s.
        both = sum(float(row[2]) for row in table.rows if str(row[0]).startswith("corner 10,"))
        self.assertAlmostEqual(both, 0.20, delta=0.05)

    def test_laps_without_a_mistake_are_given_no_reason(self) -> None:
        named = 0
        for seed in range(4):
            recording = recorded(driven(100 + seed), np.random.default_rng(seed)).recording
            for lap in range(1, 9):
                lost = looked_at(recording, Review(), lap).lost
                named += lost is not None and any(r.code for r in lost.rows)
        self.assertLessEqual(named, 1, "of 32 laps")


class Beside(unittest.TestCase):
    """Two sessions, two drivers, on one course."""

    def session(self, seed: int, *mistakes: Mistake, **sensors: float) -> Any:
        return recorded(driven(seed, *mistakes), np.random.default_rng(seed), Sensors(**sensors)).recording

    def test_where_one_driver_is_slower_than_another(self) -> None:
        always = tuple(Mistake(lap, 9, "slow apex", 0.35) for lap in range(8))
        mine, other = self.session(11, *always), self.session(12)
        sheet = looked_at(mine, Review(), beside=(other, Review()))
        alone = {s: looked_at(r, Review()) for s, r in (("mine", mine), ("other", other))}
        # Without numbers it is the best of one against the best of the other.
        self.assertEqual((sheet.lap, sheet.reference), (alone["mine"].reference, alone["other"].reference))
        self.assertEqual([r.time_s for r in sheet.laps], [r.time_s for r in alone["mine"].laps])
        self.assertEqual([r.time_s for r in sheet.beside], [r.time_s for r in alone["other"].laps])
        best = [min(r.time_s for r in rows if r.kind == "timed") for rows in (sheet.laps, sheet.beside)]
        assert sheet.lost is not None
        self.assertAlmostEqual(sheet.lost.lost_s, best[0] - best[1], delta=0.005)
        self.assertAlmostEqual(
            sum(r.lost_s for r in sheet.lost.rows) + sheet.lost.elsewhere_s, sheet.lost.lost_s, delta=1e-9
        )
        self.assertEqual(sheet.lost.rows[0].stretch.corner, 10)
        lost = sum(r.lost_s for r in sheet.lost.rows if r.stretch.corner == 10)
        self.assertAlmostEqual(lost, 0.35, delta=0.1)
        self.assertIn("slow apex", [r.code for r in sheet.lost.rows if r.stretch.corner == 10])
        chosen = looked_at(mine, Review(), 3, 5, (other, Review()))
        self.assertEqual((chosen.lap, chosen.reference), (3, 5))
        speed = next(lane for lane in chosen.lanes if lane.key == "speed")
        theirs = next(lane for lane in looked_at(other, Review(), 5, 5).lanes if lane.key == "speed")
        # The lane of the reference is that of the other recording, moved by a metre or two at the most.
        apart = [abs(a - b) for a, b in zip(speed.reference, theirs.reference, strict=False)]
        self.assertLess(max(apart), 6.0)

    def test_further_channels_are_lanes_of_both(self) -> None:
        mine, other = self.session(11), self.session(12)
        bare = replace(other, channels={k: c for k, c in other.channels.items() if k != "mixture"})
        sheet = looked_at(mine, Review(), 3, 2, (bare, Review()), ("rpm", "mixture", "no such", "speed", "rpm"))
        self.assertEqual([lane.key for lane in sheet.lanes], ["speed", "throttle", "brake", "rpm", "mixture"])
        rpm, mixture = sheet.lanes[3:]
        self.assertEqual((rpm.name, rpm.unit, len(rpm.lap)), ("Engine speed", "rpm", len(sheet.behind_s)))
        self.assertTrue(np.isnan(mixture.reference).all())
        self.assertFalse(np.isnan(mixture.lap).any())
        # One gear: engine speed and speed are in one ratio all along.
        ratio = np.array(rpm.lap) / np.array(sheet.lanes[0].lap)
        self.assertLess(float(np.nanstd(ratio) / np.nanmean(ratio)), 0.02)

    def test_further_laps_lie_over_both(self) -> None:
        mine = self.session(11)
        sheet = looked_at(mine, Review(), 3, 2, lanes=("rpm",), also=(5, 99, 3, 2, 7, 5))
        self.assertEqual([(each.session, each.lap) for each in sheet.also], [(None, 5), (None, 7)])
        for lane in sheet.lanes:
            self.assertEqual([len(each) for each in lane.also], [len(lane.lap)] * 2)
        fifth = looked_at(mine, Review(), 5, 2)
        self.assertEqual(sheet.lanes[0].also[0], fifth.lanes[0].lap)
        many = looked_at(mine, Review(), 1, 2, also=range(3, 9))
        self.assertEqual(len(many.also), lap_view.MOST_ALSO)

    def test_laps_of_three_sessions_lie_over_each_other(self) -> None:
        mine, second, third = (self.session(seed) for seed in (11, 12, 13))
        further = (
            FurtherLap(4, (second, Review()), 21),
            FurtherLap(None, (third, Review()), 22),
            FurtherLap(5),
            FurtherLap(77, (third, Review()), 22),
        )
        sheet = lap_view.lap_sheet(mine, Review(), LapsWish(3, 2, also=further))
        best = bests(list(drive_of(third, Review()).laps)).best
        assert best is not None
        named = [(each.session, each.lap) for each in sheet.also]
        self.assertEqual(named, [(None, 5), (21, 4), (22, best.number)])
        self.assertAlmostEqual(sheet.also[2].time_s, best.time_s, delta=0.02)
        # What is lost against each other is as without them, and so are the two laps.
        alone = looked_at(mine, Review(), 3, 2)
        self.assertEqual((sheet.lost, sheet.behind_s), (alone.lost, alone.behind_s))
        speed = sheet.lanes[0]
        fourth = looked_at(second, Review(), 4, 4).lanes[0]
        apart = np.abs(np.array(speed.also[1][: len(fourth.lap)]) - np.array(fourth.lap[: len(speed.also[1])]))
        self.assertLess(float(apart.max()), 6.0)

    def test_a_session_that_cannot_be_laid_over_is_said_and_takes_nothing_away(self) -> None:
        mine, second = self.session(11), self.session(12)
        far = recorded(
            drive(ramp("Ramp", 900, 1), KART, 3, (), 0.03, np.random.default_rng(1)), np.random.default_rng(1)
        ).recording
        further = (FurtherLap(None, (far, Review()), 30), FurtherLap(4, (second, Review()), 21))
        sheet = lap_view.lap_sheet(mine, Review(), LapsWish(3, 2, also=further))
        self.assertEqual([(each.session, each.lap) for each in sheet.also], [(21, 4)])
        [left] = sheet.not_over
        self.assertEqual(left.session, 30)
        self.assertIn("not driven on the course", left.why)
        self.assertEqual(sheet.lost, looked_at(mine, Review(), 3, 2).lost)

    def test_every_lap_has_its_own_clock(self) -> None:
        mine = self.session(11)
        sheet = looked_at(mine, Review(), 3, 2, also=(5,))
        clock = sheet.clock
        for lap, times in ((3, clock.lap), (2, clock.reference), (5, clock.also[0])):
            row = next(each for each in sheet.laps if each.number == lap)
            self.assertEqual(len(times), len(sheet.behind_s))
            self.assertEqual(times[0], 0.0)
            self.assertTrue(all(b > a for a, b in pairwise(times)))
            # The last metre lies less than one before the line: at 20 m/s that is 0.05 s.
            self.assertAlmostEqual(times[-1], row.time_s, delta=0.1)
        behind = np.array(clock.lap) - np.array(clock.reference)
        np.testing.assert_allclose(behind, sheet.behind_s, atol=1e-9)

    def test_where_positions_are_missing_nothing_is_named_and_the_sum_stays(self) -> None:
        mine = self.session(11)
        whole = looked_at(mine, Review(), 3, 2)
        assert whole.lost is not None and whole.course is not None
        lost = whole.lost.rows[0]
        third = next(each for each in whole.laps if each.number == 3)
        at = [
            third.start_s + whole.clock.lap[round(m / whole.course.step_m)]
            for m in (lost.stretch.from_m + 4, lost.stretch.to_m - 4)
        ]
        lat, lon = mine.channels["lat"], mine.channels["lon"]

        def without(channel: Channel) -> Channel:
            values = channel.values.copy()
            values[round(at[0] / channel.interval_s) : round(at[1] / channel.interval_s)] = np.nan
            return replace(channel, samples=ArraySamples(values))

        torn = replace(mine, channels=mine.channels | {"lat": without(lat), "lon": without(lon)})
        sheet = looked_at(torn, Review(), 3, 2)
        assert sheet.lost is not None
        self.assertEqual([gap.of for gap in sheet.gaps], ["lap"])
        self.assertAlmostEqual(sheet.gaps[0].from_m, lost.stretch.from_m + 4, delta=4)
        self.assertAlmostEqual(sheet.gaps[0].to_m, lost.stretch.to_m - 4, delta=4)
        self.assertEqual(
            [(each.corner, each.part) for each in sheet.lost.unknown], [(lost.stretch.corner, lost.stretch.part)]
        )
        self.assertNotIn(lost.stretch, [each.stretch for each in sheet.lost.rows])
        self.assertAlmostEqual(sheet.lost.lost_s, whole.lost.lost_s, delta=0.03)
        self.assertAlmostEqual(
            sum(each.lost_s for each in sheet.lost.rows) + sheet.lost.elsewhere_s, sheet.lost.lost_s, delta=1e-9
        )
        # Another pair of laps is whole; the reference with the gap is as blind as the lap with it.
        self.assertEqual(looked_at(torn, Review(), 4, 2).gaps, ())
        self.assertEqual([gap.of for gap in looked_at(torn, Review(), 4, 3).gaps], ["reference"])
        # Among the habits, the torn lap is not one of those that were seen there.
        drive = drive_of(torn, Review())
        of = {(h.stretch.corner, h.stretch.part): h.of for h in lap_view.habits_of(torn, drive)}
        counts = set(of.values())
        if (lost.stretch.corner, lost.stretch.part) in of:
            self.assertEqual(of[lost.stretch.corner, lost.stretch.part], max(counts) - 1)

    def test_the_other_may_lack_sensors_but_not_the_course(self) -> None:
        mine, other = self.session(11), self.session(12)
        bare = replace(other, channels={k: c for k, c in other.channels.items() if k in ("lat", "lon", "speed")})
        sheet = looked_at(mine, Review(), beside=(bare, Review()))
        throttle = next(lane for lane in sheet.lanes if lane.key == "throttle")
        self.assertTrue(np.isnan(throttle.reference).all())
        self.assertFalse(np.isnan(throttle.lap).all())
        far = recorded(
            drive(ramp("Ramp", 900, 1), KART, 3, (), 0.03, np.random.default_rng(1)), np.random.default_rng(1)
        )
        with self.assertRaisesRegex(ValueError, "was not driven on the course Practice loop"):
            looked_at(mine, Review(), beside=(far.recording, Review()))
        keys = frozenset(lap.key for lap in looked_at(other, Review()).laps)
        with self.assertRaisesRegex(ValueError, "no lap of the other session counts"):
            looked_at(mine, Review(), beside=(other, Review(dropped=keys)))
        with self.assertRaisesRegex(LookupError, "no lap 40"):
            looked_at(mine, Review(), None, 40, (other, Review()))


class Hostile(unittest.TestCase):
    def test_a_course_around_the_earth_and_laps_without_end_take_no_memory(self) -> None:
        around = course_of(LOOP) | {"points": [[0.0, 0.0], [0.0, 120.0], [0.0, -120.0], [40.0, 0.0]]}
        with self.assertRaisesRegex(ValueError, "too long for a course"):
            course_from(around)
        line = np.linspace(0.0, 80.0, 50)
        self.assertIsNone(line_of(Course("long", course_from(course_of(LOOP)).start, None, (), line, line)))
        recording = recorded(driven(5, laps=3), np.random.default_rng(1)).recording
        speed = recording.channels["speed"]
        mad = replace(speed, samples=ArraySamples(speed.values * 1e9))
        found = looked_at(replace(recording, channels=recording.channels | {"speed": mad}), Review())
        self.assertIsNone(found.lost)
        self.assertIn("too long", found.why_not)


class Sheets(unittest.TestCase):
    def test_what_cannot_be_compared_is_said(self) -> None:
        recording = recorded(driven(5, laps=3), np.random.default_rng(1)).recording
        keys = {lap.key for lap in looked_at(recording, Review()).laps if lap.kind == "timed"}
        none = looked_at(recording, Review(dropped=frozenset(keys)))
        self.assertEqual((none.lap, none.lost, none.lanes), (None, None, ()))
        self.assertIn("no lap counts", none.why_not)
        self.assertIsNotNone(none.course)
        nowhere = replace(recording, channels={k: c for k, c in recording.channels.items() if k not in ("lat", "lon")})
        self.assertTrue(looked_at(nowhere, Review()).why_not)
        with self.assertRaisesRegex(LookupError, "no lap 40"):
            looked_at(recording, Review(), 40)

    def test_a_lap_left_out_is_never_the_reference_and_an_unsure_one_never_the_best(self) -> None:
        recording = recorded(driven(5, laps=4), np.random.default_rng(1)).recording
        first = looked_at(recording, Review())
        best = next(lap for lap in first.laps if lap.number == first.reference)
        second = looked_at(recording, Review(dropped=frozenset({best.key})))
        self.assertNotEqual(second.reference, best.number)
        laps = [Lap(1, "timed", 0, 60.0, (60.0,), estimated=True), Lap(2, "timed", 60, 121.0, (61.0,))]
        self.assertEqual(getattr(bests(laps).best, "number", None), 2)
        self.assertIsNone(bests(laps[:1]).best)
        self.assertTrue(math.isnan(bests(laps[:1]).theoretical_s))
