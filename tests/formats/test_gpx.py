"""GPX 1.1 in and out, against a second library; extension fields, gaps, wrong files."""

import unittest
from datetime import UTC, datetime, timedelta

import gpxpy
import gpxpy.gpx
import numpy as np

from kumpel.core.recording import Channel, Event, Recording
from kumpel.formats import gpx
from kumpel.formats.gpx import GpxError
from kumpel.standins.training_signal import Session, make


class BothDirections(unittest.TestCase):
    def test_written_is_read_by_another_library(self) -> None:
        made = make(Session(no_position_s=((100.0, 120.0),), no_heart_rate_s=((50.0, 60.0),))).recording
        other = gpxpy.parse(gpx.write(made).decode())
        points = [p for s in other.tracks[0].segments for p in s.points]
        self.assertEqual(len(points), 2100 - 20)
        self.assertEqual(len(other.tracks[0].segments), 4)  # three legs, and the gap
        lat = made.channels["lat"].values
        self.assertAlmostEqual(points[50].latitude, lat[50], places=7)
        self.assertEqual(points[50].time, datetime.fromtimestamp(made.start + 50, UTC))
        tags = {e.tag.rpartition("}")[2] for e in points[200].extensions[0]}
        self.assertEqual(tags, {"hr", "cad", "speed"})
        self.assertNotIn("hr", {e.tag.rpartition("}")[2] for e in points[55].extensions[0]})

    def test_what_another_library_writes_is_read(self) -> None:
        other = gpxpy.gpx.GPX()
        track = gpxpy.gpx.GPXTrack()
        begin = datetime(2026, 11, 18, 6, 0, tzinfo=UTC)
        for part in range(2):
            segment = gpxpy.gpx.GPXTrackSegment()
            for i in range(30):
                segment.points.append(
                    gpxpy.gpx.GPXTrackPoint(
                        47.6 + i * 1e-5 + part * 3e-4,
                        13.8,
                        elevation=600 + i,
                        time=begin + timedelta(seconds=part * 40 + i),
                    )
                )
            track.segments.append(segment)
        other.tracks.append(track)
        found = gpx.read(other.to_xml().encode(), "training")
        self.assertEqual(found.start, begin.timestamp())
        self.assertEqual(len(found.channels["lat"].values), 70)
        self.assertEqual(int(np.isnan(found.channels["lat"].values).sum()), 10)
        self.assertEqual([(e.at_s, e.code) for e in found.events], [(40.0, "interval")])
        self.assertEqual(found.channels["altitude"].values[5], 605)

    def test_there_and_back(self) -> None:
        made = make(Session()).recording
        again = gpx.read(gpx.write(made), "training")
        for key, atol in (("lat", 1e-8), ("lon", 1e-8), ("heart_rate", 0), ("altitude", 0.01), ("speed", 1e-5)):
            np.testing.assert_allclose(again.channels[key].values, made.channels[key].values, atol=atol)
        self.assertEqual([e.at_s for e in again.events], [e.at_s for e in made.events])

    def test_ten_points_a_second(self) -> None:
        n = 200
        channels = {
            k: Channel(k, k, "deg", 0.1, v) for k, v in (("lat", 47 + np.arange(n) * 1e-6), ("lon", np.full(n, 13.0)))
        }
        again = gpx.read(gpx.write(Recording("vehicle", 1_795_000_000.0, 0, channels)), "vehicle")
        self.assertAlmostEqual(again.channels["lat"].interval_s, 0.1)
        self.assertEqual(len(again.channels["lat"].values), n)

    def test_no_positions(self) -> None:
        with self.assertRaisesRegex(ValueError, "no positions"):
            gpx.write(Recording("training", 0.0, 0, {}, (Event(1, "x"),)))


class Fields(unittest.TestCase):
    def text(
        self, inner: str, root: str = 'gpx xmlns="http://www.topografix.com/GPX/1/1" xmlns:q="urn:other"'
    ) -> bytes:
        points = "".join(
            f'<trkpt lat="47.{i}" lon="13"><time>2026-11-18T06:00:0{i}Z</time>{inner}</trkpt>' for i in range(3)
        )
        return f"<?xml version='1.0'?><{root}><trk><trkseg>{points}</trkseg></trk></{root.split()[0]}>".encode()

    def test_any_namespace_and_a_rate_of_zero(self) -> None:
        found = gpx.read(self.text("<extensions><q:a><q:hr>141</q:hr><q:cad>80</q:cad></q:a></extensions>"), "training")
        self.assertEqual(found.channels["heart_rate"].values.tolist(), [141] * 3)
        self.assertNotIn(
            "heart_rate", gpx.read(self.text("<extensions><q:hr>0</q:hr></extensions>"), "training").channels
        )

    def test_wrong_files(self) -> None:
        good = self.text("")
        bomb = b'<!DOCTYPE gpx [<!ENTITY a "aaaa">]><gpx><trk>&a;</trk></gpx>'
        for data, words in (
            (b"", "line 1"),
            (b"<gpx><trk>", "line 1, column"),
            (b"<kml></kml>", "root is “kml”"),
            (b"<gpx></gpx>", "no track point"),
            (bomb, "entities"),
            (good.replace(b"06:00:01Z", b"soon"), "track point 2: the time"),
            (good.replace(b'lat="47.1"', b'lat="north"'), "track point 2: latitude"),
            (good.replace(b'lat="47.1"', b'lat="147.1"'), "no place on the earth"),
            (b"<gpx><trk><trkseg><trkpt lat='1' lon='2'/></trkseg></trk></gpx>", "carry no time"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(GpxError, words):
                gpx.read(data, "training")


if __name__ == "__main__":
    unittest.main()
