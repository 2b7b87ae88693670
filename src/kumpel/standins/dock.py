"""Many simulated recorders in one program: `python -m kumpel.standins.dock --folder FOLDER --recorders FILE`.

FILE is a JSON list; each entry has `kind` (or `device`, a declaration as in `declared`) and the fields of `Declared`; `port` is a folder in
which the recorder stands as a serial port instead of on the network. The program writes `ports.json` into FOLDER (`links`: a port by
token, `control`: the port of all) and ends with the program that started it.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import json
import os
import signal
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from zeroconf import ServiceInfo, Zeroconf

from kumpel.link import discovery, frames
from kumpel.standins import declared
from kumpel.standins.control import obey
from kumpel.standins.devices import DEVICES
from kumpel.standins.memory import Memory
from kumpel.standins.radio_calls import is_heard
from kumpel.standins.recorder import Declared, Recorder, Refuse
from kumpel.standins.serving import Serving
from kumpel.standins.talk import SerialStream

TICK_S = 0.1
MOST_TOLD = 1 << 24


class Dock:
    def __init__(self, folder: Path, hosts: tuple[str, ...]) -> None:
        self.folder, self.hosts = folder, hosts
        self.bays: dict[str, Serving] = {}
        self.links: dict[str, int] = {}
        self._open: list[asyncio.Server] = []
        self._tasks: list[asyncio.Task[None]] = []
        self._said: dict[str, ServiceInfo] = {}

    async def put(self, entry: dict[str, Any]) -> None:
        """One recorder more."""
        about = dict(entry)
        kind, own, port = about.pop("kind", ""), about.pop("device", None), about.pop("port", "")
        device = declared.device(own) if own else DEVICES[kind]
        for key in ("courses", "checks"):
            about[key] = tuple(about.get(key, ()))
        who = Declared(**about)
        folder = self.folder / who.token
        folder.mkdir(parents=True, exist_ok=True)
        serving = Serving(Recorder(Memory(folder), device, who))
        self.bays[who.token] = serving
        if port:
            serving.port = SerialStream(Path(port) / f"{who.token}-{who.serial}")
            self._tasks.append(asyncio.create_task(serving.serial(serving.port)))
            self.links[who.token] = 0
            return
        server = await asyncio.start_server(serving.tcp, list(self.hosts), 0, limit=frames.MAX_PAYLOAD)
        self._open.append(server)
        self.links[who.token] = server.sockets[0].getsockname()[1]

    async def announce(self, mdns: Zeroconf) -> None:
        """Announces those that are heard, and takes back those that are not any more."""
        heard = {token for token, s in self.bays.items() if self.links[token] and is_heard(s.recorder)}
        infos = {
            token: discovery.service_info(
                self.bays[token].recorder.declared.serial,
                self.bays[token].recorder.device.kind,
                self.links[token],
                self.hosts,
            )
            for token in heard - self._said.keys()
        }
        lost = {token: self._said.pop(token) for token in self._said.keys() - heard}
        for token in lost:
            self.bays[token].vanish()
        for token in infos:
            self.bays[token].recorder.gone = False
        said = [
            await mdns.async_register_service(info, allow_name_change=False, cooperating_responders=True)
            for info in infos.values()
        ]
        said += [await mdns.async_unregister_service(info) for info in lost.values()]
        self._said |= infos
        await asyncio.gather(*said)

    async def control(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while line := await reader.readline():
            try:
                wish = json.loads(line)
                bay = self.bays[wish.pop("to")]
                slow = bay.recorder.device.heavy and wish["do"] == "record"
                answer = await asyncio.to_thread(obey, bay, wish) if slow else obey(bay, wish)
            except (Refuse, KeyError, TypeError, ValueError) as error:
                answer = {"error": repr(error)}
            writer.write(json.dumps(answer).encode() + b"\n")
            await writer.drain()
        writer.close()

    async def run(self, mdns: Zeroconf | None) -> None:
        """What happens by itself, until the program that started this one is gone."""
        parent = os.getppid()
        on_air = mdns is not None and any(s.recorder.declared.opens for s in self.bays.values())
        while os.getppid() == parent:
            for serving in self.bays.values():
                serving.recorder.tick()
            if on_air and mdns is not None:
                await self.announce(mdns)
            await asyncio.sleep(TICK_S)

    def close(self) -> None:
        for server in self._open:
            server.close()
        for task in self._tasks:
            task.cancel()


async def serve(options: argparse.Namespace) -> None:
    dock = Dock(options.folder, tuple(options.host))
    for entry in json.loads(options.recorders.read_text()):
        await dock.put(entry)
    control = await asyncio.start_server(dock.control, "127.0.0.1", 0, limit=MOST_TOLD)
    mdns: Zeroconf | None = None
    if not options.quiet_net:
        mdns = discovery.open_mdns(dock.hosts)
        await dock.announce(mdns)
    ports = {"links": dock.links, "control": control.sockets[0].getsockname()[1]}
    part = options.folder / "ports.part"
    part.write_text(json.dumps(ports))
    part.replace(options.folder / "ports.json")
    task = asyncio.ensure_future(dock.run(mdns))
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, task.cancel)
    try:
        with contextlib.suppress(asyncio.CancelledError):
            await task
    finally:
        dock.close()
        control.close()
        if mdns is not None:
            await mdns.async_unregister_all_services()
            mdns.close()


def main(arguments: Sequence[str] | None = None) -> None:
    found = argparse.ArgumentParser(description="Simulated recorders.")
    found.add_argument("--folder", type=Path, required=True, help="their memory")
    found.add_argument("--recorders", type=Path, required=True, help="JSON: who they are")
    found.add_argument("--host", action="append", help="address to listen and announce on (127.0.0.1)")
    found.add_argument("--quiet-net", action="store_true", help="do not announce by DNS-SD")
    options = found.parse_args(arguments)
    options.host = options.host or ["127.0.0.1"]
    asyncio.run(serve(options))


if __name__ == "__main__":
    main()
