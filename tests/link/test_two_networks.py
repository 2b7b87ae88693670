"""A recorder on another machine is found and asked across a network: two network namespaces, a cable between them."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from kumpel.config import ROOT
from kumpel.demo.ensemble import StandIn

WAYS = (
    ["unshare", "--net"],
    ["sudo", "-n", "-E", "unshare", "--net"],
    ["unshare", "--user", "--map-root-user", "--net"],
)
"""As root, as somebody who may become root, as anybody where the system lets them."""


def way() -> list[str] | None:
    for each in WAYS:
        if shutil.which(each[0]) and subprocess.run([*each, "true"], capture_output=True).returncode == 0:
            return each
    return None


class Across(unittest.TestCase):
    def found(self, here: str, there: str, network: str) -> dict[str, object]:
        made = way()
        if made is None:
            # Nothing on one network stands for two, and the right to make one is the system's to give.
            self.skipTest("this system lets nobody make a network namespace")
        folder = Path(
            self.enterContext(tempfile.TemporaryDirectory(prefix="kumpel-networks-", ignore_cleanup_errors=True))
        )
        meter = StandIn("N-31", "NM-000131", "Noise meter 31")
        (folder / "recorders.json").write_text(json.dumps([meter.entry(1.0)]))
        environment = os.environ | {"PYTHONPATH": f"{ROOT / 'src'}:{ROOT}", "KUMPEL_SCOPE": f"n{os.getpid()}"}
        script = [str(ROOT / "tests" / "link" / "two_networks.sh"), sys.executable, str(folder), here, there, network]
        keep = ["env", *(f"{k}={environment[k]}" for k in ("PYTHONPATH", "KUMPEL_SCOPE", "PATH"))]
        done = subprocess.run([*made, *keep, "bash", *script], capture_output=True, text=True, timeout=90)
        self.assertEqual(done.returncode, 0, done.stderr[-3000:])
        found: dict[str, object] = json.loads(done.stdout.splitlines()[-1])
        return found

    def test_over_ipv4(self) -> None:
        found = self.found("198.51.100.1/24", "198.51.100.2/24", "198.51.100.0/24")
        self.assertEqual((found["host"], found["token"], found["mine"]), ("198.51.100.2", "N-31", ["198.51.100.1"]))

    def test_over_ipv6(self) -> None:
        found = self.found("fd00:10::1/64", "fd00:10::2/64", "fd00:10::/64")
        self.assertEqual((found["host"], found["token"], found["mine"]), ("fd00:10::2", "N-31", ["fd00:10::1"]))
