"""The slips of the kinds: what is dragged, drawn and typed there is what is on the recorder afterwards."""

from __future__ import annotations

import re
import struct
import tempfile
import time
import uuid
import zlib
from pathlib import Path
from typing import Any

from playwright.sync_api import Locator, expect

from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.link.client import RecorderLink
from kumpel.services.hand_out import hand_out
from kumpel.services.yard import course_register, vehicles
from kumpel.store.tables import Person, Recorder, Setup, Writing
from tests.services.test_yard_and_displays import circle, gpx
from tests.web.browser import BrowserTest


def photo(path: Path, wide: int = 200, high: int = 200) -> Path:
    """A PNG from black on the left to white on the right."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    row = b"\0" + bytes(round(255 * x / (wide - 1)) for x in range(wide))
    head = struct.pack(">IIBBBBB", wide, high, 8, 0, 0, 0, 0)
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(row * high)) + chunk(b"IEND", b"")
    )
    return path


class SlipTest(BrowserTest):
    def stand(self, *each: tuple[str, str], **rest: Any) -> Ensemble:
        """Recorders by token and kind."""
        return self.launch(
            *(
                StandIn(token, f"XX-{token}", f"Recorder {token}", kind=kind, auto_start=False, **rest)
                for token, kind in each
            )
        )

    def slip(self, person: str, token: str) -> Locator:
        page = self.page
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile(f"^{person}")).click()
        page.get_by_role("button", name=re.compile(f"^{token}, ")).click()
        return page.get_by_role("region", name="Slip")

    def hand_out(self, token: str, person: str) -> None:
        self.page.get_by_role("button", name="Write and hand out").click()
        expect(self.page.get_by_text(f"{token} is with {person}.")).to_be_visible()

    def held(self, ensemble: Ensemble, token: str) -> dict[str, Any]:
        with RecorderLink("127.0.0.1", ensemble.running[token].link) as link:
            return dict(link.setup().setup)

    def pull(self, grip: Locator, by_px: float) -> None:
        box = grip.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        mouse = self.page.mouse
        mouse.move(x, y)
        mouse.down()
        mouse.move(x + by_px / 2, y)
        mouse.move(x + by_px, y)
        mouse.up()


class Cuff(SlipTest):
    def test_the_day_is_dragged_typed_and_kept_with_the_person(self) -> None:
        ensemble = self.stand(("C-01", "blood_pressure"))
        petter = self.person("Petter Lunde", team="Works clinic")
        self.sign_in()
        slip = self.slip("Petter Lunde", "C-01")
        start = slip.get_by_label("Starts at", exact=True)
        start.fill("10:30")
        start.press("Enter")
        facts = slip.get_by_role("region", name="What will come of it")
        # 10:30 to 22:00 every 30 min are 24, 22:30 to 06:30 every 60 min 8 (22:30 ... 05:30), 06:30 to 10:00 again 8.
        expect(facts).to_contain_text("40 readings planned")
        expect(facts).to_contain_text("32 awake, 8 asleep")
        expect(slip.get_by_text("usual; not asked yet")).to_have_count(2)
        expect(slip.get_by_text("10:30", exact=True)).to_have_count(2)  # both ends of the bar
        wide = (slip.get_by_role("slider", name="gets up").bounding_box() or {"x": 0})["x"]
        bed = (slip.get_by_role("slider", name="goes to bed").bounding_box() or {"x": 0})["x"]
        an_hour = (wide - bed) / 8  # from 22:30 to 06:30
        self.pull(slip.get_by_role("slider", name="gets up"), 1.5 * an_hour)
        up = slip.get_by_label("Gets up at", exact=True)
        expect(up).to_have_value("08:00")
        slip.get_by_role("slider", name="goes to bed").focus()
        for _ in range(6):
            self.page.keyboard.press("ArrowRight")
        expect(slip.get_by_label("Goes to bed at", exact=True)).to_have_value("23:00")
        # 10:30 to 22:30 are 25, 23:00 to 07:00 are 9, 08:00 to 10:00 are 5.
        expect(facts).to_contain_text("30 awake, 9 asleep")
        slip.get_by_role("button", name="add a quiet window").click()
        expect(facts).to_contain_text("28 awake, 9 asleep (39 without the quiet window)")
        slip.get_by_label("what quiet window 1 is for").fill("choir")
        expect(slip.get_by_text("2 kept with Petter")).to_be_visible()
        self.hand_out("C-01", "Petter Lunde")
        held = self.held(ensemble, "C-01")
        self.assertEqual(
            (held["awake_from"], held["asleep_from"], held["start_at"], held["quiet"]),
            ("08:00", "23:00", "10:30", [{"start": "19:00", "end": "20:00", "why": "choir"}]),
        )
        self.db.refresh(petter)
        self.assertEqual((petter.gets_up, petter.goes_to_bed), ("08:00", "23:00"))

    def test_a_setup_is_kept_by_name_and_used_for_another(self) -> None:
        ensemble = self.stand(("C-01", "blood_pressure"))
        self.person("Petter Lunde", team="Works clinic")
        self.person("Ruth Amsel", team="Works clinic")
        page = self.sign_in()
        slip = self.slip("Petter Lunde", "C-01")
        every = slip.get_by_label("Reading every, awake", exact=True)
        every.fill("20")
        every.press("Enter")
        page.get_by_role("button", name="Keep this setup").click()
        page.get_by_label("Name", exact=True).fill("Twenty")
        page.get_by_role("button", name="Keep “Twenty”").click()
        expect(page.get_by_text("“Twenty” is kept for Works clinic.")).to_be_visible()
        slip = self.slip("Ruth Amsel", "C-01")
        expect(every).to_have_value("30")
        slip.get_by_label("Start from a setup").select_option(label="Twenty, Works clinic")
        expect(every).to_have_value("20")
        self.hand_out("C-01", "Ruth Amsel")
        self.assertEqual(self.held(ensemble, "C-01")["interval_awake_min"], 20)

    def test_another_recorder_in_the_middle(self) -> None:
        ensemble = self.stand(("C-01", "blood_pressure"), ("C-02", "blood_pressure"))
        self.person("Petter Lunde")
        page = self.sign_in()
        slip = self.slip("Petter Lunde", "C-01")
        every = slip.get_by_label("Reading every, awake", exact=True)
        every.fill("15")
        every.press("Enter")
        self.hand_out("C-01", "Petter Lunde")
        page.get_by_role("button", name="swap: give Petter Lunde another recorder than C-01").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("button", name=re.compile("^C-02")).click()
        dialog.get_by_label("Why").fill("hose leaks")
        dialog.get_by_role("button", name="Write C-02 and swap").click()
        expect(page.get_by_text("C-02 is with Petter Lunde instead of C-01.")).to_be_visible()
        expect(page.get_by_role("button", name="it is back: C-02 from Petter Lunde")).to_be_visible()
        self.assertEqual(self.held(ensemble, "C-02")["interval_awake_min"], 15)
        self.assertEqual([r.token for _, r, _ in hand_out.out_now(self.db)], ["C-02"])

    def test_one_that_was_cut_off_says_what_is_on_the_recorder_and_is_finished(self) -> None:
        ensemble = self.stand(("C-01", "blood_pressure"))
        petter = self.person("Petter Lunde")
        page = self.sign_in()
        self.slip("Petter Lunde", "C-01")
        settings = page.request.post(f"{self.address}/api/recorders/1/draft", data={"person_id": petter.id}).json()
        self.cut_off(ensemble, petter, settings["settings"])
        slip = self.slip("Petter Lunde", "C-01")
        expect(slip).to_contain_text("Handing C-01 to Petter Lunde was cut off")
        expect(slip).to_contain_text("Everything is on the recorder")
        slip.get_by_role("button", name="Finish: Petter Lunde has it").click()
        expect(page.get_by_text("C-01 is with Petter Lunde. What was on it was read back")).to_be_visible()
        self.db.rollback()
        self.assertEqual(len(hand_out.out_now(self.db)), 1)

    def cut_off(self, ensemble: Ensemble, person: Person, settings: dict[str, Any]) -> None:
        """What a server leaves that died after it had written: the slip on the recorder, and the note that it was begun."""
        recorder = self.db.get_one(Recorder, 1)
        setup = Setup(kind="blood_pressure", name="24 h", settings=settings)
        self.db.add(setup)
        self.db.flush()
        begun = Writing(id=uuid.uuid4(), recorder_id=1, person_id=person.id or 0, setup_id=setup.id or 0)
        self.db.add(begun)
        self.db.commit()
        names = {"wearer": settings.pop("wearer")}
        with RecorderLink("127.0.0.1", ensemble.running["C-01"].link) as link:
            link.write_setup(settings, {"hand_over": str(begun.id)}, link.setup().revision, names)
        self.assertEqual(recorder.token, "C-01")
        time.sleep(3)  # the server asks its recorders every two seconds


class Watch(SlipTest):
    def test_pages_zones_splits_and_picture(self) -> None:
        ensemble = self.stand(("W-01", "training"))
        arne = self.person("Arne Skogheim")
        arne.heart_rate_highest, arne.heart_rate_resting = 184, 52
        self.db.add(arne)
        self.db.commit()
        page = self.sign_in()
        slip = self.slip("Arne Skogheim", "W-01")
        drawn = slip.get_by_role("img", name="page 1 as W-01 draws it")
        self.eventually(lambda: self.ink(drawn) > 200)
        before = self.ink(drawn)
        slip.get_by_role("button", name="add a value").click()
        slip.get_by_label("value 4").select_option(label="ascent, up m")
        self.eventually(lambda: self.ink(drawn) != before)
        slip.get_by_role("radio", name="% of reserve").click()
        # The zones stay where they are: 90 % of 184 is 165.6 bpm, which is 86.1 % of the reserve of 132 over 52.
        fifth = slip.get_by_role("slider", name="zone 5 begins")
        expect(fifth).to_have_attribute("aria-valuenow", "166")
        fifth.focus()
        for _ in range(5):
            page.keyboard.press("ArrowRight")
        expect(fifth).to_have_attribute("aria-valuenow", "171")
        slip.get_by_role("radio", name="distance", exact=True).press("ArrowRight")
        expect(slip.get_by_role("radio", name="time", exact=True)).to_be_focused()
        expect(slip.get_by_label("Split every (time)", exact=True)).to_have_value("300")
        slip.get_by_label("Picture at switching on").set_input_files(
            photo(Path(self.enterContext(tempfile.TemporaryDirectory())) / "grey.png")
        )
        expect(slip.get_by_role("img", name="the picture as W-01 will show it")).to_be_visible()
        slip.get_by_role("radio", name="flat").click()
        expect(slip.get_by_text("a picture is not yet written")).to_be_visible()
        self.hand_out("W-01", "Arne Skogheim")
        held = self.held(ensemble, "W-01")
        self.assertEqual(held["pages"][0]["fields"], ["time", "distance", "heart_rate", "ascent"])
        self.assertEqual((held["zones"]["by"], held["split_s"]), ("reserve", 300))
        # 171 bpm: (171 - 52) / 132 = 90.2 %.
        self.assertAlmostEqual(held["zones"]["edges"][4], 90.2, delta=0.1)
        with RecorderLink("127.0.0.1", ensemble.running["W-01"].link) as link:
            picture = link.picture()
        row = list(picture.pixels[: picture.width])
        self.assertEqual((row, sorted(set(row))), (sorted(row), list(range(8))), "from black to white in all its greys")

    def ink(self, canvas: Locator) -> int:
        """How many dark pixels a drawing has."""
        return int(
            canvas.evaluate(
                """c => { const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
                let n = 0; for (let i = 0; i < d.length; i += 4) n += d[i + 3] === 255 && d[i] < 90; return n; }"""
            )
        )


class Logger(SlipTest):
    def test_the_vehicle_is_chosen_and_courses_are_sent(self) -> None:
        ensemble = self.stand(("V-02", "vehicle"))
        self.person("Hedda Morke", team="Haulage")
        vehicles.put(self.db, {"name": "kart K-2", "number": "27", "profile": "geared kart", "team": "Haulage"})
        course_register.add(self.db, "Ring", gpx(circle()))
        self.sign_in()
        slip = self.slip("Hedda Morke", "V-02")
        slip.get_by_label("Vehicle", exact=True).select_option("kart K-2")
        expect(slip.get_by_label("Number", exact=True)).to_have_value("27")
        expect(slip.get_by_label("Profile", exact=True)).to_have_value("geared kart")
        slip.get_by_label("Series", exact=True).fill("Yard cup")
        slip.get_by_role("checkbox", name=re.compile("^Ring")).check()
        expect(slip.get_by_text("will be sent")).to_be_visible()
        slip.get_by_label("Channel 8, on").uncheck()
        slip.get_by_label("Channel 8, off because").fill("broken")
        self.hand_out("V-02", "Hedda Morke")
        held = self.held(ensemble, "V-02")
        self.assertEqual((held["machine"], held["number"], held["series"]), ("kart K-2", "27", "Yard cup"))
        self.assertEqual((held["channels"][7]["on"], held["channels"][7]["off_because"]), (False, "broken"))
        with RecorderLink("127.0.0.1", ensemble.running["V-02"].link) as link:
            self.assertEqual([c.name for c in link.courses()], ["Ring"])

    def test_the_lines_of_a_course_are_moved_and_a_version_is_kept(self) -> None:
        ring = course_register.add(self.db, "Ring", gpx(circle()), self.who)
        page = self.sign_in()
        page.goto(f"{self.address}/vehicles")
        page.get_by_role("region", name="Courses").get_by_role("link", name="Ring").click()
        expect(page.get_by_role("heading", name="Ring")).to_be_visible()
        keep = page.get_by_role("button", name="Keep as a new version")
        expect(keep).to_be_disabled()
        # By keys: S2 ten metres on; by hand: S3 dragged a good way; typed: the start.
        second = page.get_by_role("slider", name="Place of S2")
        before = int(second.get_attribute("aria-valuenow") or 0)
        second.press("Shift+ArrowRight")
        expect(second).to_have_attribute("aria-valuenow", str(before + 10))
        expect(page.get_by_label("S2, m")).to_have_value(str(before + 10))
        third = page.get_by_role("slider", name="Place of S3")
        was = int(third.get_attribute("aria-valuenow") or 0)
        self.pull(third.locator("circle"), -60)
        moved = int(third.get_attribute("aria-valuenow") or 0)
        self.assertNotEqual(moved, was)
        page.get_by_label("start, m").fill("5")
        page.get_by_label("Reach to each side, m").fill("12")
        keep.click()
        expect(page.get_by_role("region", name="Versions").get_by_role("link")).to_have_count(
            3
        )  # the old one, GPX, JSON
        self.db.expire_all()
        [now] = course_register.all_courses(self.db)
        self.assertNotEqual(now.id, ring.id)
        lines = course_register.detail(self.db, now.id).lines
        # The start is 5 m further on: everything else lies 5 m less behind it.
        for line, wanted in zip(lines, (0, before + 10 - 5, moved - 5), strict=True):
            self.assertAlmostEqual(line.at_m, wanted, delta=2)
        self.assertEqual({line.half_width_m for line in lines}, {12.0})
        page.get_by_label("start, m").fill(str(before + 20))
        keep.click()
        expect(page.get_by_role("alert")).to_contain_text("driving order")

    def test_the_registers_by_hand_and_from_a_file(self) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/vehicles")
        expect(page.get_by_text("No vehicle yet")).to_be_visible()
        page.get_by_role("button", name="Add a vehicle").click()
        page.get_by_label("Name, such as kart K-2").fill("hauler 4")
        page.get_by_role("button", name="Add hauler 4").click()
        expect(page.get_by_role("button", name="hauler 4", exact=True)).to_be_visible()
        page.get_by_role("button", name="Add a course").click()
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "ring.gpx"
        path.write_text(gpx(circle(), name="Ring road"))
        page.get_by_label("File of the course").set_input_files(path)
        page.get_by_role("button", name="Add the course").click()
        expect(page.get_by_role("region", name="Courses")).to_contain_text("Ring road")
        expect(page.get_by_role("region", name="Courses")).to_contain_text("loop, 3 sectors")
        page.get_by_role("button", name="Add a course").click()
        page.get_by_label("Name; without one, the name in the file").fill("Gate only")
        for field, value in (("latitude", "51,6"), ("longitude", "12.1"), ("direction", "95")):
            page.get_by_label(f"Start {field} °").fill(value)
        page.get_by_role("button", name="Add the course").click()
        expect(page.get_by_role("region", name="Courses")).to_contain_text("no points, loop, 1 sector")
        page.get_by_role("button", name="take off hauler 4").click()
        expect(page.get_by_text("No vehicle yet")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("button", name="hauler 4", exact=True)).to_be_visible()
        page.get_by_role("button", name="take off Gate only").click()
        page.get_by_role("button", name="Undo").last.click()
        expect(page.get_by_role("region", name="Courses")).to_contain_text("Gate only")


class Several(SlipTest):
    def test_one_setup_for_three_people_a_passcode_and_one_that_is_not_empty(self) -> None:
        ensemble = self.launch(
            StandIn("N-01", "NM-000001", "Meter 1", auto_start=False),
            StandIn("N-02", "NM-000002", "Meter 2", auto_start=False, passcode="2718"),
            StandIn("N-03", "NM-000003", "Meter 3", auto_start=False),
        )
        ensemble.running["N-03"].tell("record", start=time.time() - 4000, length_s=3600)
        for name in ("Ida Brandvik", "Leila Haddad", "Oskar Nyland"):
            self.person(name, team="Crusher hall")
        page = self.sign_in()
        slip = self.slip("Ida Brandvik", "N-01")
        length = slip.get_by_label("Run length", exact=True)
        length.fill("6 h")
        length.press("Enter")
        slip.get_by_role("button", name="The same for several").click()
        dialog = page.get_by_role("dialog", name="The same setup for several")
        dialog.get_by_role("button", name="Fill up from Crusher hall").click()
        dialog.get_by_role("button", name="Write and hand out 3").click()
        expect(dialog).to_contain_text("with Ida Brandvik, read back equal")
        expect(dialog).to_contain_text("N-02 asks for its passcode")
        expect(dialog).to_contain_text("N-03 holds a session that was not taken in")
        dialog.get_by_role("button", name="Give the passcode for 1").click()
        page.get_by_label("Passcode", exact=True).fill("2718")
        page.get_by_role("button", name="Go on").click()
        expect(dialog).to_contain_text("with Leila Haddad, read back equal")
        dialog.get_by_role("button", name="Hand 1 out all the same").click()
        page.get_by_role("button", name="taken in later today").click()
        expect(dialog).to_contain_text("with Oskar Nyland, read back equal")
        self.db.rollback()
        out = {(r.token, p.name) for _, r, p in hand_out.out_now(self.db)}
        self.assertEqual(out, {("N-01", "Ida Brandvik"), ("N-02", "Leila Haddad"), ("N-03", "Oskar Nyland")})
        self.assertEqual([self.held(ensemble, t)["run_length_min"] for t in ("N-01", "N-02", "N-03")], [360] * 3)

    def test_a_course_goes_to_both_loggers_and_a_picture_to_both_watches(self) -> None:
        ensemble = self.stand(*((f"V-0{n}", "vehicle") for n in (1, 2)), *((f"W-0{n}", "training") for n in (1, 2)))
        for name in ("Hedda Morke", "Jon Aasen", "Arne Skogheim", "Sanna Heikkilä"):
            self.person(name, team="Haulage" if name in ("Hedda Morke", "Jon Aasen") else "Rescue squad")
        course_register.add(self.db, "Ring", gpx(circle()))
        page = self.sign_in()
        slip = self.slip("Hedda Morke", "V-01")
        slip.get_by_role("checkbox", name=re.compile("^Ring")).check()
        dialog = self.both(slip, "Haulage")
        expect(dialog).to_contain_text("the settings of this slip and its course")
        dialog.get_by_role("button", name="Close").click()
        expect(page.get_by_role("dialog")).to_have_count(0)
        slip = self.slip("Arne Skogheim", "W-01")
        slip.get_by_label("Picture at switching on").set_input_files(
            photo(Path(self.enterContext(tempfile.TemporaryDirectory())) / "grey.png")
        )
        slip.get_by_role("radio", name="flat").click()
        expect(slip.get_by_text("a picture is not yet written")).to_be_visible()
        self.both(slip, "Rescue squad")
        for token in ("V-01", "V-02"):
            with RecorderLink("127.0.0.1", ensemble.running[token].link) as link:
                self.assertEqual([c.name for c in link.courses()], ["Ring"], token)
        for token in ("W-01", "W-02"):
            with RecorderLink("127.0.0.1", ensemble.running[token].link) as link:
                picture = link.picture()
            self.assertEqual(sorted(set(picture.pixels[: picture.width])), list(range(8)), token)

    def both(self, slip: Locator, team: str) -> Locator:
        slip.get_by_role("button", name="The same for several").click()
        dialog = self.page.get_by_role("dialog", name="The same setup for several")
        dialog.get_by_role("button", name=f"Fill up from {team}").click()
        dialog.get_by_role("button", name="Write and hand out 2").click()
        expect(dialog.get_by_text("read back equal")).to_have_count(2)
        return dialog


class Typed(SlipTest):
    def test_what_was_typed_outlasts_a_reload_and_a_look_elsewhere_until_it_is_written(self) -> None:
        ensemble = self.stand(("C-01", "blood_pressure"), ("N-01", "noise"))
        self.person("Petter Lunde")
        page = self.sign_in()
        slip = self.slip("Petter Lunde", "C-01")
        every = slip.get_by_label("Reading every, awake", exact=True)
        every.fill("20")
        every.press("Enter")
        slip.get_by_label("Complaint").fill("dizzy at noon")
        # The comparison does not wait for the server: it is right as soon as the entry is.
        page.route("**/draft", lambda route: route.abort())
        slip.get_by_label("Reading every, asleep", exact=True).fill("45")
        slip.get_by_label("Reading every, asleep", exact=True).press("Enter")
        expect(slip.get_by_text(re.compile(r"^\d+ settings differ"))).to_be_visible()
        page.unroute("**/draft")
        page.reload()
        expect(every).to_have_value("20")
        expect(slip.get_by_label("Complaint")).to_have_value("dizzy at noon")
        expect(slip.get_by_role("status").filter(has_text="As it was typed at")).to_be_visible()
        page.goto(f"{self.address}/sessions")
        self.slip("Petter Lunde", "C-01")
        expect(every).to_have_value("20")
        self.hand_out("C-01", "Petter Lunde")
        self.assertEqual(self.held(ensemble, "C-01")["interval_awake_min"], 20)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("button", name=re.compile("^C-01, "))).to_be_visible()
        self.slip("Petter Lunde", "C-01")
        expect(slip.get_by_role("status").filter(has_text="As it was typed at")).to_have_count(0)

    def test_the_main_button_is_in_sight_for_every_kind(self) -> None:
        kinds = ("gas", "training", "vehicle", "noise", "blood_pressure")
        self.stand(*((f"{kind[0].upper()}-0{i}", kind) for i, kind in enumerate(kinds)))
        self.person("Petter Lunde")
        page = self.sign_in()
        for i, kind in enumerate(kinds):
            self.slip("Petter Lunde", f"{kind[0].upper()}-0{i}")
            expect(page.get_by_role("button", name="Write and hand out")).to_be_in_viewport(ratio=1)

    def test_recorders_are_found_by_typing_by_kind_and_only_those_here(self) -> None:
        ensemble = self.stand(("N-01", "noise"), ("N-02", "noise"), ("G-01", "gas"))
        self.person("Petter Lunde")
        page = self.sign_in()
        page.goto(f"{self.address}/hand-out")
        token = page.get_by_role("button", name=re.compile(r"^[NG]-0\d, "))
        expect(token).to_have_count(3)
        page.get_by_label("Kind of recorder").select_option("gas")
        expect(token).to_have_count(1)
        page.get_by_label("Kind of recorder").select_option("")
        ensemble.running["N-02"].tell("vanish")
        expect(page.get_by_role("img", name="N-02 is out of reach")).to_be_visible()
        page.get_by_label("here now").check()
        expect(page.get_by_role("img", name="N-02 is out of reach")).to_have_count(0)
        page.get_by_role("button", name=re.compile("^Petter")).click()
        page.get_by_label("Find a recorder").fill("n-01")
        expect(token).to_have_count(1)
        page.keyboard.press("Enter")
        expect(page.get_by_role("region", name="Slip")).to_contain_text("Recorder N-01")

    def test_enter_in_the_person_search_waits_for_its_answer(self) -> None:
        self.stand(("N-01", "noise"))
        for name in ("Petter Lunde", "Ruth Amsel"):
            self.person(name)
        page = self.sign_in()
        page.goto(f"{self.address}/hand-out")
        expect(page.get_by_role("button", name=re.compile("^Petter"))).to_be_visible()
        page.route("**/api/people?search=Ruth*", lambda route: (time.sleep(0.5), route.continue_()))
        page.get_by_label("Find a person").fill("Ruth")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Ruth Amsel")).to_be_visible()


class OneSlot(SlipTest):
    def test_one_that_keeps_a_single_night_is_never_swapped_in_over_what_was_not_taken_in(self) -> None:
        ensemble = self.stand(("O-01", "oximetry"), ("O-02", "oximetry"))
        ensemble.running["O-02"].tell("record", start=time.time() - 30_000, length_s=20_000)
        self.person("Emil Farkas")
        page = self.sign_in()
        self.slip("Emil Farkas", "O-01")
        self.hand_out("O-01", "Emil Farkas")
        page.get_by_role("button", name="swap: give Emil Farkas another recorder than O-01").click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("O-02: keeps one recording and was not taken in yet. Take it in first.")
        expect(dialog.get_by_role("button", name=re.compile("^O-02"))).to_have_count(0)
