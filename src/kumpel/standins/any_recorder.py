"""A simulated recorder of any kind, from a declaration: `python -m kumpel.standins.any_recorder --declaration FILE ...`.

The declaration is JSON: `kind`, `model`, `setup`, `channels` (each with key, name, unit, interval_s, level, swing and, where
it is not whole hours, period_s) and `events` (each with code, text, every_s, and numbers under data). Channels are slow
waves of `swing` around `level` with seeded noise of a tenth of it; events come every so often.
"""

from __future__ import annotations

import asyncio
import json
import zlib
from pathlib import Path
from typing import Any

import numpy as np

from kumpel.core.recording import Event
from kumpel.formats import krec
from kumpel.standins.program import parser, serve
from kumpel.standins.recorder import MakeFile

PERIOD_S = 3600.0


def maker(declaration: dict[str, Any]) -> MakeFile:
    """What records a session of the declaration's channels and events."""

    def make_file(head: dict[str, Any], wish: dict[str, Any]) -> bytes:
        rng = np.random.default_rng(int(wish.get("seed", zlib.crc32(head["session"].encode()))))
        length_s = max(float(head["length_s"]), 1.0)
        heads, values = [], {}
        for each in declaration["channels"]:
            count = max(int(length_s / each["interval_s"]), 1)
            at = np.arange(count) * each["interval_s"]
            wave = np.sin(2 * np.pi * at / each.get("period_s", PERIOD_S))
            heads.append(
                krec.ChannelHead(each["key"], each["name"], each["unit"], each["interval_s"], "f32", 1.0, 0.0, None)
            )
            values[each["key"]] = each["level"] + each["swing"] * (wave + 0.1 * rng.standard_normal(count))
        events = [
            Event(float(at), each["code"], each["text"], each.get("data", {}))
            for each in declaration.get("events", [])
            for at in np.arange(each["every_s"], length_s, each["every_s"])
        ]
        about = krec.Head(
            declaration["kind"],
            head["session"],
            head["start"],
            head["utc_offset_min"],
            head["recorder"],
            head["setup"],
            tuple(heads),
            head["slip"],
        )
        return krec.write(about, values, sorted(events, key=lambda e: e.at_s))

    return make_file


if __name__ == "__main__":
    options_parser = parser("A simulated recorder of any kind on loopback.", "Recorder")
    options_parser.add_argument(
        "--declaration", type=Path, required=True, help="JSON: kind, model, setup, channels, events"
    )
    options = options_parser.parse_args()
    declared = json.loads(options.declaration.read_text())
    asyncio.run(serve(options, declared["kind"], declared["model"], "1.0.0", declared["setup"], maker(declared)))
