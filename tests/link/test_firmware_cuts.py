"""Two hundred recorders, each cut at another byte of its new program's way, some as their battery ends: every one starts and gets it in the end."""

from __future__ import annotations

import asyncio
import contextlib
import hashlib
import random
import socket
import tempfile
import threading
import unittest
from pathlib import Path

from kumpel.link import frames
from kumpel.link.client import RecorderLink
from kumpel.link.errors import LinkError
from kumpel.standins import maker
from kumpel.standins.devices import DEVICES
from kumpel.standins.memory import Memory
from kumpel.standins.recorder import Declared, Recorder
from kumpel.standins.serving import Serving

OLD, NEW = DEVICES["vehicle"].firmware, "4.4.0"
IMAGE = maker.image("vehicle", ["VL-16"], NEW, 150_000)
SHA256 = hashlib.sha256(IMAGE).digest()
WHO = Declared("V-01", "VL-000001", "Logger 1")


class Powered:
    """A recorder that is switched on: what it keeps, it keeps in its folder alone."""

    def __init__(self, folder: Path) -> None:
        self.recorder = Recorder(Memory(folder), DEVICES["vehicle"], WHO)
        self._loop = asyncio.new_event_loop()
        serving = Serving(self.recorder)
        opening = asyncio.start_server(serving.tcp, "127.0.0.1", 0, limit=frames.MAX_PAYLOAD)
        self._server = self._loop.run_until_complete(opening)
        self.port = int(self._server.sockets[0].getsockname()[1])
        self._thread = threading.Thread(target=self._loop.run_forever)
        self._thread.start()

    def off(self) -> None:
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join()
        self._loop.run_until_complete(self._end())
        self._loop.close()

    async def _end(self) -> None:
        self._server.close()
        tasks = asyncio.all_tasks() - {asyncio.current_task()}
        if tasks:
            await asyncio.wait(tasks, timeout=1.0)


class CutAfter:
    """A cable to a recorder that is pulled after so many bytes went towards it."""

    def __init__(self, port: int, after: int) -> None:
        self._there, self._left = port, after
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port = int(self._listening.getsockname()[1])
        self._thread = threading.Thread(target=self._carry)
        self._thread.start()

    def _carry(self) -> None:
        here, _ = self._listening.accept()
        there = socket.create_connection(("127.0.0.1", self._there))
        back = threading.Thread(target=self._back, args=(there, here))
        back.start()
        while self._left > 0 and (data := here.recv(min(65_536, self._left))):
            there.sendall(data)
            self._left -= len(data)
        for end in (here, there):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
        back.join()
        here.close()
        there.close()
        self._listening.close()

    @staticmethod
    def _back(there: socket.socket, here: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while data := there.recv(65_536):
                here.sendall(data)

    def join(self) -> None:
        self._thread.join()


class Cuts(unittest.TestCase):
    def test_two_hundred_cuts_and_two_hundred_start(self) -> None:
        rng = random.Random(22_005)
        whole = len(IMAGE) + 1_200
        came_on = 0
        for number in range(200):
            with self.subTest(number), tempfile.TemporaryDirectory(prefix="kumpel-cut-") as folder:
                came_on += self.cut_once(Path(folder), rng.randrange(whole), rng.random() < 0.5, rng)
        self.assertGreater(came_on, 100, "most went on from where they were cut")

    def cut_once(self, folder: Path, after: int, battery_ends: bool, rng: random.Random) -> bool:
        """Whether something of the first sending was still there at the second."""
        powered = Powered(folder)
        cable = CutAfter(powered.port, after)
        with contextlib.suppress(LinkError), RecorderLink("127.0.0.1", cable.port) as link:
            list(link.send_firmware(NEW, IMAGE, SHA256))
            link.switch_firmware()
        cable.join()
        if battery_ends:
            powered.off()
            # What was being written as its battery ended: more than it knows of, or a state that was not finished.
            with (folder / "firmware.part").open("ab") as part:
                part.write(rng.randbytes(rng.randrange(3_000)))
            (folder / "state.part").write_bytes(rng.randbytes(40))
            powered = Powered(folder)
        try:
            with RecorderLink("127.0.0.1", powered.port) as link:
                runs = link.describe().firmware
                self.assertIn(runs, (OLD, NEW))
                if runs == NEW:
                    return True
                kept = link.firmware().received
                list(link.send_firmware(NEW, IMAGE, SHA256))
                link.switch_firmware()
            with RecorderLink("127.0.0.1", powered.port) as link:
                self.assertEqual(link.describe().firmware, NEW)
            return kept > 0
        finally:
            powered.off()
