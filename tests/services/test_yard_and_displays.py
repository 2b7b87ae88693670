"""Vehicles, courses and displays: registers, what of them goes onto a recorder, and what comes back with a recording."""

import base64
import math
import tempfile
import time
from pathlib import Path

from sqlmodel import select

from kumpel.core.geo import plane_of
from kumpel.core.vehicle import courses as core
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.formats import gpx_line
from kumpel.link.client import RecorderLink
from kumpel.link.discovery import Announcement
from kumpel.services.ground import figures
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.hand_out import drafts, hand_out
from kumpel.services.recorders import bays, displays, recorders
from kumpel.services.take_in import take_in
from kumpel.services.yard import course_register, vehicles
from kumpel.store import database
from kumpel.store.tables import Recorder, Tag
from tests.support import DatabaseTest


def gpx(points: list[tuple[float, float]], tag: str = "trkpt", name: str = "") -> str:
    inner = "".join(f'<{tag} lat="{a:.7f}" lon="{b:.7f}"/>' for a, b in points)
    outer = {"trkpt": f"<trk><name>{name}</name><trkseg>{inner}</trkseg></trk>", "rtept": f"<rte>{inner}</rte>"}[tag]
    return f'<?xml version="1.0"?><gpx xmlns="http://www.topografix.com/GPX/1/1" version="1.1">{outer}</gpx>'


def circle(radius_m: float = 100.0, share: float = 1.0) -> list[tuple[float, float]]:
    """Points every 3 degrees on a circle around 51.6 N, 12.1 E, driven clockwise from the north."""
    north_m, east_m = 111_252.0, 69_250.0  # m a degree there, to a per mille
    steps = [math.radians(3 * i) for i in range(round(120 * share) + 1)]
    return [(51.6 + radius_m * math.cos(a) / north_m, 12.1 + radius_m * math.sin(a) / east_m) for a in steps]


class Courses(DatabaseTest):
    def test_a_loop_from_a_track_and_an_open_one_from_a_route(self) -> None:
        loop = course_register.add(self.db, "Ring", gpx(circle()))
        # A circle of 100 m is 2 pi 100 = 628.3 m round; 120 chords are 628.2 m, outlined every 5 m a little less.
        self.assertAlmostEqual(loop.length_m, 628.2, delta=2.0)
        self.assertEqual((loop.closed, loop.sectors, loop.outline[0]), (True, 3, loop.outline[-1]))
        half = course_register.add(self.db, "", gpx(circle(share=0.5), "rtept"))
        self.assertEqual((half.name, half.closed), ("course", False))
        self.assertAlmostEqual(half.length_m, 314.2, delta=2.0)
        made = core.course_from(course_register.course_of(self.db, half.id).plain)
        # It starts in the north going east, and ends in the south going west.
        self.assertAlmostEqual(made.start.bearing_deg, 90 + 4.3, delta=6)
        assert made.finish is not None
        self.assertAlmostEqual(made.finish.bearing_deg, 270 - 4.3, delta=6)
        x, y = plane_of(made.lat, made.lon).xy(made.lat[[0, -1]], made.lon[[0, -1]])
        self.assertAlmostEqual(float(math.hypot(x[0] - x[1], y[0] - y[1])), 200.0, delta=1.5)

    def test_what_is_no_course_is_refused_with_the_reason_and_nothing_is_added(self) -> None:
        for content, why in (
            ("", "not readable as XML"),
            ("hello", "not readable as XML"),
            ("{", "not readable as JSON"),
            ('{"name": "x"}', "start line is missing"),
            ('{"name": "x", "start": {"lat": 123, "lon": 0, "bearing_deg": 0}}', "outside the earth"),
            ('{"name": "x", "start": {"lat": NaN, "lon": 0, "bearing_deg": 0}}', "outside the earth"),
            ('{"name": "x", "start": {"lat": 1, "lon": 1, "bearing_deg": 0}, "sectors": null}', "no course"),
            (
                '{"name": "x", "start": {"lat": 1, "lon": 1, "bearing_deg": 0}, "points": [[NaN, 1]]}',
                "outside the earth",
            ),
            ('{"a":' * 100_000, "not readable as JSON"),
            (gpx([]), "neither a track nor a route"),
            (gpx(circle(5)), "too short"),
            (gpx([(95.0, 3.0)] * 20), "no place on the earth"),
            ('<!DOCTYPE a [<!ENTITY b "c">]><gpx/>', "entities"),
        ):
            with self.subTest(why=why), self.assertRaisesRegex(InvalidError, why):
                course_register.add(self.db, "", content)
        self.assertEqual(course_register.all_courses(self.db), [])

    def test_a_name_that_is_too_long_is_cut(self) -> None:
        row = course_register.add(self.db, "", gpx(circle(), name="long " * 60))
        self.assertEqual(len(row.name), 80)

    def test_out_and_in_again_is_the_same_line(self) -> None:
        ring = course_register.add(self.db, "Ring & <co>", gpx(circle()))
        name, made = course_register.as_gpx(self.db, ring.id)
        line = gpx_line.read_line(made)
        self.assertEqual((name, line.name), ("Ring & <co>", "Ring & <co>"))
        again = course_register.add(self.db, "again", made.decode())
        self.assertAlmostEqual(again.length_m, ring.length_m, delta=1.0)
        with self.assertRaisesRegex(ConflictError, "already"):
            course_register.add(self.db, "again", made.decode())
        course_register.remove(self.db, again.id)
        course_register.add(self.db, "again", made.decode())


