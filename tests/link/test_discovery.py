"""Found by DNS-SD on loopback, and missed when it goes."""

import os
import queue
import subprocess
import sys
import tempfile
import threading
import unittest
from pathlib import Path

from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, StandIn
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

    def line(self, process: "subprocess.Popen[str]") -> str:
        """The next that is said of this test's own recorder; others of suites beside leave, too."""
        got: queue.Queue[str] = queue.Queue()
        out = process.stdout
        assert out

        def read() -> None:
            got.put(next((each for each in out if "NM-DISC" in each or "listening" in each), ""))

        threading.Thread(target=read, daemon=True).start()
        return got.get(timeout=15).strip()
