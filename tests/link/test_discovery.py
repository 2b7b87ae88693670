"""Found by DNS-SD on loopback, and missed when it goes."""

import os
import queue
import subprocess
import sys
import tempfile
import threading
import unittest
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


class Discovery(unittest.TestCase):
    def test_appears_and_leaves(self) -> None:
        environment = os.environ | {"PYTHONPATH": str(ROOT / "src"), "KUMPEL_SCOPE": SCOPE}
        with tempfile.TemporaryDirectory() as folder:
            # Both hear the announcement; the second looks in a network that the recorder is not in.
            watch, elsewhere = (
                subprocess.Popen(
                    [sys.executable, "-c", WATCH, *networks],
                    env=environment,
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                    text=True,
                )
                for networks in ((), ("198.51.100.0/24",))
            )
            for each in (watch, elsewhere):
                self.assertEqual(self.line(each), "listening")
            os.environ["KUMPEL_SCOPE"] = SCOPE
            ensemble = Ensemble(Path(folder))
            try:
                ensemble.launch((StandIn("N-1", "NM-DISC", "Noise meter"),))
                port = ensemble.running["N-1"].link
                self.assertEqual(self.line(watch), f"found NM-DISC {port}")
                ensemble.stop()
                self.assertEqual(self.line(watch), f"lost NM-DISC {SCOPE}")
                self.assertEqual(
                    self.line(elsewhere), f"lost NM-DISC {SCOPE}", "that it left is all that is said of it"
                )
            finally:
                ensemble.stop()
                watch.kill()
                elsewhere.kill()
                for process in (watch, elsewhere):
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
        return got.get(timeout=15).strip()
