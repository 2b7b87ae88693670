"""Calibrating on a simulated logger: captured, refused, written, proved, put back; what is due, for recorders of several kinds."""

from __future__ import annotations

import shutil
import socket
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from sqlmodel import Session as Db

from kumpel.demo.ensemble import Ensemble, Running, StandIn
from kumpel.link.client import RecorderLink
from kumpel.link.discovery import Announcement
from kumpel.services.ground import deeds, sensor_checks
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, PasscodeNeededError, RecorderError
from kumpel.services.recorders import checks, exchange, live_values, recorders, sensors
from kumpel.services.work import leading
from kumpel.services.yard import belonging
from kumpel.store import database
from kumpel.store.tables import Recorder, SensorCheck, now
from tests.support import DatabaseTest

TRUES = [0.0, 90.0, -90.0]
"""From the middle outwards, as they are captured."""
DOCK = (
    StandIn("V-02", "VL-000204", "Logger 2", kind="vehicle", auto_start=False),
    StandIn("G-01", "GM-000001", "Gas monitor 1", kind="gas", auto_start=False, rest={"time_factor": 60.0}),
)


class WithLogger(DatabaseTest):
    ensemble: Ensemble

    def setUp(self) -> None:
        super().setUp()
        folder = Path(tempfile.mkdtemp(prefix="kumpel-sensors-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        self.ensemble = Ensemble(folder, 1.0)
        self.addCleanup(self.ensemble.stop)
        self.ensemble.launch(DOCK, False)
        self.logger = self.heard("V-02")

    def heard(self, token: str) -> Recorder:
        running = self.ensemble.running[token]
        serial = next(each.serial for each in DOCK if each.token == token)
        return recorders.heard(self.db, Announcement(serial, "127.0.0.1", running.link, token))

    @property
    def id(self) -> int:
        assert self.logger.id is not None
        return self.logger.id

    @property
    def wheel(self) -> Running:
        return self.ensemble.running["V-02"]

    def hold(self, **held: float) -> None:
        self.wheel.tell("set", held=held)

    def shown(self, angle: float) -> float:
        """The live value that a watcher sees with the wheel at an angle."""
        self.hold(steering=angle)
        with closing_watch(self.url, self.logger, ["steering"], ["steering"]) as packs:
            return next(packs)[0].value

    def captured(self) -> list[tuple[float, float]]:
        """The three positions of the wheel, captured."""
        raws: list[float | None] = [None, None, None]
        for i, true in enumerate(TRUES):
            self.hold(steering=true)
            held = sensors.capture(self.db, self.id, "steering", i, TRUES, raws)
            self.assertEqual(held.refused, "")
            raws[i] = held.raw
        return [(raw or 0.0, true) for raw, true in zip(raws, TRUES, strict=True)]

    def on_recorder(self, channel: str = "steering") -> list[tuple[float, float]]:
        with RecorderLink("127.0.0.1", self.wheel.link) as link:
            found = {c.channel: [(p.raw, p.true) for p in c.points] for c in link.calibrations()}
        return found.get(channel, [])


class Calibrating(WithLogger):
    def test_three_positions_are_captured_written_read_back_and_proved(self) -> None:
        points = self.captured()
        # What the simulated sensor really gives: 2.487 V at 0, 3.942 V at +90, 1.058 V at -90 degrees, with 3 mV of noise.
        for (raw, _), gives in zip(points, (2.487, 3.942, 1.058), strict=True):
            self.assertAlmostEqual(raw, gives, delta=0.003)
        before = sensors.bench(self.db, self.id)
        standing = before.sensors[0].standing
        assert standing is not None
        self.assertEqual((standing.state, standing.words), ("never", "Steering angle: never calibrated"))
        found = sensors.write(self.db, self.id, "steering", points, "ST-118")
        # On the recorder from one end to the other.
        self.assertEqual(self.on_recorder(), sorted(points))
        steering = found.sensors[0]
        self.assertEqual((steering.on_it, steering.serial), ({"steering": sorted(points)}, "ST-118"))
        assert steering.standing is not None and steering.standing.due_at is not None
        self.assertEqual(steering.standing.state, "right")
        self.assertEqual((steering.standing.due_at - now()).days, 91)
        [row] = [r for r in found.rows if r.what == sensor_checks.CALIBRATION]
        self.assertEqual((row.by, row.points["steering"]), ("", [list(p) for p in sorted(points)]))
        with self.assertRaisesRegex(InvalidError, "full left.*-60"):
            sensors.prove(self.db, self.id, "steering", [96.2, -60.0, 0.2], 30)
        # What nobody saw proves nothing, and neither does what was seen before the calibration.
        with self.assertRaisesRegex(InvalidError, "full right.*did not show 96.2 ° here since it was calibrated"):
            sensors.prove(self.db, self.id, "steering", [96.2, -93.4, 0.2], 30)
        seen = [self.shown(angle) for angle in (96.2, -93.4, 0.2)]
        self.assertAlmostEqual(seen[1], -93.4, delta=1.0)
        proved = sensors.prove(self.db, self.id, "steering", seen, 30, "C-2026-14")
        assert proved.sensors[0].standing is not None and proved.sensors[0].standing.due_at is not None
        self.assertEqual((proved.sensors[0].standing.due_at - now()).days, 29)
        self.assertIn(f"full left, at least 80°: {seen[1]:.1f} °", proved.rows[0].note)
        sensors.write(self.db, self.id, "steering", points, "ST-118")
        with self.assertRaisesRegex(InvalidError, "did not show"):
            sensors.prove(self.db, self.id, "steering", seen, 30)

    def test_what_cannot_be_a_point_is_refused_with_the_amount_and_kept_on_record(self) -> None:
        raws: list[float | None] = [None, 3.942, None]

        def capture(position: int = 0) -> str:
            return sensors.capture(self.db, self.id, "steering", position, TRUES, raws).refused

        self.hold(steering=90.0)
        threading.Timer(0.5, self.hold, kwargs={"steering": 60.0}).start()
        self.assertRegex(capture(), r"it moved: .* spread by 2\d\d mV while held, 10 mV is the limit")
        self.hold(steering=82.0)
        self.assertRegex(capture(), r"only 1[23]\d mV from “turned right”; 0.30 V is the least")
        self.wheel.tell("set", raw={"steering": 0.03})
        self.assertRegex(capture(), r"0\.0\d\d V is under 0.20 V: its wire is off or broken")
        self.wheel.tell("set", raw={"steering": 4.4})
        raws = [2.487, 3.942, None]
        self.assertRegex(capture(2), "the order is turned round")
        kept = [d for d in deeds.of(self.db, Whom("recorder", self.id)) if d.what == "capture refused"]
        self.assertEqual(len(kept), 4)
        self.assertEqual(self.on_recorder(), [])
        self.wheel.tell("set", raw={"steering": "missing"})
        with self.assertRaisesRegex(RecorderError, "nothing was measured"):
            capture()

    def test_more_points_than_positions_and_the_true_values_of_the_vehicle_the_next_time(self) -> None:
        """Six points of a wheel that turns to 135 degrees; another logger in the same vehicle begins with their true values."""
        trues = [0.0, 135.0, -135.0, 45.0, -45.0, 90.0]
        raws: list[float | None] = [None] * len(trues)
        for i, true in enumerate(trues):
            self.hold(steering=true)
            held = sensors.capture(self.db, self.id, "steering", i, trues, raws)
            self.assertEqual(held.refused, "")
            raws[i] = held.raw
        points = [(raw or 0.0, true) for raw, true in zip(raws, trues, strict=True)]
        found = sensors.write(self.db, self.id, "steering", points)
        self.assertEqual([true for _, true in self.on_recorder()], sorted(trues))
        self.assertEqual(found.sensors[0].trues, (0.0, 90.0, -135.0, -45.0, 45.0, 135.0))
        other = Recorder(
            serial="VL-9", kind="vehicle", token="V-09", name="", setup=self.logger.setup | {"machine": "kart 7"}
        )
        self.logger.setup = self.logger.setup | {"machine": "kart 7"}
        self.db.add_all([other, self.logger])
        self.db.commit()
        self.assertEqual(sorted(belonging.with_same_machine(self.db, other)), sorted([other.id, self.id]))
        with self.assertRaisesRegex(InvalidError, "up to 9 points. 10 were given"):
            sensors.write(self.db, self.id, "steering", [(0.3 + 0.4 * i, float(i)) for i in range(10)])

    def test_points_that_are_none_are_not_written(self) -> None:
        for points in (
            [(3.9, 90.0), (2.5, 0.0)],
            [(3.9, 90.0), (2.5, 0.0), (3.2, -90.0)],
            [(3.9, 90.0), (2.5, 0.0), (0.1, -90.0)],
            [(3.9, 90.0), (2.5, 90.0), (1.1, -90.0)],
        ):
            with self.subTest(points), self.assertRaises(InvalidError):
                sensors.write(self.db, self.id, "steering", points)
        self.assertEqual(self.on_recorder(), [])

    def test_a_difference_on_reading_back_is_named_and_the_old_calibration_stays(self) -> None:
        old = [(4.0, 90.0), (2.5, 0.0), (1.0, -90.0)]
        sensors.write(self.db, self.id, "steering", old)
        self.wheel.tell("misremember")
        with self.assertRaisesRegex(
            RecorderError, "true value of point 3 of steering reads back as -89, -90 was.*stays on"
        ):
            sensors.write(self.db, self.id, "steering", [(3.9, 90.0), (2.4, 0.0), (1.1, -90.0)])
        self.assertEqual(self.on_recorder(), old)
        self.assertEqual(len(checks.of_recorder(self.db, self.id)), 1)

    def test_earlier_points_are_put_back_until_the_sensor_is_another(self) -> None:
        first, second = [(4.0, 90.0), (2.5, 0.0), (1.0, -90.0)], [(3.9, 90.0), (2.4, 0.0), (1.1, -90.0)]
        sensors.write(self.db, self.id, "steering", first, "ST-118")
        sensors.write(self.db, self.id, "steering", second, "ST-118")
        earliest = checks.of_recorder(self.db, self.id)[-1].id
        found = sensors.put_back(self.db, self.id, earliest)
        self.assertEqual(self.on_recorder(), first)
        self.assertIn("put back from", found.rows[0].note)
        gone = sensors.replaced(self.db, self.id, "steering", "ST-121", "cable torn off")
        assert gone.sensors[0].standing is not None
        self.assertRegex(gone.sensors[0].standing.words, "sensor replaced .*, not calibrated since")
        self.assertEqual(gone.sensors[0].serial, "ST-121")
        with self.assertRaisesRegex(ConflictError, "those of another one"):
            sensors.put_back(self.db, self.id, earliest)
        with self.assertRaisesRegex(ConflictError, "not calibrated"):
            sensors.prove(self.db, self.id, "steering", [96.2, -93.4, 0.2], 30)

    def test_one_press_zeroes_three_axes_only_level_and_with_the_engine_off(self) -> None:
        self.wheel.tell("set", raw={"rpm": 1800.0})
        with self.assertRaisesRegex(ConflictError, "Engine speed is 1800 rpm: switch the engine off"):
            sensors.press(self.db, self.id, "accelerations")
        self.wheel.tell("set", raw={})
        self.hold(vertical_g=0.0, lateral_g=1.0)
        with self.assertRaisesRegex(ConflictError, "across reads .* lay the logger level"):
            sensors.press(self.db, self.id, "accelerations")
        self.assertEqual(self.on_recorder("vertical_g"), [])
        self.hold()
        found = sensors.press(self.db, self.id, "accelerations", "AX-3")
        # What the simulated axes are off by: +0.031 g along, -0.018 g across, 1.027 g where 1 g is.
        for channel, raw, true in (("forward_g", 0.031, 0.0), ("lateral_g", -0.018, 0.0), ("vertical_g", 1.027, 1.0)):
            [(held, should)] = self.on_recorder(channel)
            self.assertAlmostEqual(held, raw, delta=0.003)
            self.assertEqual(should, true)
        self.assertEqual(found.rows[0].sensor, "accelerations")

    def test_it_is_captured_over_the_link_of_whoever_watches(self) -> None:
        self.hold(steering=0.0)
        with closing_watch(self.url, self.logger, ["steering", "throttle"], ["steering"]) as packs:
            first = next(packs)
            self.assertEqual([v.channel for v in first], ["steering", "throttle", "steering:raw"])
            self.assertAlmostEqual(first[2].value, 2.487, delta=0.02)
            taken: list[sensors.Steady] = []
            other = threading.Thread(
                target=lambda: taken.append(sensors.capture(self.db, self.id, "steering", 1, TRUES, [None, None, None]))
            )
            other.start()
            until = time.monotonic() + 5
            while other.is_alive() and time.monotonic() < until:
                next(packs)
            other.join(1)
            self.assertAlmostEqual(taken[0].raw, 2.487, delta=0.003)
            self.assertEqual(len(next(packs)), 3)
            self.wheel.tell("vanish")
            with self.assertRaises(RecorderError):
                for _ in range(100):
                    next(packs)

    def test_a_passcode_is_asked_for_before_anything_is_written(self) -> None:
        self.wheel.tell("set", passcode="2718")
        points = [(4.0, 90.0), (2.5, 0.0), (1.0, -90.0)]
        with self.assertRaises(PasscodeNeededError):
            sensors.write(self.db, self.id, "steering", points)
        self.assertEqual(self.on_recorder(), [])
        sensors.write(self.db, self.id, "steering", points, passcode="2718")
        self.assertEqual(self.on_recorder(), points)

    def test_a_recorder_out_of_reach_shows_what_was_known_and_why(self) -> None:
        sensors.write(self.db, self.id, "steering", [(4.0, 90.0), (2.5, 0.0), (1.0, -90.0)])
        self.wheel.tell("vanish")
        recorders.refresh(self.db, self.logger)
        found = sensors.bench(self.db, self.id)
        self.assertIn("not in reach", found.trouble)
        self.assertIsNone(found.sensors[0].on_it)
        self.assertEqual([r.what for r in found.rows], [sensor_checks.CALIBRATION])

    def test_what_a_recorder_tells_of_its_own_checks_is_kept_once(self) -> None:
        gas = self.heard("G-01")
        assert gas.id is not None
        words = sensor_checks.overdue(self.db, [gas])[gas.id]
        self.assertIn("Carbon monoxide, bump test: never done", words)
        for sensor, fails in (("co", []), ("h2s", ["h2s"])):
            self.ensemble.running["G-01"].tell("set", raw={"fails": fails})
            with RecorderLink("127.0.0.1", self.ensemble.running["G-01"].link) as link:
                link.check("bump", sensor, 50.0)
            time.sleep(1.6)
        recorders.refresh(self.db, gas)
        recorders.refresh(self.db, gas)
        # Two who ask at once: the second knows nothing of what the first has not committed yet.
        with RecorderLink("127.0.0.1", self.ensemble.running["G-01"].link) as link:
            made = link.checks()
        with Db(database.engine(self.url)) as other:
            checks.told(other, gas, [replace_at(made[0], 1.0e9)])
            second = threading.Thread(target=lambda: checks.told(self.db, gas, [replace_at(made[0], 1.0e9)]))
            second.start()
            time.sleep(0.3)
            other.commit()
            second.join(10)
            self.db.commit()
        self.assertEqual(sum(r.at.year < 2020 for r in checks.of_recorder(self.db, gas.id)), 1)
        rows = [r for r in checks.of_recorder(self.db, gas.id) if r.at.year > 2020]
        self.assertEqual([(r.what, r.sensor, r.passed) for r in rows], [("bump", "h2s", False), ("bump", "co", True)])
        words = sensor_checks.overdue(self.db, [gas])[gas.id]
        self.assertNotIn("Carbon monoxide, bump test: never done", words)
        self.assertTrue(any(w.startswith("Hydrogen sulphide, bump test: failed") for w in words))
        # The bump test is due every day: two days later it is overdue.
        later = sensor_checks.overdue(self.db, [gas], now() + timedelta(days=2))[gas.id]
        self.assertTrue(any(w.startswith("Carbon monoxide, bump test: due since") for w in later))


class Due(DatabaseTest):
    def recorder(self, kind: str = "vehicle", **setup: Any) -> Recorder:
        made = Recorder(serial="VL-1", kind=kind, token="V-01", name="Logger", setup=setup)
        self.db.add(made)
        self.db.commit()
        return made

    def test_overdue_at_the_time_of_a_recording(self) -> None:
        logger = self.recorder()
        assert logger.id is not None
        calibrated = now() - timedelta(days=200)
        for sensor in ("steering", "throttle", "brake", "accelerations"):
            row = SensorCheck(
                recorder_id=0, what="calibration", sensor=sensor, at=calibrated, due_at=calibrated + timedelta(days=92)
            )
            checks.keep(self.db, logger, row)
        since = sensor_checks.day(calibrated + timedelta(days=92))
        expected = f"Steering angle: due since {since}, last calibrated {sensor_checks.day(calibrated)}"
        self.assertIn(expected, sensor_checks.overdue(self.db, [logger])[logger.id])
        in_time = calibrated + timedelta(days=50)
        self.assertEqual(sensor_checks.overdue(self.db, [logger], in_time)[logger.id], [])
        earlier = sensor_checks.overdue(self.db, [logger], calibrated - timedelta(days=1))[logger.id]
        self.assertIn("Steering angle: never calibrated", earlier)

    def test_a_sensor_that_is_switched_off_is_not_missed(self) -> None:
        logger = self.recorder(channels=[{"key": "steering", "on": False}, {"key": "throttle", "on": True}])
        words = sensor_checks.overdue(self.db, [logger])[logger.id or 0]
        self.assertNotIn("Steering angle: never calibrated", words)
        self.assertIn("Accelerator pedal: never calibrated", words)

    def test_a_check_made_elsewhere_counts_until_it_is_due(self) -> None:
        meter = self.recorder("noise")
        assert meter.id is not None
        self.assertEqual(sensor_checks.overdue(self.db, [meter])[meter.id], [])
        at = now() - timedelta(days=800)
        wish = {"what": "laboratory check", "at": at, "due_at": at + timedelta(days=730), "certificate": "L-77"}
        self.assertEqual(checks.add(self.db, meter, wish).certificate, "L-77")
        [words] = sensor_checks.overdue(self.db, [meter])[meter.id]
        self.assertTrue(words.startswith("Laboratory check: due since"), words)
        checks.add(self.db, meter, wish | {"at": now() - timedelta(days=1), "due_at": now() + timedelta(days=729)})
        self.assertEqual(sensor_checks.overdue(self.db, [meter])[meter.id], [])
        for wrong, field in (
            ({"what": " "}, "what"),
            ({"at": now() + timedelta(days=1)}, "at"),
            ({"due_at": at - timedelta(days=1)}, "due_at"),
        ):
            with self.subTest(field), self.assertRaises(InvalidError) as caught:
                checks.add(self.db, meter, wish | wrong)
            self.assertEqual(caught.exception.field, field)


class OverTheExchange(WithLogger):
    """Another process leads: links are its own, and lent from there."""

    def setUp(self) -> None:
        super().setUp()
        self.exchange = live_values.hold(self.url)
        self.addCleanup(live_values.let_go, self.exchange)
        live_values._held.clear()  # as it is in every other process
        leading.begin_term(self.db, self.exchange.address, self.exchange.secret)
        opened = mock.patch.object(live_values, "link_to", side_effect=live_values.link_to)
        self.opened = opened.start()
        self.addCleanup(opened.stop)

    def test_one_link_carries_what_several_watch_and_what_is_called_meanwhile(self) -> None:
        self.hold(steering=0.0)
        with closing_watch(self.url, self.logger, ["steering", "throttle"], ["steering"]) as packs:
            first = next(packs)
            self.assertEqual([v.channel for v in first], ["steering", "throttle", "steering:raw"])
            held = sensors.capture(self.db, self.id, "steering", 1, TRUES, [None, None, None])
            self.assertAlmostEqual(held.raw, 2.487, delta=0.003)
            self.assertEqual(len(next(packs)), 3)
            self.assertEqual(self.opened.call_count, 1, "the call went over the link of the watcher")

    def test_it_is_written_proved_and_refused_as_it_would_be_here(self) -> None:
        self.wheel.tell("set", passcode="2718")
        points = [(4.0, 90.0), (2.5, 0.0), (1.0, -90.0)]
        with self.assertRaises(PasscodeNeededError):
            sensors.write(self.db, self.id, "steering", points)
        sensors.write(self.db, self.id, "steering", points, passcode="2718")
        self.assertEqual(self.on_recorder(), sorted(points, reverse=True))
        since = now()
        value = self.shown(45.0)
        self.assertTrue(live_values.was_shown(self.db, self.logger, "steering", value, since))
        self.assertFalse(live_values.was_shown(self.db, self.logger, "steering", value + 1.0, since))
        self.assertFalse(live_values.was_shown(self.db, self.logger, "steering", value, now()))
        self.wheel.tell("vanish")
        with self.assertRaises(RecorderError) as told, closing_watch(self.url, self.logger, ["steering"], []) as packs:
            next(packs)
        self.assertIn("What is stored is safe", told.exception.detail)

    def test_who_leads_no_more_is_told_and_the_next_call_goes_without_it(self) -> None:
        with closing_watch(self.url, self.logger, ["steering"], []) as packs:
            next(packs)
            self.exchange.close()
            with self.assertRaises(RecorderError) as told:
                for _ in range(100):
                    next(packs)
        self.assertIn("has ended", told.exception.detail)
        until = time.monotonic() + 10
        while live_values._watched and time.monotonic() < until:
            time.sleep(0.05)  # Both ends are in this process: the other one lets go of its link.
        self.assertEqual(sensors.bench(self.db, self.id).trouble, "")

    def test_an_address_that_is_none_of_this_machine_is_said_and_recorders_are_looked_for_all_the_same(self) -> None:
        with (
            mock.patch.dict("os.environ", {"KUMPEL_EXCHANGE": "192.0.2.1"}),
            self.assertLogs("kumpel.exchange", "ERROR") as told,
        ):
            other = live_values.hold(self.url)
        self.addCleanup(live_values.let_go, other)
        self.assertIn("nothing can listen at 192.0.2.1", told.output[0])
        self.assertTrue(other.address.startswith("127.0.0.1:"))

    def test_strangers_learn_nothing_and_hold_up_nobody(self) -> None:
        host, _, port = self.exchange.address.rpartition(":")
        silent = [socket.create_connection((host, int(port))) for _ in range(20)]
        self.addCleanup(lambda: [each.close() for each in silent])
        begun = time.monotonic()
        self.assertEqual(sensors.bench(self.db, self.id).trouble, "")
        self.assertLess(time.monotonic() - begun, 2.0)
        leading.begin_term(self.db, self.exchange.address, "0" * 64)
        self.assertIsNone(exchange.dial(self.db), "with another secret")
        for each in silent:
            each.settimeout(10)
            while each.recv(100):
                pass  # cut off by the other end


@contextmanager
def closing_watch(url: str, recorder: Recorder, channels: list[str], raw: list[str]) -> Iterator[Iterator[Any]]:
    packs = live_values.watch(url, recorder, channels, raw)
    try:
        yield packs
    finally:
        packs.close()


def replace_at(made: Any, at: float) -> Any:
    return made.model_copy(update={"at": at})
