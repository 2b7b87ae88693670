"""Offsets from UTC that change in a file: by themselves, over summer time, in every kind of row."""

import unittest
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review
from kumpel.core.timebase import clock_words
from kumpel.formats import csv_file
from kumpel.formats.csv_file import Layout
from kumpel.formats.times import Stamps
from kumpel.formats.zones import followed, in_utc
from kumpel.kinds.registry import KINDS

END = datetime(2026, 10, 25, 1, 0, tzinfo=UTC)  # 03:00 summer time becomes 02:00
START = datetime(2027, 3, 28, 1, 0, tzinfo=UTC)  # 02:00 becomes 03:00
VIENNA = ZoneInfo("Europe/Vienna")


def noise_file(begin: datetime, hours: float, form: str, step_s: int = 60) -> bytes:
    """A night shift with 76 dB, and 101 dB in the hour after the change."""
    rows = ["time;LAeq"]
    for i in range(int(hours * 3600 / step_s)):
        at = begin + timedelta(seconds=i * step_s)
        level = 101.0 if 4 <= (at - begin) / timedelta(hours=1) < 5 else 76.0
        local = at.astimezone(VIENNA)
        text = {
            "utc": at.strftime("%Y-%m-%dT%H:%M:%SZ"),
            "offset": local.isoformat(),
            "short": local.strftime("%Y-%m-%d %H:%M:%S") + local.strftime("%z")[:3],
            "wall": local.strftime("%Y-%m-%d %H:%M:%S"),
            "day first": local.strftime("%d.%m.%Y %H:%M"),
        }[form]
        rows.append(f"{text};{level}")
    return ("\n".join(rows) + "\n").encode()


def read_noise(data: bytes, offset_min: int = 0) -> Recording:
    return csv_file.read(data, "noise", KINDS["noise"].channels, Layout(utc_offset_min=offset_min))


class SameInstants(unittest.TestCase):
    def test_any_way_of_writing_them_gives_the_same_samples(self) -> None:
        for change in (END, START):
            begin = change - timedelta(hours=4)
            summer = 120 if change is END else 60
            true = read_noise(noise_file(begin, 8, "utc"))
            self.assertEqual(len(true.channels["leq.1"].values), 480)
            for form in ("offset", "short", "wall", "day first"):
                with self.subTest(change=change.date(), form=form):
                    found = read_noise(noise_file(begin, 8, form), summer)
                    self.assertEqual((found.start, found.utc_offset_min), (true.start, summer))
                    np.testing.assert_array_equal(found.channels["leq.1"].values, true.channels["leq.1"].values)
                    [event] = [e for e in found.events if e.code == "utc-offset"]
                    self.assertEqual((event.at_s, event.data["utc_offset_min"]), (4 * 3600, 180 - summer))
                    self.assertEqual(clock_words(found, 5 * 3600), "03:00" if change is END else "04:00")
                    if form in ("wall", "day first"):
                        self.assertIn("summer time", str(found.recorder["notes"]))

    def test_an_excess_is_not_lost(self) -> None:
        # 101 dB for one of eight hours: LEX = 101 - 9.03 = 92.0
        for form in ("utc", "offset", "wall"):
            made = read_noise(noise_file(END - timedelta(hours=4), 8, form), 0 if form == "utc" else 120)
            [limits, *_] = KINDS["noise"].limit_sets
            found = KINDS["noise"].assess(made, Review(), limits).reviewed
            self.assertAlmostEqual(found.figure("lex8h").value, 92.06, delta=0.05)
            self.assertEqual(found.quality.coverage, 1.0)

    def test_two_quick_rows_and_slow_rows_alike(self) -> None:
        text = "time;LAeq\n2026-10-25T02:59:00+02:00;80\n2026-10-25T02:00:00+01:00;81\n2026-10-25T02:01:00+01:00;82\n"
        made = read_noise(text.encode())
        self.assertEqual(made.channels["leq.1"].values.tolist(), [80, 81, 82])

    def test_a_row_without_an_offset_among_others_takes_the_one_before(self) -> None:
        text = "time;LAeq\n2026-11-18T06:00:00+01:00;80\n2026-11-18 06:00:01;81\n2026-11-18T06:00:02+01:00;82\n"
        made = read_noise(text.encode())
        self.assertEqual(made.channels["leq.1"].values.tolist(), [80, 81, 82])
        self.assertIn("1 rows carry no offset", str(made.recorder["notes"]))


