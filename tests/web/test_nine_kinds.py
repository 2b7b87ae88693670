"""All nine kinds the whole way: handed out, recorded by themselves, taken in, judged, signed, reported, cleared."""

import io
import re

import pypdf
from playwright.sync_api import expect

from kumpel.demo.ensemble import StandIn
from kumpel.kinds.registry import KINDS
from kumpel.standins.devices import DEVICES
from tests.web.browser import BrowserTest

PEOPLE = dict(
    zip(
        DEVICES,
        (
            "Ida Brandvik",
            "Asha Rao",
            "Tomas Ek",
            "Ruth Amsel",
            "Emil Farkas",
            "Marit Solheim",
            "Arne Skogheim",
            "Jonas Tveter",
            "Sanna Heikkilä",
        ),
        strict=True,
    )
)


class NineKinds(BrowserTest):
    def test_the_whole_way(self) -> None:
        short = {"jaw_muscle": {"run_length_min": 20, "name": "Nap"}}
        ensemble = self.launch(
            *(
                StandIn(
                    f"{kind[0].upper()}-{number:02d}",
                    f"XX-{number:06d}",
                    f"Recorder {number}",
                    kind=kind,
                    clock_error_s=3.0,
                    rest={"lasts_s": 1.0, "setup": short.get(kind, {})},
                )
                for number, kind in enumerate(DEVICES, 1)
            )
        )
        tokens = dict(zip(DEVICES, ensemble.running, strict=True))
        for name in PEOPLE.values():
            self.person(name)
        page = self.sign_in()
        for kind, name in PEOPLE.items():
            with self.subTest("hand out", kind=kind):
                page.goto(f"{self.address}/hand-out")
                page.get_by_role("button", name=re.compile(f"^{name}")).first.click()
                page.get_by_role("button", name=re.compile(f"^{tokens[kind]}, Recorder")).click()
                page.get_by_role("button", name="Write and hand out").click()
                expect(page.get_by_text(f"{tokens[kind]} is with {name}")).to_be_visible()
        page.keyboard.press("2")
        for token in tokens.values():
            self.eventually(lambda token=token: ensemble.running[token].tell("state")["sessions"] == 1, 60)
        page.get_by_role("button", name="Take in all 9").click(timeout=60_000)
        expect(page.get_by_role("link", name="review", exact=True)).to_have_count(9, timeout=60_000)
        for kind, name in PEOPLE.items():
            with self.subTest("review", kind=kind):
                self.judged(kind, name)
        with self.subTest("clear"):
            page.goto(f"{self.address}/take-in")
            page.get_by_role("button", name="Clear 9 on 9 recorders").click()
            page.get_by_role("button", name=re.compile("^Remove 9")).click()
            for token in tokens.values():
                self.eventually(lambda token=token: ensemble.running[token].tell("state")["sessions"] == 0, 30)

    def judged(self, kind: str, name: str) -> None:
        page = self.page
        page.goto(f"{self.address}/review")
        page.get_by_role("navigation").get_by_role("link", name=re.compile(name)).or_(
            page.get_by_role("navigation").get_by_role("button", name=re.compile(name))
        ).first.click()
        expect(page.get_by_role("heading", name=name)).to_be_visible()
        expect(page.get_by_title("Why this number?").first).to_be_visible(timeout=30_000)
        page.get_by_label("Conclusion").fill(f"Looked at, {kind}.")
        page.get_by_role("button", name="Sign off").click()
        expect(page.get_by_text("Signed off by Runa Halvorsen")).to_be_visible()
        page.get_by_role("button", name="To the report").click()
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Issue, PDF").click()
        text = pypdf.PdfReader(io.BytesIO(waiting.value.path().read_bytes())).pages[0].extract_text()
        for words in (name, f"Looked at, {kind}.", KINDS[kind].name):
            self.assertIn(words, text)
