"""What must hold for every kind: settings, limits, report; and assessments of recordings that nobody wants."""

import json
import math
import re
import tempfile
import tracemalloc
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from pydantic import BaseModel

from kumpel.config import ROOT
from kumpel.core.assessment import BothWays, Rule, Step, Verdict
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.samples import BlockSamples, DecodedBlocks
from kumpel.formats import edf_write, files, krec
from kumpel.kinds.registry import KINDS, today
from kumpel.kinds.setup_fields import at_path
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.made import Made
from kumpel.standins.signals import SIGNALS

COUNTS = ("tries", "valid", "alarms", "stretches", "shocks", "compressions", "laps", "measured", "unlogged", "above_", "time", "elapsed", "moving", "distance", "peaks_", "contractions", "dose", "count", "strokes", "t90", "t88", "odi", "pulse_rises", "beyond.")  # fmt: skip


def made(kind: str, seed: int = 2) -> Made:
    if kind == "jaw_muscle":
        return make_night(Night(seed, 600.0, groups=usual_groups(seed, 600.0, 40)))
    return SIGNALS[kind](seed)


def assess(recording: Recording, review: Review | None = None) -> BothWays:
    kind = KINDS[recording.kind]
    return kind.assess(recording, review or Review(), kind.limit_sets[0])


def with_values(recording: Recording, change: object) -> Recording:
    channels = {k: replace(c, samples=np.asarray(change(c), dtype=np.float64)) for k, c in recording.channels.items()}
    return replace(recording, channels=channels)


class Registry(unittest.TestCase):
    def test_settings_of_every_library_come_back_and_every_field_leads_somewhere(self) -> None:
        for kind in KINDS.values():
            for name, setup in kind.setup_library.items():
                with self.subTest(kind=kind.key, setup=name):
                    self.assertIsInstance(setup, BaseModel)
                    self.assertEqual(kind.setup_model.model_validate(json.loads(setup.model_dump_json())), setup)
                    settings = setup.model_dump(mode="json")
                    fields = kind.fields(setup)
                    self.assertEqual(len({f.path for f in fields}), len(fields))
                    self.assertEqual(len({f.label for f in fields}), len(fields))
                    for field in fields:
                        parent, _, last = field.path.rpartition(".")
                        holder = at_path(settings, parent) if parent else settings
                        self.assertTrue(int(last) < len(holder) if isinstance(holder, list) else last in holder)

    def test_every_library_setup_is_understood_by_the_assessment(self) -> None:
        for kind in KINDS.values():
            recording = made(kind.key).recording
            for name, setup in kind.setup_library.items():
                with self.subTest(kind=kind.key, setup=name):
                    assess(replace(recording, setup=setup.model_dump(mode="json")))

    def test_every_rule_is_about_a_figure_that_the_kind_has(self) -> None:
        for kind in KINDS.values():
            for limits in kind.limit_sets:
                recording = made(kind.key).recording
                found = kind.assess(recording, Review(), limits).reviewed
                keys = {f.key for f in found.figures}
                for judgement in found.judgements:
                    with self.subTest(kind=kind.key, limits=limits.key, figure=judgement.figure):
                        self.assertIn(judgement.figure, keys)
                        self.assertTrue(judgement.words)

    def test_what_is_listed_and_followed_are_figures_that_the_kind_has(self) -> None:
        for key, kind in KINDS.items():
            have = {f.key for f in assess(made(key).recording).reviewed.figures}
            with self.subTest(kind=key):
                self.assertTrue(kind.registers and kind.trends)
                self.assertLessEqual({f.figure for f in (*kind.registers, *kind.trends)}, have)

    def test_a_check_that_failed_makes_the_finding_that_its_word_names(self) -> None:
        """Each check that is judged, spoilt in a recording of the generator: the finding is there, and was not before."""
        spoil: dict[str, dict[str, object]] = {
            "check-after": {"read_db": 119.0},
            "zero-check": {"passed": False},
            "bump-test": {"passed": False},
            "calibration": {"passed": False},
        }
        for key, kind in KINDS.items():
            for word in kind.checks:
                if not word.judged_by:
                    continue
                recording = made(key).recording
                if word.code == "check-after":
                    read = {"applied_db": 114.0, "read_db": 114.1}
                    both = (Event(0.0, "check-before", "", read), Event(recording.length_s, "check-after", "", read))
                    recording = replace(recording, events=(*recording.events, *both))
                other = {"calibration": "bump-test"}.get(word.code, word.code)
                good = next(e for e in recording.events if e.code in (word.code, other))
                bad = replace(good, code=word.code, data={**good.data, **spoil[word.code]})
                sensor = f".{good.data[word.sensor_in]}" if word.sensor_in else ""
                spoilt = replace(recording, events=(*(e for e in recording.events if e is not good), bad))
                codes = [{f.code for f in assess(r).reviewed.quality.findings} for r in (recording, spoilt)]
                with self.subTest(kind=key, check=word.code):
                    self.assertNotIn(word.judged_by + sensor, codes[0])
                    self.assertIn(word.judged_by + sensor, codes[1])

    def test_channels_of_the_generator_are_known_by_name_and_unit(self) -> None:
        for kind in KINDS.values():
            known = {w.key: w.unit for w in kind.channels}
            for key, channel in made(kind.key).recording.channels.items():
                if kind.key == "noise" and key.startswith(("max.2", "max.3")):
                    continue
                with self.subTest(kind=kind.key, channel=key):
                    # Levels of the second and third set-up have any weighting.
                    self.assertIn(known.get(key), (channel.unit, channel.unit.partition("(")[0]))


