"""From 768 px wide nothing needs sideways scrolling: a tablet at the counter."""

from kumpel.formats import krec
from kumpel.standins.signals import SIGNALS
from tests.web.browser import BrowserTest


class Narrow(BrowserTest):
    watch = "0"
    size = (768, 1024)

    def test_no_view_scrolls_sideways_and_nothing_is_cut_off(self) -> None:
        ida = self.person("Ida Brandvik", team="Crusher hall")
        noise = self.session(7200, ida)
        night = self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording, "S-2"), ida)
        drive = self.stored(krec.write_recording(SIGNALS["vehicle"](2).recording, "S-3"), ida)
        page = self.sign_in()
        for view in (
            "/hand-out",
            "/take-in",
            f"/review/{noise.id}",
            f"/review/{drive.id}",
            f"/review/{night.id}",
            f"/report/{noise.id}",
            "/people",
            f"/people/{ida.id}",
            "/recorders",
            "/sessions",
            "/limits",
        ):
            with self.subTest(view=view):
                page.goto(f"{self.address}{view}")
                page.get_by_role("heading").first.wait_for()
                page.wait_for_timeout(300)
                self.assert_nothing_cut_off(view)
