"""What every simulated recorder is as a program: its arguments, its memory, its ports, its end."""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import json
import signal
import time
from pathlib import Path
from typing import Any

from kumpel.standins.recorder import MakeFile, Memory, Recorder, run


def parser(description: str, name: str) -> argparse.ArgumentParser:
    found = argparse.ArgumentParser(description=description)
    found.add_argument("--folder", type=Path, required=True, help="its memory")
    found.add_argument("--serial", required=True)
    found.add_argument("--token", required=True, help="its short name, such as N-07")
    found.add_argument("--name", default=name)
    found.add_argument("--place", default="cable")
    found.add_argument("--port", type=int, default=0)
    found.add_argument("--control-port", type=int, default=0)
    found.add_argument("--clock-error", type=float, default=0.0, help="seconds fast")
    found.add_argument("--battery", type=float, default=0.8)
    found.add_argument("--passcode", default="", help="needed for changes; reading never needs one")
    found.add_argument("--time-factor", type=float, default=1.0, help="3600: an hour passes in a second")
    found.add_argument("--auto-start", action="store_true", help="start recording by itself when handed out")
    found.add_argument("--quiet-net", action="store_true", help="do not announce by DNS-SD")
    return found


async def serve(
    options: argparse.Namespace, kind: str, model: str, firmware: str, setup: dict[str, Any], make_file: MakeFile
) -> None:
    """Be a recorder of a kind, with these settings when it is new, until told to end."""
    memory = Memory(options.folder)
    memory.load(
        {
            "clock_error_s": options.clock_error,
            "utc_offset_min": round((time.localtime().tm_gmtoff or 0) / 60),
            "battery": options.battery,
            "passcode": options.passcode,
            "place": options.place,
            "setup": setup,
            "slip": {},
            "revision": 1,
            "sessions": {},
            "counter": 0,
            "recording": None,
        }
    )
    about = {
        "serial": options.serial,
        "name": options.name,
        "token": options.token,
        "kind": kind,
        "model": model,
        "firmware": firmware,
        "keeps_one": False,
    }
    recorder = Recorder(memory, about, make_file, options.time_factor, options.auto_start)

    def ready(port: int, control_port: int) -> None:
        (options.folder / "ports.json").write_text(json.dumps({"link": port, "control": control_port}))
        print(f"{options.token} on port {port}, control {control_port}", flush=True)

    task = asyncio.ensure_future(run(recorder, options.port, options.control_port, not options.quiet_net, ready))
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, task.cancel)
    with contextlib.suppress(asyncio.CancelledError):
        await task