class Renamed(unittest.TestCase):
    def test_files_that_say_an_older_name_are_read(self) -> None:
        words = files.words_of(KINDS.values())
        for kind in KINDS.values():
            for old in kind.was:
                self.assertEqual(today(old), kind.key)
                recording = replace(made(kind.key).recording, kind=old)
                with tempfile.TemporaryDirectory() as folder:
                    for name, data in (
                        ("a.krec", krec.write_recording(recording)),
                        ("a.edf", edf_write.write(recording)),
                    ):
                        path = Path(folder) / name
                        path.write_bytes(data)
                        again = files.read(path, words)
                        self.assertEqual(again.kind, kind.key, name)
                        found = kind.assess(
                            replace(again, setup=recording.setup), Review(), kind.limit_sets[0]
                        ).reviewed
                        self.assertTrue(any(f.value == f.value for f in found.figures))
        self.assertTrue(any(kind.was for kind in KINDS.values()))


class Options(unittest.TestCase):
    def test_the_options_that_a_kind_declares_are_those_that_its_core_reads(self) -> None:
        for kind in KINDS.values():
            source = "".join(p.read_text() for p in (ROOT / "src/kumpel/core" / kind.key).glob("*.py"))
            read = re.findall(r'review\.(?:number|options\.get)\(\s*"(\w+)"', source)
            self.assertEqual(set(read), set(kind.options), kind.key)


def in_blocks(recording: Recording, size: int = 4_096) -> Recording:
    """The same recording, its samples to be had in blocks alone."""

    def split(channel: Channel) -> Channel:
        values = channel.values
        samples = BlockSamples(
            range(0, len(values), size),
            len(values),
            lambda number: values[number * size : (number + 1) * size].copy(),
            object(),
            DecodedBlocks(8 * size),
        )
        return replace(channel, samples=samples)

    return replace(recording, channels={k: split(c) for k, c in recording.channels.items()})


