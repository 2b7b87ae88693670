"""A tenth kind from a folder: from its stand-in through hand-out, take-in and review to paper, with nothing else added."""

import io
import json
import os
import re
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

import pypdf
from playwright.sync_api import Page, expect

from kumpel.config import ROOT
from kumpel.demo.ensemble import StandIn
from tests.forks import Mother
from tests.web.browser import BrowserTest

KIND = '''
"""Light at the workplace."""

from typing import Literal

import numpy as np
from pydantic import BaseModel

from kumpel.core.assessment import Detected, Put, Quality
from kumpel.core.recording import ChannelWord
from kumpel.core.review import is_named, samples_inside
from kumpel.core.reckoning import Reckoning, both_ways, conclude, planned_s
from kumpel.kinds.kind import DecisionWord, EventWord, Kind, LEAVE_OUT
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.setup_fields import TIME_PATTERN, setting


class ZoneSetup(BaseModel):
    name: str = setting("Zone", "desk", max_length=20)
    high: float | None = setting("Alarm above", None, "lx", {"None": "off"}, ge=1, le=100_000)


class LightSetup(BaseModel):
    name: str = setting("Setup", "Desk", max_length=40)
    interval_s: int = setting("Log every", 10, "s", ge=1, le=600)
    run_length_min: int = setting("Planned length", 60, "min", ge=1, le=1440)
    zones: list[ZoneSetup] = setting("Zone", lambda: [ZoneSetup()], min_length=1, max_length=2)
    begin: Literal["by hand", "at a time"] = setting("Begins", "by hand")
    begin_at: str | None = setting("Begins at", None, when={"begin": "at a time"}, pattern=TIME_PATTERN)


def one(recording, review, limits, basis):
    channel = recording.channels["lux"]
    factor = review.number("factor_window", 1.0)
    out = samples_inside(review.left_out, len(channel.values), channel.interval_s)
    values = np.where(out, np.nan, channel.values) * factor
    known = values[~np.isnan(values)]
    planned, measured = planned_s(recording, review), len(known) * channel.interval_s
    reckoning = Reckoning(measured / planned, len(known), int(out.sum()), float(out.sum()) * channel.interval_s)
    reckoning.put("mean", "Mean illuminance", float(known.mean()), "lx", 0, "mean of E_v", "test", Put("n", "samples", len(known), ""))
    flashes = [
        Detected(e.at_s, e.at_s + 2, "flash", "flash", not is_named(review.dropped, "flash", e.at_s))
        for e in recording.events
        if e.code == "flash"
    ]
    reckoning.put("flashes", "Flashes", float(sum(f.kept for f in flashes)), "", 0, "count", "test")
    quality = Quality(measured / planned, measured, planned, ())
    return conclude(recording, review, limits, basis, reckoning, quality, key_figures=("mean", "flashes"), events=flashes)


KIND = Kind(
    key="light",
    name="Light",
    recorder_name="Light meter",
    setup_model=LightSetup,
    setup_library={"Desk": LightSetup()},
    assess=lambda recording, review, limits: both_ways(recording, review, limits, one),
    main_channel="lux",
    limit_sets=shipped(__name__),
    channels=(ChannelWord("lux", "Illuminance", "lx"),),
    decisions=(DecisionWord("factor_window", "Window factor", "number", "", 0.1, 10, hint="1"),),
    stretches=(LEAVE_OUT,),
    events=(EventWord("flash", "flash", "flashes", droppable=True),),
)
'''
LIMITS = [
    {
        "key": "light-test",
        "kind": "light",
        "name": "Desk light",
        "issuer": "test",
        "version": "1",
        "valid_from": "2026-01-01",
        "rules": [
            {
                "figure": "flashes",
                "name": "Flashes",
                "unit": "",
                "steps": [{"value": 3, "verdict": "above limit", "name": "most flashes"}],
            }
        ],
    }
]
DECLARATION = {
    "kind": "light",
    "model": "LX-1",
    "setup": {"name": "Desk", "interval_s": 10, "run_length_min": 60, "led_colour": "amber"},
    "channels": [{"key": "lux", "name": "Ev", "unit": "lx", "interval_s": 10.0, "level": 500.0, "swing": 40.0}],
    "events": [{"code": "flash", "text": "flash", "every_s": 900.0}],
}


