"""Found by DNS-SD on loopback, and missed when it goes."""

import os
import queue
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from kumpel.config import ROOT
from tests.support import SCOPE

WATCH = """
import sys
from kumpel.link.discovery import Watch
watch = Watch(lambda a: print("found", a.serial, a.port, flush=True), lambda s: print("lost", s, flush=True))
sys.stdin.read()
"""


class Discovery(unittest.TestCase):
    def test_appears_and_leaves(self) -> None:
        environment = os.environ | {"PYTHONPATH": str(ROOT / "src"), "KUMPEL_SCOPE": SCOPE}
        with tempfile.TemporaryDirectory() as folder:
            watch = subprocess.Popen(
                [sys.executable, "-c", WATCH], env=environment, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
            )
            command = [
                sys.executable,
                "-m",
                "kumpel.standins.noise_meter",
                "--folder",
                str(Path(folder)),
                "--serial",
                "NM-DISC",
                "--token",
                "N-1",
            ]
            meter = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)
            try:
                assert meter.stdout and watch.stdout and watch.stdin
                port = meter.stdout.readline().split("port ")[1].split(",")[0]
                self.assertEqual(self.line(watch), f"found NM-DISC {port}")
                meter.terminate()
                self.assertEqual(self.line(watch), f"lost NM-DISC {SCOPE}")
            finally:
                meter.kill()
                watch.kill()
                for process in (meter, watch):
                    process.communicate()

    def line(self, process: "subprocess.Popen[str]") -> str:
        import threading

        got: queue.Queue[str] = queue.Queue()
        assert process.stdout
        threading.Thread(target=lambda: got.put(process.stdout.readline()), daemon=True).start()
        return got.get(timeout=15).strip()