class SameWhereverTheSamplesAre(unittest.TestCase):
    def test_from_blocks_as_from_arrays(self) -> None:
        for kind in KINDS:
            recording = made(kind).recording
            with self.subTest(kind=kind):
                self.assertEqual(repr(assess(recording)), repr(assess(in_blocks(recording))))

    def test_what_is_kept_with_a_recording_depends_on_no_decision(self) -> None:
        """Assessed after others, on the same recording, as on one that was never assessed."""
        for kind in KINDS.values():
            recording = made(kind.key).recording
            length = recording.length_s
            reviews = [
                Review(left_out=(Stretch(length / 4, length / 2, "x"),)),
                Review(asleep=(Stretch(length / 3, length / 2, "asleep"),)),
                *(
                    Review(options={d.key: value})
                    for d in kind.decisions
                    for value in ([c for c, _ in d.choices] if d.choices else [d.low, d.high])
                    if value is not None and d.key in kind.options
                ),
            ]
            for review in [*reviews, Review()]:
                with self.subTest(kind=kind.key, review=review):
                    self.assertEqual(outcome(recording, review), outcome(replace(recording), review))


def outcome(recording: Recording, review: Review) -> str:
    try:
        return repr(assess(recording, review))
    except ValueError as error:
        return str(error)


class Shape(unittest.TestCase):
    def test_figures_say_what_they_rest_on(self) -> None:
        for kind in KINDS:
            found = assess(made(kind).recording).reviewed
            keys = [f.key for f in found.figures]
            self.assertEqual(len(set(keys)), len(keys), kind)
            for figure in found.figures:
                with self.subTest(kind=kind, figure=figure.key):
                    self.assertTrue(0 <= figure.coverage <= 1.000001)
                    self.assertTrue(figure.why.formula and figure.why.source and figure.name)
                    self.assertTrue(math.isfinite(figure.value) or figure.note)
            self.assertTrue(set(found.key_figures) <= set(keys) and found.key_figures, kind)
            for table in found.tables:
                for row in table.rows:
                    self.assertEqual(len(row), len(table.columns), f"{kind} {table.key}")

    def test_without_decisions_both_ways_are_the_same(self) -> None:
        for kind in KINDS:
            both = assess(made(kind).recording)
            self.assertEqual((both.recorded.basis, both.reviewed.basis), ("as recorded", "as reviewed"))
            for a, b in zip(both.recorded.figures, both.reviewed.figures, strict=True):
                self.assertEqual(repr(a), repr(b), kind)

    def test_a_decision_moves_only_the_reviewed_one(self) -> None:
        for kind in KINDS:
            recording = made(kind).recording
            out = Review(left_out=(Stretch(0, recording.length_s * 0.4, "bench"),))
            both, plain = assess(recording, out), assess(recording)
            self.assertEqual(repr(both.recorded.figures), repr(plain.recorded.figures), kind)
            self.assertNotEqual(repr(both.reviewed.figures), repr(both.recorded.figures), kind)

    def test_reports_hold_every_part(self) -> None:
        for kind in KINDS.values():
            recording = made(kind.key).recording
            parts = kind.report(recording, Review(), assess(recording), kind.limit_sets[0], [*kind.report_parts])
            self.assertGreaterEqual(len(parts), 4, kind.key)