class Readings(unittest.TestCase):
    def test_cuff_readings_fall_into_the_right_period(self) -> None:
        kind = KINDS["blood_pressure"]
        begin = END - timedelta(hours=11)  # 16:00 local
        for form in ("offset", "wall"):
            rows = ["time;sys;dia"]
            for i in range(48):
                local = (begin + timedelta(minutes=30 * i)).astimezone(VIENNA)
                night = local.hour >= 22 or local.hour < 6
                text = local.isoformat() if form == "offset" else local.strftime("%Y-%m-%d %H:%M")
                rows.append(f"{text};{100 if night else 140};{60 if night else 90}")
            made = csv_file.read(
                ("\n".join(rows) + "\n").encode(),
                "blood_pressure",
                kind.channels,
                Layout(utc_offset_min=120),
                kind.readings,
            )
            with self.subTest(form=form):
                self.assertEqual([e.at_s for e in made.events if e.code == "reading"], [1800.0 * i for i in range(48)])
                self.assertEqual([e.at_s for e in made.events if e.code == "utc-offset"], [11 * 3600])
                set_up = Recording(
                    made.kind,
                    made.start,
                    made.utc_offset_min,
                    {},
                    made.events,
                    {"awake_from": "06:00", "asleep_from": "22:00"},
                )
                found = kind.assess(set_up, Review(), kind.limit_sets[0]).reviewed
                self.assertEqual(found.figure("asleep.systolic.mean").value, 100)
                self.assertEqual(found.figure("awake.systolic.mean").value, 140)


class OwnExport(unittest.TestCase):
    def test_a_night_with_a_change_comes_back(self) -> None:
        event = Event(3600.0, "utc-offset", "", {"utc_offset_min": 60})
        values = np.arange(7200.0) % 50 + 60
        made = Recording(
            "noise",
            END.timestamp() - 3600,
            120,
            {"leq.1": Channel("leq.1", "Level", "dB(A)", 1.0, values)},
            (event,),
        )
        again = read_noise(csv_file.write(made))
        self.assertEqual((again.start, again.utc_offset_min), (made.start, 120))
        np.testing.assert_array_equal(again.channels["leq.1"].values, values)
        self.assertEqual([(e.at_s, e.data["utc_offset_min"]) for e in again.events], [(3600.0, 60)])


class Followed(unittest.TestCase):
    def test_an_hour_is_missing_on_an_ordinary_day(self) -> None:
        noon = datetime(2026, 11, 18, 1, 0, tzinfo=UTC).timestamp()
        wall = noon + np.concatenate((np.arange(0, 3600, 60.0), np.arange(7200, 10_800, 60.0)))
        offsets, notes = followed(wall, 60, True)
        self.assertEqual((set(offsets.tolist()), notes), ({60.0}, []))

    def test_one_displaced_row_is_no_change(self) -> None:
        base = datetime(2026, 11, 18, 10, 0, tzinfo=UTC).timestamp()
        wall = base + np.array([0.0, 60, 3660, 120, 180, 240])
        self.assertEqual(set(followed(wall, 0, True)[0].tolist()), {0.0})

    def test_a_step_of_less_than_an_hour_is_none(self) -> None:
        self.assertEqual(set(followed(np.array([0.0, 60, 30, 90]), 0, False)[0].tolist()), {0.0})

    def test_hourly_rows_repeat_their_time(self) -> None:
        wall = np.array([END.timestamp() + 3600 * h for h in (-1, 0, 1, 1, 2, 3)])  # 02:00 twice
        offsets, notes = followed(wall, 120, True)
        self.assertEqual(offsets.tolist(), [120, 120, 120, 60, 60, 60], notes)
        ordinary = wall - 4 * 86_400.0
        self.assertEqual(set(followed(ordinary, 120, True)[0].tolist()), {120.0})

    def test_a_year_has_both_changes(self) -> None:
        at = [datetime(2026, 6, 1, tzinfo=UTC) + timedelta(hours=h) for h in range(24 * 365)]
        wall = np.array([t.astimezone(VIENNA).replace(tzinfo=UTC).timestamp() for t in at])
        found = in_utc(Stamps(wall, True, np.full(len(wall), np.nan)), 120)
        np.testing.assert_array_equal(found.seconds, [t.timestamp() for t in at])
        self.assertEqual([m for _, m in found.changes], [60, 120])

    def test_a_clock_without_a_date(self) -> None:
        text = "time;LAeq\n02:58:00;80\n02:59:00;81\n02:00:00;82\n02:01:00;83\n02:02:00;84\n"
        self.assertEqual(read_noise(text.encode()).channels["leq.1"].values.tolist(), [80, 81, 82, 83, 84])


if __name__ == "__main__":
    unittest.main()
