"""Found by DNS-SD on loopback, and missed when it goes."""

import contextlib
import os
import queue
import subprocess
import sys
import tempfile
import threading
import unittest
from collections.abc import Iterator
from pathlib import Path
from unittest import mock

from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.link import discovery
from tests.support import SCOPE

WATCH = """
import sys
from kumpel.link.discovery import Watch
networks = sys.argv[1:] or ("127.0.0.0/8",)
watch = Watch(
    lambda a: print("found", a.serial, a.port, flush=True),
    lambda s: print("lost", s, flush=True),
    networks=networks,
)
print("listening", flush=True)
sys.stdin.read()
"""


SAID_S = 20.0
TRIES = 3
"""Multicast promises nothing: on a machine with much to do the one goodbye may be lost, and what is announced stays for an hour."""


class Discovery(unittest.TestCase):
    def test_appears_and_leaves(self) -> None:
        os.environ["KUMPEL_SCOPE"] = SCOPE
        for _ in range(TRIES):
            port, heard, heard_elsewhere = self.hear_one_come_and_go()
            left = f"lost NM-DISC {SCOPE}"
            if (heard, heard_elsewhere) == ([f"found NM-DISC {port}", left], [left]):
                return
        self.assertEqual(heard, [f"found NM-DISC {port}", left])
        self.assertEqual(heard_elsewhere, [left], "that it left is all that is said of it")

    def hear_one_come_and_go(self) -> tuple[int, list[str], list[str]]:
        """Its port, what one said who listens in its network, and one who looks in a network that it is not in."""
        with (
            tempfile.TemporaryDirectory() as folder,
            self.watching() as here,
            self.watching("198.51.100.0/24") as there,
        ):
            ensemble = Ensemble(Path(folder))
            try:
                ensemble.launch((StandIn("N-1", "NM-DISC", "Noise meter"),))
                port = ensemble.running["N-1"].link
                heard = [self.line(here)]
            finally:
                ensemble.stop()
            return port, [*heard, self.line(here)], [self.line(there)]

    @contextlib.contextmanager
    def watching(self, *networks: str) -> "Iterator[subprocess.Popen[str]]":
        process = subprocess.Popen(
            [sys.executable, "-c", WATCH, *networks],
            env=os.environ | {"PYTHONPATH": str(ROOT / "src")},
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        try:
            self.assertEqual(self.line(process), "listening")
            yield process
        finally:
            process.kill()
            process.communicate()

    def test_one_whose_answer_was_lost_is_asked_again(self) -> None:
        os.environ["KUMPEL_SCOPE"] = SCOPE
        real, asked = discovery.Zeroconf.get_service_info, list[str]()

        def lost_twice(mdns: discovery.Zeroconf, kind: str, name: str, timeout: int = 0) -> object:
            asked.append(name)
            return None if asked.count(name) <= 2 else real(mdns, kind, name, timeout=timeout)

        found: queue.Queue[discovery.Announcement] = queue.Queue()
        with (
            tempfile.TemporaryDirectory() as folder,
            mock.patch.object(discovery, "AGAIN_S", (0.1, 0.1, 0.1)),
            mock.patch.object(discovery.Zeroconf, "get_service_info", lost_twice),
        ):
            ensemble = Ensemble(Path(folder))
            watch = discovery.Watch(found.put, lambda name: None, networks=("127.0.0.0/8",))
            try:
                ensemble.launch((StandIn("N-1", "NM-LOST", "Noise meter"),))
                serials = [found.get(timeout=20).serial]
                while serials[-1] != "NM-LOST":  # others of suites beside appear, too
                    serials.append(found.get(timeout=20).serial)
            finally:
                watch.close()
                ensemble.stop()
        self.assertGreaterEqual(max(map(asked.count, asked)), 3)

    def line(self, process: "subprocess.Popen[str]") -> str:
        """The next that is said of this test's own recorder; others of suites beside leave, too."""
        got: queue.Queue[str] = queue.Queue()
        out = process.stdout
        assert out

        def read() -> None:
            got.put(next((each for each in out if "NM-DISC" in each or "listening" in each), ""))

        threading.Thread(target=read, daemon=True).start()
        with contextlib.suppress(queue.Empty):
            return got.get(timeout=SAID_S).strip()
        return ""
