"""A server that is told to stop stops, whatever hangs; a lookout that strange recorders cannot stop."""

import contextlib
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import unittest
from urllib.parse import urlsplit

import httpx

from kumpel.config import ROOT
from kumpel.link import frames
from kumpel.link.client import LinkError, RecorderLink
from kumpel.store.cluster import free_port
from tests.support import SCOPE, DatabaseTest


class Between(threading.Thread):
    """Stands between the server and its database; hung up, it neither passes anything on nor lets anybody know."""

    def __init__(self, host: str, port: int) -> None:
        super().__init__(daemon=True)
        self._to = (host, port)
        self._door = socket.create_server(("127.0.0.1", 0))
        self.port = self._door.getsockname()[1]
        self.hangs = threading.Event()
        self.start()

    def run(self) -> None:
        while True:
            here, _ = self._door.accept()
            if self.hangs.is_set():
                self._kept = [*getattr(self, "_kept", []), here]
                continue
            there = socket.create_connection(self._to)
            for one, other in ((here, there), (there, here)):
                threading.Thread(target=self._pass_on, args=(one, other), daemon=True).start()

    def _pass_on(self, one: socket.socket, other: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while data := one.recv(65_536):
                while self.hangs.is_set():
                    time.sleep(0.1)
                other.sendall(data)
        other.close()


class Stopping(DatabaseTest):
    def test_within_ten_seconds_while_the_database_hangs(self) -> None:
        there = urlsplit(self.url)
        between = Between(there.hostname or "127.0.0.1", there.port or 5432)
        port = free_port()
        environment = os.environ | {
            "DATABASE_URL": self.url.replace(f":{there.port}/", f":{between.port}/"),
            "KUMPEL_SCOPE": SCOPE,
            "PYTHONPATH": str(ROOT / "src"),
        }
        server = subprocess.Popen(
            [sys.executable, "-m", "kumpel", "start", "--port", str(port)],
            env=environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(server.kill)
        limit = time.monotonic() + 60
        while time.monotonic() < limit:
            try:
                if httpx.get(f"http://127.0.0.1:{port}/api/state", timeout=2, verify=False).status_code == 200:
                    break
            except httpx.HTTPError:
                time.sleep(0.2)
        between.hangs.set()
        for _ in range(3):
            threading.Thread(target=self.waits, args=(port,), daemon=True).start()
        time.sleep(1.5)
        began = time.monotonic()
        server.send_signal(signal.SIGTERM)
        server.wait(12)
        self.assertLess(time.monotonic() - began, 10.0)

    @staticmethod
    def waits(port: int) -> None:
        """A request that hangs with the database."""
        with contextlib.suppress(httpx.HTTPError):
            httpx.get(f"http://127.0.0.1:{port}/api/state", timeout=30)


class Endless(unittest.TestCase):
    """A recorder that lists one session a page, each in good time, for ever."""

    def serve(self) -> int:
        door = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(door.close)

        def one(link: socket.socket) -> None:
            hello = {"protocol": frames.PROTOCOL, "serial": "X-1", "nonce": bytes(16), "locked": False}
            link.sendall(frames.pack({"note": "hello", "with": hello}))
            number = 0
            try:
                while True:
                    head = self.exactly(link, frames.HEADER.size)
                    asked = frames.unpack(head, self.exactly(link, frames.payload_length(head)))
                    number += 1
                    time.sleep(0.4)
                    page = {
                        "id": f"S-{number}",
                        "start": 1.8e9 - number,
                        "length_s": 60.0,
                        "size": 10,
                        "complete": False,
                    }
                    link.sendall(frames.pack({"id": asked["id"], "ok": {"sessions": [page], "more": True}}))
            except OSError:
                pass

        def accept() -> None:
            try:
                while True:
                    link, _ = door.accept()
                    threading.Thread(target=one, args=(link,), daemon=True).start()
            except OSError:
                pass

        threading.Thread(target=accept, daemon=True).start()
        return int(door.getsockname()[1])

    @staticmethod
    def exactly(link: socket.socket, count: int) -> bytes:
        data = b""
        while len(data) < count:
            part = link.recv(count - len(data))
            if not part:
                raise OSError
            data += part
        return data

    def test_the_whole_asking_has_a_deadline(self) -> None:
        began = time.monotonic()
        with (
            self.assertRaisesRegex(LinkError, "took too long|stopped answering"),
            RecorderLink("127.0.0.1", self.serve(), whole_s=2.0) as link,
        ):
            link.sessions()
        self.assertLess(time.monotonic() - began, 3.0)


if __name__ == "__main__":
    unittest.main()
