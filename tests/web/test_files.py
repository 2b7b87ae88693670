"""Files from elsewhere come in by the same door: chosen or dropped, of somebody or of nobody."""

import tempfile
from pathlib import Path

from playwright.sync_api import expect

from kumpel.formats import files
from kumpel.standins.signals import SIGNALS
from tests.web.browser import BrowserTest


class FromFiles(BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory(prefix="kumpel-files-")
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def made(self, kind: str, name: str) -> Path:
        path = self.folder / name
        files.write(SIGNALS[kind](2).recording, path)
        return path

    def test_a_chosen_file_of_a_person_is_read_assessed_and_shown(self) -> None:
        self.person("Lovise Dahlen")
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        page.get_by_label("File to take in").set_input_files(self.made("training", "hill run.gpx"))
        dialog = page.get_by_role("dialog", name="Take a file in")
        expect(dialog).to_contain_text("hill run.gpx")
        dialog.get_by_role("button", name="Whose is it?").click()
        page.get_by_label("Find a person").fill("Lovise")
        page.get_by_role("button", name="Lovise Dahlen").click()
        dialog.get_by_role("button", name="Take in for Lovise Dahlen").click()
        expect(page.get_by_role("heading", name="Lovise Dahlen")).to_be_visible()
        expect(page.get_by_title("Why this number?").first).to_contain_text("Distance")

    def test_a_dropped_file_of_nobody_waits_and_the_same_one_is_not_stored_twice(self) -> None:
        path = self.made("oximetry", "night.csv")
        page = self.sign_in()
        for turn in (1, 2):
            page.goto(f"{self.address}/take-in")
            expect(page.get_by_role("button", name="Take in a file")).to_be_visible()
            handle = page.evaluate_handle(
                "([name, text]) => { const t = new DataTransfer(); t.items.add(new File([text], name)); return t; }",
                [path.name, path.read_text()],
            )
            page.dispatch_event("main", "drop", {"dataTransfer": handle})
            dialog = page.get_by_role("dialog", name="Take a file in")
            dialog.get_by_role("button", name="Take in, for nobody yet").click()
            if turn == 1:
                expect(page.get_by_role("heading", name="Unclaimed session")).to_be_visible()
        expect(dialog.get_by_role("alert")).to_contain_text("stored already")

    def test_what_cannot_be_read_is_said_and_nothing_is_stored(self) -> None:
        path = self.folder / "letter.csv"
        path.write_text("Dear all,\nsee you on Monday\n")
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        page.get_by_label("File to take in").set_input_files(path)
        dialog = page.get_by_role("dialog", name="Take a file in")
        dialog.get_by_role("button", name="Take in, for nobody yet").click()
        expect(dialog.get_by_role("alert")).to_contain_text("letter.csv")
        expect(dialog.get_by_role("alert")).to_contain_text("Nothing was stored")
        self.assertEqual(page.request.get(f"{self.address}/api/sessions").json()["total"], 0)