VIEW = """
import type { ReviewSheetProps } from "@/sheet/contract";

export default function LightSheet({ review, locked }: ReviewSheetProps) {
  const mean = review.reviewed.figures.find((figure) => figure.key === "mean");
  return (
    <section aria-label="Light by the desk">
      <h2>{locked ? "Seen" : "To be seen"}</h2>
      <p>{mean?.value} lx on the desk</p>
    </section>
  );
}
"""


class WithTenthKind(BrowserTest):
    def setUp(self) -> None:
        self.kinds = Path(tempfile.mkdtemp(prefix="kumpel-kinds-"))
        self.addCleanup(shutil.rmtree, self.kinds, ignore_errors=True)
        package = self.kinds / "light"
        package.mkdir()
        (package / "__init__.py").write_text(KIND)
        (package / "limits.json").write_text(json.dumps([{k: v for k, v in s.items() if k != "kind"} for s in LIMITS]))
        (self.kinds / "declaration.json").write_text(json.dumps(DECLARATION))
        os.environ["KUMPEL_KINDS"] = str(self.kinds)
        self.addCleanup(os.environ.pop, "KUMPEL_KINDS", None)
        self.make_view()
        # The kinds were found when the application was imported: this server comes of one that imports it now.
        self.own = Mother()
        self.addCleanup(self.own.end)
        super().setUp()

    def make_view(self) -> None:
        """Nothing: it gets the plain sheet."""

    def mother(self) -> Mother:
        return self.own


class TenthKind(WithTenthKind):
    def test_from_its_stand_in_to_a_signed_page(self) -> None:
        declaration = self.kinds / "declaration.json"
        ensemble = self.launch(StandIn("L-01", "LX-000001", "Light meter 1", auto_start=False, declaration=declaration))
        meter = ensemble.running["L-01"]
        self.person("Ida Brandvik")
        page = self.sign_in()
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Ida Brandvik")).click()
        page.get_by_role("button", name=re.compile("^L-01, Light meter 1")).click()
        page.get_by_label("Planned length").fill("90")
        page.get_by_label("Planned length").press("Enter")
        self.fill_in_lists(page)
        page.get_by_role("button", name="Write and hand out").click()
        expect(page.get_by_text("L-01 is with Ida Brandvik")).to_be_visible()
        written = json.loads((meter.folder / "state.json").read_text())["setup"]
        self.assertEqual(
            (written["run_length_min"], written["led_colour"]), (90, "amber"), "what we do not know survives"
        )
        self.assertEqual(
            (written["zones"], written["begin"], written["begin_at"]),
            ([{"name": "window", "high": 2500.0}], "at a time", "07:30"),
        )
        meter.tell("record", start=time.time() - 6000, length_s=3600, seed=3)
        page.keyboard.press("2")
        page.get_by_role("button", name="Take in all 1").click()
        expect(page.get_by_role("link", name="review", exact=True)).to_be_visible()
        page.keyboard.press("3")
        expect(page.get_by_role("heading", name="Ida Brandvik")).to_be_visible()
        expect(page.get_by_text("Flashes: most flashes 3 reached")).to_be_visible()
        expect(page.get_by_role("application").first).to_be_visible()  # the sheet is there and hears keys
        page.keyboard.press("ArrowDown")
        page.keyboard.press("x")
        page.get_by_role("form").get_by_role("button", name="not real").click()
        expect(page.get_by_text("within all limits")).to_be_visible()
        factor = page.get_by_role("textbox", name="Window factor")
        factor.fill("2")
        factor.press("Enter")
        expect(page.get_by_role("button", name=re.compile("^Mean illuminance")).first).to_contain_text(
            re.compile("9[0-9]{2}|1,0[0-9]{2}")
        )
        page.get_by_label("Conclusion").fill("Bright enough.")
        page.get_by_role("button", name="Sign off").click()
        page.get_by_role("button", name="To the report").click()
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Issue, PDF").click()
        text = pypdf.PdfReader(io.BytesIO(waiting.value.path().read_bytes())).pages[0].extract_text()
        for words in ("Ida Brandvik", "Light", "Desk light", "Flashes", "Bright enough.", "Runa Halvorsen"):
            self.assertIn(words, text)

    def fill_in_lists(self, page: Page) -> None:
        """Items added, changed and taken away; a field that matters only with another one's value."""
        page.get_by_role("button", name="add a zone").click()
        page.get_by_role("button", name="change Zone 2").click()
        expect(page.get_by_role("button", name="add a zone")).to_have_count(0)
        page.get_by_label("Zone 2, zone").fill("window")
        high = page.get_by_label("Zone 2, alarm above")
        for typed, answer in (("0", "At least 1 lx"), ("bright", "number"), ("2500 lx", None)):
            high.fill(typed)
            high.press("Enter")
            if answer:
                expect(page.get_by_role("alert")).to_contain_text(answer)
        expect(page.get_by_text("window, alarm above 2500 lx")).to_be_visible()
        page.get_by_role("button", name="take away Zone 1").click()
        expect(page.get_by_role("button", name="change Zone 2")).to_have_count(0)
        expect(page.get_by_text("window, alarm above 2500 lx")).to_be_visible()
        expect(page.get_by_role("button", name=re.compile("^take away Zone"))).to_have_count(0)
        expect(page.get_by_label("Begins at")).to_have_count(0)
        page.get_by_label("Begins", exact=True).select_option("at a time")
        at = page.get_by_label("Begins at", exact=True)
        at.fill("25:00")
        at.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("Not a time of day")
        at.fill("7.30")
        at.press("Enter")
        expect(at).to_have_value("07:30")

    def test_no_other_file_names_a_kind(self) -> None:
        """Only a kind's own folders name it; apart from the demo, the stand-ins, the mappings of open formats, and what happened to a store."""
        kinds = sorted(p.name for p in (ROOT / "src/kumpel/kinds").iterdir() if (p / "__init__.py").exists())
        self.assertEqual(len(kinds), 9)
        word = re.compile("|".join(f"[\"'`](?:{k})[\"'`]" for k in kinds))
        free = ("demo", "standins", "formats", "store/migrations")
        for folder, endings in (("src/kumpel", (".py",)), ("web/src", (".ts", ".tsx"))):
            for path in (ROOT / folder).rglob("*"):
                place = path.relative_to(ROOT / folder).parts
                own = place[0] in ("core", "kinds") and len(place) > 2 and place[1] in kinds
                if (
                    path.suffix not in endings
                    or own
                    or "/".join(place).startswith(free)
                    or path.name in ("schema.d.ts",)
                ):
                    continue
                with self.subTest(file=str(path.relative_to(ROOT))):
                    self.assertEqual(word.findall(path.read_text()), [])


