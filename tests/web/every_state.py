"""Every state that a test of the browser waits for, held against axe-core: `KUMPEL_AXE=1 ./kumpel test tests.web.test_slips`.

After each expectation that came true the page is checked as it stands then (loading, refused, empty, somebody else at the same
time); what is found is printed once and makes the test fail at its end. It takes several times as long, so the suite does without
it and checks the views themselves (tests/web/test_accessible.py).
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

from playwright.sync_api import Error, LocatorAssertions, Page

from tests.web.axe_rules import RULES, violations

WANTED = bool(os.environ.get("KUMPEL_AXE"))
WAITS = ("to_be_visible", "to_contain_text", "to_have_text", "to_have_value", "to_have_count", "to_be_hidden")
_watched: list[Page] = []
_found: dict[str, None] = {}
_seen: set[int] = set()


def watch(page: Page) -> None:
    """Look at this page from now on, and at no other."""
    _watched[:] = [page]


def found() -> list[str]:
    """What was found since this was last asked."""
    made = list(_found)
    _found.clear()
    return made


def _look() -> None:
    page = _watched[0] if _watched else None
    if page is None or page.is_closed():
        return
    try:
        state = hash(page.evaluate("document.body.innerHTML.replace(/[0-9]+/g, '')"))
        if state in _seen:
            return
        _seen.add(state)
        new = [each for each in violations(page, RULES) if each not in _found]
        for each in new:
            print(f"axe-core: {each}", flush=True)
        _found.update(dict.fromkeys(new))
    except Error:
        return  # It went to another page meanwhile.


def _looking(wait: Callable[..., None]) -> Callable[..., None]:
    def waits(*args: Any, **named: Any) -> None:
        wait(*args, **named)
        _look()

    return waits


if WANTED:
    for name in WAITS:
        setattr(LocatorAssertions, name, _looking(getattr(LocatorAssertions, name)))
