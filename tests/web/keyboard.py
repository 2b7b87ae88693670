"""A person who uses the keyboard alone; every key that goes down is counted."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.web.browser import BrowserTest

NAME = """() => { const e = document.activeElement; if (!e || e === document.body || e.id === 'screen') return '';
    const label = e.labels && e.labels.length ? e.labels[0].innerText : '';
    return (e.getAttribute('aria-label') || label || e.innerText || e.placeholder || e.title || '').trim(); }"""


class KeyboardTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.presses: list[tuple[str, int]] = []
        self.count = 0

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
            self.count += len(key.split("+"))

    def type(self, text: str, counted: bool = True) -> None:
        self.page.keyboard.type(text)
        self.count += len(text) if counted else 0

    def reach(self, name: str, back: bool = False, most: int = 40) -> None:
        """Tab until what has the focus is called so."""
        seen = []
        for _ in range(most):
            seen.append(self.page.evaluate(NAME)[:40])
            if re.search(name, self.page.evaluate(NAME)):
                return
            self.press("Shift+Tab" if back else "Tab")
        raise AssertionError(f"{name}: not reached, but {seen}")

    def main_step(self, name: str) -> None:
        """Ctrl Enter, once the main step of the screen can be taken."""
        expect(self.page.get_by_role("button", name=name, exact=True)).to_be_enabled(timeout=15_000)
        self.press("Control+Enter")

    def step(self, words: str) -> None:
        self.presses.append((words, self.count))