class TenthView(WithTenthKind):
    """Its third folder: what is drawn in its own way. The interface is built with it, from a copy in which nothing else is changed."""

    def make_view(self) -> None:
        web = self.kinds / "web"
        shutil.copytree(ROOT / "web", web, ignore=shutil.ignore_patterns("node_modules", "dist"))
        (web / "node_modules").symlink_to(ROOT / "web" / "node_modules")
        own = web / "src" / "kinds" / "light"
        own.mkdir()
        (own / "index.ts").write_text('export default { sheet: () => import("./LightSheet") };\n')
        (own / "LightSheet.tsx").write_text(VIEW)
        done = subprocess.run(("npx", "vite", "build"), cwd=web, capture_output=True, text=True, timeout=300)
        self.assertEqual(done.returncode, 0, done.stdout[-2000:] + done.stderr[-2000:])
        os.environ["KUMPEL_WEB"] = str(web / "dist")
        self.addCleanup(os.environ.pop, "KUMPEL_WEB", None)

    def test_it_is_reviewed_in_its_own_view(self) -> None:
        declaration = self.kinds / "declaration.json"
        ensemble = self.launch(StandIn("L-01", "LX-000001", "Light meter 1", auto_start=False, declaration=declaration))
        ensemble.running["L-01"].tell("record", start=time.time() - 6000, length_s=3600, seed=3)
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        page.get_by_role("button", name="Take in all 1").click()
        page.get_by_role("link", name="review", exact=True).click()
        own = page.get_by_role("region", name="Light by the desk")
        expect(own.get_by_role("heading", name="To be seen")).to_be_visible()
        expect(own).to_contain_text(re.compile(r"4[0-9]{2}\S* lx on the desk|5[0-9]{2}\S* lx on the desk"))