class Vehicles(DatabaseTest):
    def test_added_changed_taken_off(self) -> None:
        kart = vehicles.put(self.db, {"name": " kart K-2 ", "number": "27", "profile": "kart", "team": "Haulage"})
        self.assertEqual((kart.name, kart.team), ("kart K-2", "Haulage"))
        self.assertEqual(vehicles.put(self.db, {"number": "28"}, kart.id).number, "28")
        with self.assertRaises(ConflictError):
            vehicles.put(self.db, {"name": "kart K-2", "profile": "car"})
        with self.assertRaises(InvalidError):
            vehicles.put(self.db, {"name": "  "}, kart.id)
        self.db.rollback()
        vehicles.remove(self.db, kart.id)
        self.assertEqual(vehicles.all_vehicles(self.db), [])
        with self.assertRaises(NotFoundError):
            vehicles.put(self.db, {"number": "1"}, kart.id)


class OnTheRecorder(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.ensemble = Ensemble(folder, 7200.0)
        self.addCleanup(self.ensemble.stop)
        logger = StandIn("V-02", "VL-000002", "Logger", kind="vehicle", auto_start=False)
        watch = StandIn("W-01", "TW-000001", "Watch", kind="training", auto_start=False)
        self.ensemble.launch((logger, watch), False)

    def seen(self, token: str = "V-02") -> Recorder:
        serial = {"V-02": "VL-000002", "W-01": "TW-000001"}[token]
        return recorders.heard(self.db, Announcement(serial, "127.0.0.1", self.ensemble.running[token].link))

    def link(self, token: str = "V-02") -> RecorderLink:
        return RecorderLink("127.0.0.1", self.ensemble.running[token].link)

    def write(
        self, token: str = "V-02", picture: displays.Drawn | None = None, courses: tuple[str, ...] | None = None
    ) -> Recorder:
        recorder = self.seen(token)
        draft = drafts.draft(self.db, recorder.id or 0, None)
        return hand_out.write_only(
            self.db, recorder.id or 0, draft.settings, draft.revision, True, picture=picture, courses=courses
        )

    def beside(self) -> list[tuple[str, bool, bool, bool]]:
        recorder = self.seen()
        return [(c.name, c.here, c.on_it, c.same) for c in drafts.draft(self.db, recorder.id or 0, None).courses]

    def test_courses_are_sent_replaced_and_removed_as_ticked(self) -> None:
        ring = course_register.add(self.db, "Ring", gpx(circle()))
        course_register.add(self.db, "Big", gpx(circle(300)))
        self.write(courses=("Ring",))
        self.assertEqual(self.beside(), [("Big", True, False, False), ("Ring", True, True, True)])
        course_register.remove(self.db, ring.id)
        self.assertIn(("Ring", False, True, False), self.beside())
        course_register.add(self.db, "Ring", gpx(circle(90)))
        self.assertIn(("Ring", True, True, False), self.beside(), "the line on the recorder is another one")
        self.write(courses=("Ring", "Big"))
        with self.link() as link:
            held = link.course("Ring")
        self.assertAlmostEqual(core.course_from(held).length_m, 565.4, delta=2.0)
        self.write(courses=())
        self.assertEqual({c[2] for c in self.beside()}, {False})
        self.write()
        with self.assertRaisesRegex(InvalidError, "neither here nor on the recorder"):
            self.write(courses=("Nowhere",))

    def test_a_page_is_drawn_by_the_recorder_and_a_picture_is_there_as_it_was_written(self) -> None:
        recorder = self.seen("W-01")
        display = displays.display_of(self.db, recorder.id or 0)
        self.assertEqual((display.width, display.height, display.greys, display.round), (128, 128, 8, True))
        drawn = displays.draw(self.db, recorder.id or 0, ["heart_rate", "pace"])
        pixels = base64.b64decode(drawn.pixels)
        self.assertEqual((len(pixels), max(pixels), min(pixels)), (128 * 128, 7, 0))
        other = displays.draw(self.db, recorder.id or 0, ["pace", "heart_rate"])
        self.assertNotEqual(drawn.pixels, other.pixels)
        picture = displays.Drawn(128, 128, 8, base64.b64encode(bytes(i % 8 for i in range(128 * 128))).decode())
        self.write("W-01", picture=picture)
        self.assertEqual(displays.picture_of(self.db, recorder.id or 0), picture)
        self.write("W-01")
        self.assertEqual(displays.picture_of(self.db, recorder.id or 0), picture, "without a wish it stays")
        makers = displays.maker_picture(self.db, recorder.id or 0)
        self.assertNotEqual(makers, picture)
        self.assertEqual(displays.picture_of(self.db, recorder.id or 0), makers)
        for wrong in (displays.Drawn(128, 128, 8, "AAAA"), displays.Drawn(128, 128, 8, "no base64!")):
            with self.assertRaises(InvalidError):
                self.write("W-01", picture=wrong)
        with self.assertRaisesRegex(ConflictError, "no display"):
            displays.display_of(self.db, self.seen().id or 0)

    def test_what_only_some_watches_have_is_shown_and_written_where_it_is(self) -> None:
        only = {"date_order", "light_colour", "ground"}
        recorder = self.seen("W-01")
        draft = drafts.draft(self.db, recorder.id or 0, None)
        self.assertLessEqual(only, {field.path for field in draft.fields})
        wanted = draft.settings | {"date_order": "year-month-day", "light_colour": "red", "ground": "dark"}
        hand_out.write_only(self.db, recorder.id or 0, wanted, draft.revision, True)
        with self.link("W-01") as link:
            self.assertEqual({key: link.setup().setup[key] for key in only}, {key: wanted[key] for key in only})
        # An older one without them is neither asked nor written.
        watch = self.ensemble.running["W-01"]
        watch.tell("set", setup={k: v for k, v in watch.tell("state")["setup"].items() if k not in only})
        recorder = self.seen("W-01")
        draft = drafts.draft(self.db, recorder.id or 0, None)
        self.assertFalse(only & {field.path for field in draft.fields})
        hand_out.write_only(self.db, recorder.id or 0, draft.settings | {"ground": "dark"}, draft.revision, True)
        with self.link("W-01") as link:
            self.assertFalse(only & link.setup().setup.keys())

    def test_who_drove_what_comes_back_with_the_recording(self) -> None:
        recorder, hedda = self.seen(), self.person("Hedda Morke")
        draft = drafts.draft(self.db, recorder.id or 0, hedda.id)
        said = {"machine": "kart K-2", "series": "Yard cup, round 6", "run": "race"}
        slip = hand_out.Slip(recorder.id or 0, hedda.id or 0, draft.settings | said, draft.revision)
        hand_out.hand_out(self.db, slip, self.who)
        name = str(self.ensemble.running["V-02"].tell("record", start=time.time() - 900, length_s=200)["session"])
        recorder = self.seen()
        [bay] = [b for b in bays.bays(self.db) if b.recorder.id == recorder.id]
        self.assertEqual(bay.tags, {"vehicle": "kart K-2", "series": "Yard cup, round 6", "run": "race"})
        wish = take_in.Wish(recorder.id or 0, name, tags={"run": "practice"})
        [session_id] = take_in.begin(self.db, [wish], self.who, lambda i: None)
        self.assertTrue(take_in.run(database.engine(self.url), session_id))
        self.db.expire_all()
        found = {t.key: t.value for t in self.db.exec(select(Tag).where(Tag.session_id == session_id)).all()}
        self.assertEqual(found, {"vehicle": "kart K-2", "series": "Yard cup, round 6", "run": "practice"})

    def test_a_channel_that_is_off_is_not_recorded(self) -> None:
        recorder = self.seen()
        draft = drafts.draft(self.db, recorder.id or 0, None)
        for channel in draft.settings["channels"]:
            if channel["key"] == "mixture":
                channel |= {"on": False, "off_because": "broken"}
            elif channel["key"] == "rpm":
                channel |= {"hz": 5}
        hand_out.write_only(self.db, recorder.id or 0, draft.settings, draft.revision, True)
        name = str(self.ensemble.running["V-02"].tell("record", start=time.time() - 900, length_s=400)["session"])
        data = (self.ensemble.running["V-02"].folder / "sessions" / f"{name}.krec").read_bytes()
        from kumpel.formats import krec

        recording = krec.read(data)
        self.assertNotIn("mixture", recording.channels)
        self.assertEqual(recording.channels["rpm"].interval_s, 0.2)
        off = [c for c in recording.setup["channels"] if not c["on"]]
        self.assertEqual([(c["key"], c["off_because"]) for c in off], [("mixture", "broken")])
        stored = self.stored(data)
        outcome = figures.outcome(self.db, stored.id or 0)
        assert outcome is not None
        self.assertIn("mixture was switched off (broken)", [f.text for f in outcome.both.reviewed.quality.findings])