class Spoilt(unittest.TestCase):
    """A channel that is missing for most of the time, one after the other, in every kind."""

    SAID_OTHERWISE = ("blood_pressure.activity",)  # sleep is then taken from the setup, and "sleep-source" says so

    def test_no_figure_that_moved_is_called_within(self) -> None:
        for key, kind in KINDS.items():
            recording = made(key).recording
            plain = assess(recording).reviewed
            own = {j.figure for j in plain.judgements}
            more = [
                Rule(f.key, f.name, f.unit, (Step(1e12, Verdict.ABOVE, "never"),))
                for f in plain.figures
                if f.key not in own
            ]
            limits = replace(kind.limit_sets[0], rules=(*kind.limit_sets[0].rules, *more))
            for channel in recording.channels.values():
                if f"{key}.{channel.key}".startswith(self.SAID_OTHERWISE):
                    continue
                values = channel.values.copy()
                # An electrode that is off gives a flat line, other sensors nothing.
                values[len(values) // 20 :] = 0.0 if key == "jaw_muscle" else math.nan
                spoilt = replace(
                    recording, channels={**recording.channels, channel.key: replace(channel, samples=values)}
                )
                found = kind.assess(spoilt, Review(), limits).reviewed
                for judged in found.judgements:
                    before, after = plain.figure(judged.figure), found.figure(judged.figure)
                    # The time of a lap without a measured speed is between positions: it is good for a hundredth, a spread for two.
                    good_for = 0.02 if key == "vehicle" and before.unit == "s" else 0.0
                    moved = not math.isclose(before.value, after.value, rel_tol=0.02, abs_tol=good_for)
                    with self.subTest(kind=key, channel=channel.key, figure=judged.figure):
                        self.assertFalse(
                            moved and judged.verdict is Verdict.WITHIN, f"{before.value} became {after.value}"
                        )


class Unwanted(unittest.TestCase):
    def check(self, recording: Recording, what: str) -> None:
        """It ends, and not with a verdict of "within" on nothing; or it is refused with a sentence."""
        try:
            found = assess(recording).reviewed
        except ValueError as error:
            self.assertGreater(len(str(error)), 20)
            return
        self.assertIsNot(found.verdict, Verdict.WITHIN, f"{recording.kind} {what}")
        for figure in found.figures:
            if figure.value == 0 and not any(c in figure.key for c in COUNTS):
                self.fail(f"{recording.kind} {what}: {figure.key} is 0")

    def test_nothing_measured(self) -> None:
        for kind in KINDS:
            recording = replace(made(kind).recording, events=())
            self.check(with_values(recording, lambda c: np.full(len(c.values), np.nan)), "all nan")
            self.check(with_values(recording, lambda c: c.values[:0]), "empty")
            self.check(with_values(recording, lambda c: c.values[:1]), "one sample")
            self.check(replace(recording, channels={}), "no channel")

    def test_everything_left_out(self) -> None:
        for kind in KINDS:
            recording = made(kind).recording
            found = assess(recording, Review(left_out=(Stretch(-1, recording.length_s + 10, "all"),))).reviewed
            self.assertIsNot(found.verdict, Verdict.WITHIN, kind)

    def test_strange_values_end_in_an_answer(self) -> None:
        rng = np.random.default_rng(1)
        changes = {
            "constant": lambda c: np.full(len(c.values), 5.0),
            "zero": lambda c: np.zeros(len(c.values)),
            "huge": lambda c: c.values * 1e6,
            "negative": lambda c: -np.abs(c.values),
            "noise": lambda c: rng.normal(0, 100, len(c.values)),
            "every other missing": lambda c: np.where(np.arange(len(c.values)) % 2, np.nan, c.values),
            "random gaps": lambda c: np.where(rng.random(len(c.values)) < 0.3, np.nan, c.values),
            "half a recording": lambda c: c.values[: len(c.values) // 2],
        }
        for kind in KINDS:
            recording = made(kind).recording
            for name, change in changes.items():
                with self.subTest(kind=kind, change=name):
                    try:
                        found = assess(with_values(recording, change)).reviewed
                    except ValueError as error:
                        self.assertGreater(len(str(error)), 20)
                    else:
                        self.assertIn(found.verdict, list(Verdict))

    def test_extreme_rates(self) -> None:
        for kind in KINDS:
            recording = made(kind).recording
            for factor in (0.01, 50.0):
                channels = {
                    k: replace(c, interval_s=c.interval_s * factor, samples=c.values[:20_000])
                    for k, c in recording.channels.items()
                }
                with self.subTest(kind=kind, factor=factor):
                    try:
                        assess(replace(recording, channels=channels))
                    except ValueError as error:
                        self.assertGreater(len(str(error)), 20)

    def test_fifty_two_hours(self) -> None:
        for kind in KINDS:
            recording = made(kind).recording
            if min((c.interval_s for c in recording.channels.values()), default=1.0) < 0.5:
                continue
            found = assess(
                with_values(recording, lambda c: np.resize(c.values, round(52 * 3600 / c.interval_s)))
            ).reviewed
            self.assertIn(found.verdict, list(Verdict), kind)

    def test_events_of_nonsense(self) -> None:
        odd = tuple(
            Event(
                at,
                code,
                "?",
                {
                    "gas": 3,
                    "depth_mm": "deep",
                    "systolic": None,
                    "applied": "x",
                    "length_s": -5,
                    "passed": "no",
                    "utc_offset_min": "x",
                },
            )
            for at in (-50.0, 0.0, 1e9)
            for code in (
                "reading",
                "compression",
                "shock",
                "stroke",
                "interval",
                "beacon",
                "run",
                "zero-check",
                "bump-test",
                "calibration",
                "alarm",
                "check-before",
                "utc-offset",
            )
        )
        for kind in KINDS:
            recording = made(kind).recording
            with self.subTest(kind=kind):
                try:
                    assess(replace(recording, events=(*recording.events, *odd)))
                except ValueError as error:
                    self.assertGreater(len(str(error)), 20)

    def test_settings_of_nonsense_are_refused_with_the_field(self) -> None:
        wrong = {
            "run_length_min": "long",
            "factor": "x",
            "interval_awake_min": None,
            "asleep_from": "99:99",
            "awake_from": "01:00",
            "sensors": [{"gas": "co", "low": "x"}],
            "courses": [{"name": "x"}],
            "zones": {"by": "x"},
            "threshold_percent": "x",
            "weightings": [{"threshold_db": "x"}],
        }
        for kind in KINDS:
            with self.subTest(kind=kind):
                try:
                    assess(replace(made(kind).recording, setup=wrong))
                except ValueError as error:
                    self.assertGreater(len(str(error)), 20)


class Memory(unittest.TestCase):
    def test_below_three_times_the_input(self) -> None:
        for kind in KINDS:
            recording = made(kind).recording
            times = max(1, 4_000_000 // max(sum(c.values.nbytes for c in recording.channels.values()), 1))
            recording = with_values(recording, lambda c, times=times: np.tile(c.values, times + 1))
            size = sum(c.values.nbytes for c in recording.channels.values())
            assess(recording)
            tracemalloc.start()
            assess(recording)
            peak = tracemalloc.get_traced_memory()[1]
            tracemalloc.stop()
            with self.subTest(kind=kind, input_mb=size / 1e6):
                self.assertLess(peak / size, 3.0)


class Untouched(unittest.TestCase):
    def test_an_assessment_leaves_the_samples_as_they_were(self) -> None:
        for kind in KINDS:
            recording = made(kind).recording
            before = {k: c.values.copy() for k, c in recording.channels.items()}
            assess(recording, Review(left_out=(Stretch(10, 60, "x"),)))
            for key, values in before.items():
                np.testing.assert_array_equal(recording.channels[key].values, values, f"{kind} {key}")

    def test_samples_that_cannot_be_written_to_are_enough(self) -> None:
        for kind in KINDS:
            recording = made(kind).recording
            for channel in recording.channels.values():
                channel.values.flags.writeable = False
            assess(recording)


class Channels(unittest.TestCase):
    def test_a_wrong_unit_is_named(self) -> None:
        main = {
            "gas": "co.avg",
            "dust": "mass",
            "oximetry": "spo2",
            "jaw_muscle": "emg.left",
            "training": "heart_rate",
            "vehicle": "speed",
            "resuscitation": "ecg",
        }
        for kind, key in main.items():
            recording = made(kind).recording
            wrong = {**recording.channels, key: replace(recording.channels[key], unit="furlong")}
            with self.subTest(kind=kind), self.assertRaisesRegex(ValueError, "furlong"):
                assess(replace(recording, channels=wrong))

    def test_an_interval_that_is_none(self) -> None:
        with self.assertRaisesRegex(ValueError, "interval"):
            Channel("a", "A", "", 0.0, np.zeros(1))


if __name__ == "__main__":
    unittest.main()
