"""The rules of WCAG 2.2 AA, and of good practice, that a program can check (axe-core)."""

from __future__ import annotations

import json
from typing import Any

from playwright.sync_api import Page

from kumpel.config import ROOT

AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
RULES = {
    "runOnly": {"type": "tag", "values": TAGS},
    "rules": {"label-content-name-mismatch": {"enabled": True}},
}
COLOURS = {"runOnly": {"type": "rule", "values": ["color-contrast", "link-in-text-block"]}}
"""What another look of the same page can break."""


def violations(page: Page, rules: dict[str, Any] = RULES) -> list[str]:
    """What axe-core finds, each with the rule and the element."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE.read_text())
    found: dict[str, Any] = page.evaluate(f"axe.run(document, {json.dumps(rules)})")
    return [
        f"{v['id']}: {node['target']} {node['html'][:140]} {(node.get('any') or [{}])[0].get('message', '')[:160]}"
        for v in found["violations"]
        for node in v["nodes"][:3]
    ]
