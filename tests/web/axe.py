"""A page held against the rules of axe-core."""

from __future__ import annotations

from typing import Any

from tests.web.axe_rules import COLOURS, RULES, violations
from tests.web.browser import BrowserTest

__all__ = ["COLOURS", "RULES", "AxeTest"]


class AxeTest(BrowserTest):
    maxDiff = None

    def check(self, where: str, rules: dict[str, Any] = RULES) -> None:
        with self.subTest(where=where):
            self.page.wait_for_timeout(400)
            self.assertEqual(violations(self.page, rules), [], where)
