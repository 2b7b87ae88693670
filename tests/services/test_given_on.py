"""A session given on: every recorded point bit for bit, the places where it began and ended left out, annotations in EDF+."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import edfio
import numpy as np
import pyedflib

from kumpel.core.geo import geodesic_m
from kumpel.core.hidden_ends import without_ends
from kumpel.core.recording import Recording
from kumpel.formats import edf, gpx, krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures
from kumpel.services.ground.decisions import Wish
from kumpel.services.report import exports
from kumpel.services.review import deciding
from kumpel.standins import jaw_muscle_signal, resuscitation_signal, training_signal
from kumpel.store.tables import Session
from tests.support import DatabaseTest


def positions(recording: Recording) -> dict[str, np.ndarray]:
    """Every point of a course with its height, wherever it is kept."""
    of = recording.points.columns if recording.points else {k: c.values for k, c in recording.channels.items()}
    known = ~np.isnan(of["lat"])
    return {key: of[key][known] for key in ("lat", "lon", "altitude")}


class GivenOn(DatabaseTest):
    def given(self, session_id: int, form: exports.Form, without_m: float = 0.0) -> Path:
        name, path = exports.write(self.db, session_id, form, None, without_m)
        self.addCleanup(exports.remove, path)
        self.assertTrue(name.endswith(f".{form}"))
        return path

    def recorded(self, file: bytes) -> Session:
        """A course as it came from a file of another program."""
        made = replace(gpx.read(file, "training"), recorder={"serial": "TW-0009"})
        return self.stored(krec.write_recording(made), self.person("Lovise Dahlen"))

    def test_points_of_a_course_come_out_bit_for_bit(self) -> None:
        made = training_signal.make(training_signal.usual_session(4)).recording
        row = self.recorded(gpx.write(made))
        again = gpx.read(self.given(row.id or 0, "gpx").read_bytes(), "training")
        known = ~np.isnan(made.channels["lat"].values)
        for key, found in positions(again).items():
            wanted = made.channels[key].values[known]
            # Heights are kept in single precision, places are not.
            kept = np.float32 if key == "altitude" else np.float64
            np.testing.assert_array_equal(found.astype(kept), wanted.astype(kept))

    def test_without_three_hundred_metres_around_start_and_end(self) -> None:
        made = training_signal.make(training_signal.usual_session(4)).recording
        row = self.recorded(gpx.write(made))
        hidden = gpx.read(self.given(row.id or 0, "gpx", 300.0).read_bytes(), "training")
        lat, lon, _ = positions(hidden).values()
        known = np.flatnonzero(~np.isnan(made.channels["lat"].values))
        for i in (known[0], known[-1]):
            ends = [np.full(len(lat), made.channels[key].values[i]) for key in ("lat", "lon")]
            self.assertGreater(float(geodesic_m(lat, lon, *ends).min()), 300.0)
        self.assertGreater(len(lat), 500)
        even = without_ends(made, 300.0)
        self.assertEqual(int(np.count_nonzero(~np.isnan(even.channels["lat"].values))), len(lat))

    def test_what_lies_all_near_its_start_has_no_course_left_and_says_so(self) -> None:
        made = training_signal.make(training_signal.usual_session(4)).recording
        row = self.recorded(gpx.write(made))
        with self.assertRaisesRegex(Exception, "no positions"):
            exports.write(self.db, row.id or 0, "gpx", None, 90_000.0)

    def test_events_are_annotations_of_edf_and_come_back(self) -> None:
        made = resuscitation_signal.make(resuscitation_signal.usual_resuscitation(3)).recording
        row = self.stored(krec.write_recording(replace(made, recorder={"serial": "RD-0001"})))
        again = edf.read(self.given(row.id or 0, "edf").read_bytes(), "resuscitation")
        shocks = [event.at_s for event in made.events if event.code == "shock"]
        found = [event.at_s for event in again.events if "shock delivered" in event.text]
        np.testing.assert_allclose(found, shocks, atol=0.001)

    def test_episodes_that_were_found_are_annotations_that_two_libraries_read(self) -> None:
        """With their onset and length; one that was left out is none. Read again they are no figures of ours, but stand beside."""
        night = jaw_muscle_signal.Night(3, 700.0, 0.002, jaw_muscle_signal.usual_groups(3, 700.0, 60))
        row = self.stored(krec.write_recording(jaw_muscle_signal.make(night).recording))
        outcome = figures.outcome(self.db, row.id or 0)
        assert outcome is not None
        first = next(e for e in outcome.both.reviewed.events if e.code.startswith(("left.", "right.")))
        deciding.decide(self.db, row.id or 0, 0, [Wish("dropped", first.key, reason="swallowing")])
        outcome = figures.outcome(self.db, row.id or 0)
        assert outcome is not None
        said = [(e.at_s, e.end_s - e.at_s, e.code) for e in outcome.both.reviewed.events if e.kept]
        self.assertGreater(len(said), 10)
        path = self.given(row.id or 0, "edf")
        one = [(a.onset, a.duration or 0.0, a.text.partition(": ")[0]) for a in edfio.read_edf(path).annotations]
        with pyedflib.EdfReader(str(path)) as reader:
            onsets, lengths, texts = reader.readAnnotations()
        other = list(zip(onsets, lengths, [text.partition(": ")[0] for text in texts], strict=True))
        for found in (one, other):
            mine = [
                (at, length, code.removeprefix("found.")) for at, length, code in found if code.startswith("found.")
            ]
            self.assertEqual([code for *_, code in mine], [code for *_, code in said])
            np.testing.assert_allclose([row[:2] for row in mine], [row[:2] for row in said], atol=0.001)
        self.assertNotIn(round(first.at_s, 3), [round(at, 3) for at, *_ in one])
        again = edf.read(path.read_bytes(), "jaw_muscle", KINDS["jaw_muscle"].channels)
        second = self.stored(krec.write_recording(replace(again, recorder={"serial": "JM-0002"})))
        both = figures.outcome(self.db, second.id or 0)
        assert both is not None
        self.assertEqual(
            len([e for e in both.both.reviewed.events if e.kept]), len(said) + 1, "the dropped one is back"
        )

    def test_a_span_hides_the_ends_of_the_session_not_its_own(self) -> None:
        """The middle third of a loop: it begins and ends far from where the session did, so that nothing of it is left out."""
        made = training_signal.make(training_signal.usual_session(4)).recording
        row = self.recorded(gpx.write(made))
        span = made.length_s / 3, 2 * made.length_s / 3
        found = []
        for without_m in (0.0, 300.0):
            name, path = exports.write(self.db, row.id or 0, "gpx", span, without_m)
            self.addCleanup(exports.remove, path)
            self.assertIn("-", name)
            found.append(len(positions(gpx.read(path.read_bytes(), "training"))["lat"]))
        self.assertEqual(found[0], found[1])
        self.assertGreater(found[0], 500)
