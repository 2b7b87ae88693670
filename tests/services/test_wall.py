"""The wall: what is told of those who are out, one subscription for all who look, alarms, silence, marks beside recordings."""

from __future__ import annotations

import queue
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta
from typing import Any
from unittest import TestCase, mock

from kumpel.core.assessment import Step, Verdict
from kumpel.demo.ensemble import Running, StandIn
from kumpel.formats import krec
from kumpel.kinds.live import LiveFigure
from kumpel.kinds.registry import KINDS
from kumpel.link.discovery import Announcement
from kumpel.services.ground.problems import InvalidError
from kumpel.services.recorders import recorders, wall, wall_marks
from kumpel.services.recorders.wall import ALARM, CALM, WATCH, Note, Tile, Wall, Worn
from kumpel.standins import gas_signal
from kumpel.standins.gas_signal import Shift
from kumpel.store.tables import HandOver, Recorder, Setup, WallMark, now
from tests.support import MeterTest

NO2 = LiveFigure("no2.avg", "NO2", "ppm", 2, (Step(0.5, Verdict.ACTION, "low"), Step(1.0, Verdict.ABOVE, "high")))
CO = LiveFigure("co.avg", "CO", "ppm", 1, (Step(20, Verdict.ACTION, "low"), Step(100, Verdict.ABOVE, "high")))
O2 = LiveFigure(
    "o2.avg", "O2", "vol %", 1, (Step(19.5, Verdict.ABOVE, "low", below=True), Step(23.5, Verdict.ABOVE, "high"))
)


class Tiles(TestCase):
    def tile(self) -> Tile:
        recorder = Recorder(id=1, serial="G", kind="gas", token="G-01", name="Gas 1")
        return Tile(Worn(recorder, "Asha Rao", "Blasting crew", "face", 0.0), (NO2, CO, O2))

    def test_the_figure_of_most_attention_leads_and_an_alarm_is_urgent_once(self) -> None:
        tile = self.tile()
        calm = {"no2.avg": 0.1, "co.avg": 3.0, "o2.avg": 20.9}
        self.assertFalse(tile.take(calm, 100.0))
        self.assertEqual((tile.lead, tile.state), ("no2.avg", CALM))
        self.assertFalse(tile.take({"co.avg": 25.0}, 101.0))
        self.assertEqual((tile.lead, tile.state, tile.words), ("co.avg", WATCH, "above 20 ppm"))
        self.assertTrue(tile.take({"o2.avg": 19.4}, 102.0))
        self.assertEqual(
            (tile.lead, tile.state, tile.words, tile.alarm_at), ("o2.avg", ALARM, "below 19.5 vol %", 102.0)
        )
        self.assertFalse(tile.take({"o2.avg": 19.2}, 103.0))

    def test_the_stated_value_is_held_against_a_step_and_what_is_missing_against_none(self) -> None:
        tile = self.tile()
        tile.take({"no2.avg": 0.495}, 100.0)
        self.assertEqual(tile.state, WATCH)  # 0.50 as it is read
        tile.take({"no2.avg": float("nan")}, 101.0)
        self.assertEqual(tile.state, CALM)
        self.assertIsNone(tile.plain["values"]["no2.avg"])

    def test_an_alarm_ends_after_a_calm_minute_and_an_answer_and_not_before(self) -> None:
        tile = self.tile()
        tile.take({"no2.avg": 3.0}, 100.0)
        tile.take({"no2.avg": 0.1}, 110.0)
        self.assertFalse(tile.settle(175.0))
        tile.answered = "Runa"
        self.assertFalse(tile.settle(169.0))
        tile.take({"no2.avg": 3.0}, 169.5)
        self.assertFalse(tile.settle(175.0))
        tile.take({"no2.avg": 0.1}, 176.0)
        self.assertTrue(tile.settle(236.0))
        self.assertEqual((tile.alarm_at, tile.answered), (None, ""))

    def test_one_that_leads_goes_on_leading_until_another_is_clearly_nearer(self) -> None:
        tile = self.tile()
        tile.take({"no2.avg": 0.10, "co.avg": 3.0}, 100.0)  # 0.20 and 0.15 of their first step
        tile.take({"co.avg": 5.0}, 101.0)  # 0.25
        self.assertEqual(tile.lead, "no2.avg")
        tile.take({"co.avg": 7.0}, 102.0)  # 0.35
        self.assertEqual(tile.lead, "co.avg")

    def test_ten_minutes_are_kept_in_steps_of_two_seconds(self) -> None:
        tile = self.tile()
        for n in range(8_000):
            tile.take({"no2.avg": n / 1e6}, n / 10)
        self.assertEqual(len(tile.course), 300)
        self.assertAlmostEqual(tile.course[-1][0] - tile.course[0][0], 598.0)

    def test_patients_are_never_on_it(self) -> None:
        self.assertEqual([kind.key for kind in KINDS.values() if kind.live and kind.patient], [])


