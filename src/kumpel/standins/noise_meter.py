"""A simulated personal noise meter: `python -m kumpel.standins.noise_meter --help`."""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import json
import signal
import sys
import time
import zlib
from pathlib import Path
from typing import Any

import numpy as np

from kumpel.core.recording import Event
from kumpel.formats import krec
from kumpel.standins import noise_signal
from kumpel.standins.recorder import Memory, Recorder, run

FACTORY_SETUP: dict[str, Any] = {
    "name": "Factory",
    "weightings": [
        {
            "name": "EU / ISO",
            "frequency": "A",
            "time": "I",
            "exchange_rate_db": 3,
            "threshold_db": None,
            "criterion_db": 85.0,
            "criterion_h": 8.0,
        },
        {
            "name": "5 dB rule",
            "frequency": "A",
            "time": "S",
            "exchange_rate_db": 5,
            "threshold_db": 80.0,
            "criterion_db": 90.0,
            "criterion_h": 8.0,
        },
        {
            "name": "3 dB recommendation",
            "frequency": "A",
            "time": "S",
            "exchange_rate_db": 3,
            "threshold_db": 80.0,
            "criterion_db": 85.0,
            "criterion_h": 8.0,
        },
    ],
    "interval_s": 1,
    "start": "by hand",
    "start_at": None,
    "delay_min": None,
    "run_length_min": 480,
    "keypad_lock": False,
    "display": "shown",
}


def channel_heads(setup: dict[str, Any]) -> tuple[krec.ChannelHead, ...]:
    """Channels of a meter with these settings: levels in steps of 0.01 dB as 16-bit integers."""
    heads = []
    for number, each in enumerate(setup.get("weightings") or FACTORY_SETUP["weightings"], 1):
        unit = "dB" if each["frequency"] == "Z" else f"dB({each['frequency']})"
        for key, name in (("leq", "Level"), ("max", "Highest level")):
            heads.append(
                krec.ChannelHead(f"{key}.{number}", f"{name}, {each['name']}", unit, 1.0, "i16", 0.01, 0.0, -32768)
            )
    heads.append(krec.ChannelHead("peak", "C-weighted peak", "dB(C)", 1.0, "i16", 0.01, 0.0, -32768))
    for key, name in (("motion", "Motion"), ("overload", "Overload")):
        heads.append(krec.ChannelHead(key, name, "flag", 1.0, "u8", 1.0, 0.0, 255))
    return tuple(heads)


def make_file(head: dict[str, Any], wish: dict[str, Any]) -> bytes:
    """A session's recording file. Wishes: seed, loud_db, base_db, worn_s, impact_peak_db, drift_db, checks."""
    setup = head["setup"]
    seed = int(wish.get("seed", zlib.crc32(head["session"].encode())))
    length = max(int(head["length_s"]), 1)
    shift = noise_signal.usual_shift(seed, length, wish.get("loud_db", 93.0), wish.get("base_db", 80.0))
    if length < 600:
        shift = noise_signal.Shift((noise_signal.Segment("switched on", length, 62.0),), seed)
    if "worn_s" in wish:
        shift = noise_signal.Shift((*_cut(shift.segments, int(wish["worn_s"])),), seed)
    if "impact_peak_db" in wish:
        shift = noise_signal.Shift(
            shift.segments,
            seed,
            shift.knocks_s,
            shift.overloads_s,
            shift.gaps_s,
            shift.impacts_s,
            float(wish["impact_peak_db"]),
        )
    heads = channel_heads(setup)
    made = noise_signal.make(shift, sum(h.key.startswith("leq") for h in heads))
    about = krec.Head(
        "noise", head["session"], head["start"], head["utc_offset_min"], head["recorder"], setup, heads, head["slip"]
    )
    events = [Event(0.0, "on", "switched on")]
    if wish.get("checks", True) and length >= 600:
        drift = float(wish.get("drift_db", np.random.default_rng(seed).choice([-0.2, -0.1, 0.0, 0.1])))
        events.append(
            Event(
                0.0,
                "check-before",
                "calibrator check",
                {"applied_db": 114.0, "read_db": 114.1, "gauge": "CAL-3"},
            )
        )
        events.append(
            Event(
                float(made.length_s),
                "check-after",
                "calibrator check",
                {"applied_db": 114.0, "read_db": round(114.1 + drift, 1), "gauge": "CAL-3"},
            )
        )
    return krec.write(about, made.channels, events)


def _cut(segments: tuple[noise_signal.Segment, ...], worn_s: int) -> list[noise_signal.Segment]:
    kept, left = [], worn_s
    for segment in segments:
        take = min(segment.length_s, left)
        if take > 0:
            kept.append(noise_signal.Segment(segment.task, take, segment.level_db, segment.spread_db))
        left -= take
    return kept


def arguments() -> argparse.Namespace:
    parser = argparse.ArgumentParser(description="A simulated personal noise meter on loopback.")
    parser.add_argument("--folder", type=Path, required=True, help="its memory")
    parser.add_argument("--serial", required=True)
    parser.add_argument("--token", required=True, help="its short name, such as N-07")
    parser.add_argument("--name", default="Noise meter")
    parser.add_argument("--place", default="cable")
    parser.add_argument("--port", type=int, default=0)
    parser.add_argument("--control-port", type=int, default=0)
    parser.add_argument("--clock-error", type=float, default=0.0, help="seconds fast")
    parser.add_argument("--battery", type=float, default=0.8)
    parser.add_argument("--passcode", default="", help="needed for changes; reading never needs one")
    parser.add_argument("--time-factor", type=float, default=1.0, help="3600: an hour passes in a second")
    parser.add_argument("--auto-start", action="store_true", help="start recording by itself when handed out")
    parser.add_argument("--quiet-net", action="store_true", help="do not announce by DNS-SD")
    return parser.parse_args()


async def main() -> None:
    options = arguments()
    offset = round((time.localtime().tm_gmtoff or 0) / 60)
    memory = Memory(options.folder)
    memory.load(
        {
            "clock_error_s": options.clock_error,
            "utc_offset_min": offset,
            "battery": options.battery,
            "passcode": options.passcode,
            "place": options.place,
            "setup": FACTORY_SETUP,
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
        "kind": "noise",
        "model": "NM-1",
        "firmware": "1.4.0",
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


if __name__ == "__main__":
    asyncio.run(main())
    sys.exit(0)
