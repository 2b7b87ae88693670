"""A page in headless Chromium against the real server; watches for errors and for calls to anywhere else."""

from __future__ import annotations

import shutil
from typing import Any

from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

from tests.support import ServerTest
from tests.web import every_state

_playwright: Playwright | None = None
_browser: Browser | None = None


def browser() -> Browser:
    global _playwright, _browser
    if _browser is None:
        import atexit

        path = shutil.which("chromium-headless-shell") or shutil.which("chromium") or "/usr/bin/chromium"
        flags = [
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
        ]
        _playwright = sync_playwright().start()
        _browser = _playwright.chromium.launch(executable_path=path, args=flags)
        atexit.register(_playwright.stop)
        atexit.register(_browser.close)
    return _browser


# A machine that runs other things beside is slow, not wrong.
expect.set_options(timeout=30_000)


class BrowserTest(ServerTest):
    size = (1280, 800)
    touch = False
    may_fail_to_load = False

    def setUp(self) -> None:
        super().setUp()
        self.page = self.open_page()

    def open_page(self) -> Page:
        context = browser().new_context(
            viewport={"width": self.size[0], "height": self.size[1]}, locale="en-GB", has_touch=self.touch
        )
        self.addCleanup(context.close)
        page = context.new_page()
        # What a test held back of the network may still wait when it is over: that is no fault of the next one.
        self.addCleanup(lambda: page.is_closed() or page.unroute_all(behavior="ignoreErrors"))
        page.set_default_timeout(30_000)
        self.errors: list[str] = []
        self.elsewhere: list[str] = []
        every_state.watch(page)
        page.on("pageerror", lambda error: self.errors.append(str(error)))
        page.on("console", self._console)
        page.on(
            "request",
            lambda r: None if r.url.startswith((self.address, "blob:", "data:")) else self.elsewhere.append(r.url),
        )
        return page

    def _console(self, message: Any) -> None:
        if message.type == "error" and not ("Failed to load resource" in message.text or "ERR_" in message.text):
            self.errors.append(message.text)

    def tearDown(self) -> None:
        self.assertEqual(self.errors, [])
        self.assertEqual(self.elsewhere, [])
        self.assertEqual(every_state.found(), [], "held against axe-core in every state")

    def sign_in(self, page: Page | None = None) -> Page:
        """Signed in without the form, and nothing loaded yet: the next thing is to go somewhere."""
        page = page or self.page
        words = {"login": "officer", "password": "long enough"}
        self.assertTrue(page.request.post(f"{self.address}/api/sign-in", data=words).ok)
        return page

    def sign_in_by_form(self, page: Page | None = None) -> Page:
        page = page or self.page
        page.goto(self.address)
        page.get_by_label("Sign-in name").fill("officer")
        page.get_by_label("Password").fill("long enough")
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("navigation", name="The line").wait_for()
        return page

    def assert_nothing_cut_off(self, where: str) -> None:
        """Nothing reaches beyond the window, and no button is without a name."""
        wide = self.page.evaluate("document.documentElement.scrollWidth - window.innerWidth")
        self.assertLessEqual(wide, 0, where)
        cut = self.page.evaluate(
            """() => [...document.querySelectorAll('button, a, select, input')]
            .filter(e => e.offsetParent && e.getBoundingClientRect().right > innerWidth + 1
                && !e.closest('.overflow-auto')).map(e => e.outerHTML.slice(0, 120))"""
        )
        self.assertEqual(cut, [], where)
        nameless = self.page.evaluate(
            """() => [...document.querySelectorAll('button, a')].filter(e => e.offsetParent && !(e.textContent.trim()
            || e.getAttribute('aria-label') || e.title)).map(e => e.outerHTML.slice(0, 120))"""
        )
        self.assertEqual(nameless, [], where)