class Live(MeterTest):
    time_factor = 1.0

    def setUp(self) -> None:
        super().setUp()
        gas = StandIn("G-01", "GM-000001", "Gas monitor 1", kind="gas", auto_start=False)
        self.ensemble.launch((gas,), False)
        self.gas = self.worn("G-01", "GM-000001")
        self.addCleanup(self.ended)

    def worn(self, token: str, serial: str) -> Recorder:
        running = self.ensemble.running[token]
        running.tell("set", recording={"id": f"{serial}-1", "since": time.time() - 60}, raw={"co.avg": 3.0})
        recorder = recorders.heard(self.db, Announcement(serial, "127.0.0.1", running.link, token))
        setup = Setup(kind="gas", name="x", settings=KINDS["gas"].setup_model().model_dump(mode="json"))
        self.db.add(setup)
        self.db.flush()
        self.db.add(
            HandOver(recorder_id=recorder.id or 0, person_id=self.person("Asha Rao").id or 0, setup_id=setup.id or 0)
        )
        self.db.commit()
        return recorder

    def ended(self) -> None:
        wall._walls.pop(self.url, None)

    @property
    def running(self) -> Running:
        return self.ensemble.running["G-01"]

    def ends(self, mine: Wall) -> None:
        """Nobody looks: no link is held any more."""
        ends = time.monotonic() + 10
        while mine._watchers or mine._worker:
            self.assertLess(time.monotonic(), ends)
            time.sleep(0.05)

    def until(
        self, notes: queue.Queue[Note], is_it: Callable[[dict[str, Any]], bool], within_s: float = 12.0
    ) -> dict[str, Any]:
        """The tile of the first note in which it is so."""
        ends = time.monotonic() + within_s
        while (left := ends - time.monotonic()) > 0:
            note = notes.get(timeout=left)
            for tile in (*note.get("all", ()), *note.get("tiles", ())):
                if is_it(tile):
                    return dict(tile)
        raise AssertionError("it was not told")

    def test_everybody_hears_the_same_over_one_link_and_an_alarm_within_a_second(self) -> None:
        mine = Wall(self.url)
        with mine.looking() as one, mine.looking() as two:
            for notes in (one, two):
                self.until(notes, lambda tile: tile["heard_at"] is not None)
            self.assertEqual(len(mine._watchers), 1)
            self.running.tell("set", raw={"co.avg": 300.0})
            began = time.monotonic()
            found = self.until(one, lambda tile: tile["state"] == ALARM)
            # The monitor speaks once a second: within that and one more.
            self.assertLess(time.monotonic() - began, 2.0)
            self.assertEqual(found["lead"], "co.avg")
            self.until(two, lambda tile: tile["state"] == ALARM)
            mine.answer(self.gas.id or 0, "Runa")
            self.until(two, lambda tile: tile["answered"] == "Runa")
            with mock.patch.object(wall, "CALM_S", 0.5):
                self.running.tell("set", raw={"co.avg": 3.0})
                self.until(two, lambda tile: tile["alarm_at"] is None)
        with mock.patch.object(wall, "LINGERS_S", 0.0):
            self.ends(mine)

    def test_one_that_goes_silent_stays_says_so_and_comes_back(self) -> None:
        mine = Wall(self.url)
        with mine.looking() as notes:
            last = self.until(notes, lambda tile: tile["heard_at"] is not None)
            self.running.tell("vanish")
            self.until(notes, lambda tile: bool(tile["trouble"]), 20.0)
            self.running.tell("come back")
            self.until(notes, lambda tile: (tile["heard_at"] or 0) > last["heard_at"] + 1 and not tile["trouble"], 20.0)
        with mock.patch.object(wall, "LINGERS_S", 0.0):
            self.ends(mine)

    def test_one_that_is_back_is_not_on_it_any_more(self) -> None:
        self.assertEqual([each.recorder.token for each in wall.worn_now(self.db)], ["G-01"])
        self.gas.status = self.gas.status | {"mode": "ready"}
        self.db.add(self.gas)
        self.db.commit()
        self.assertEqual(wall.worn_now(self.db), [])

    def test_a_mark_stands_beside_the_recording_by_its_corrected_clock(self) -> None:
        mark = wall_marks.keep(self.db, "  blast ", self.gas.id)
        self.assertEqual((mark.text, mark.person_id is not None), ("blast", True))
        wall_marks.keep(self.db, "door open")
        with self.assertRaises(InvalidError):
            wall_marks.keep(self.db, " \n")
        self.assertEqual([m.session_id for m in wall_marks.newest(self.db)], [None, None])
        made = gas_signal.make(Shift(length_s=3600.0)).recording
        # The clock of the monitor was 250 s fast: what it says began 1,000 s ago began 1,250 s ago.
        began = replace(made, start=(mark.at - timedelta(seconds=1000)).timestamp(), recorder={"serial": "GM-000001"})
        row = self.stored(krec.write_recording(began, "A"))
        row.clock_error_s = 250.0
        self.db.add(row)
        self.db.commit()
        found = wall_marks.beside(self.db, row)
        self.assertEqual([each.text for each in found], ["blast", "door open"])
        self.assertAlmostEqual(found[0].at_s, 1250.0, places=2)
        self.assertEqual(wall_marks.newest(self.db)[1].session_id, row.id)
        row.clock_shift_s = -250.0
        self.db.add(row)
        self.db.commit()
        self.assertAlmostEqual(wall_marks.beside(self.db, row)[0].at_s, 1000.0, places=2)
        self.assertLess(abs((self.db.get_one(WallMark, mark.id).at - now()).total_seconds()), 60)
