"""A device of any kind from a declaration in JSON: `kind`, `model`, `setup`, `channels` and `events`.

Channels have key, name, unit, interval_s, level, swing and, where it is not whole hours, period_s: slow waves of `swing` around
`level` with seeded noise of a tenth of it. Events have code, text, every_s and numbers under data: they come every so often.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from kumpel.formats import krec
from kumpel.standins.device import Began, Device, Measured, Recorded, Wishes, seed_of

PERIOD_S = 3600.0


def device(declaration: dict[str, Any]) -> Device:
    def record(began: Began, wishes: Wishes) -> Recorded:
        rng = np.random.default_rng(seed_of(began, wishes))
        length_s = max(float(began.length_s), 1.0)
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
            krec.Event(float(at), each["code"], each["text"], each.get("data", {}))
            for each in declaration.get("events", [])
            for at in np.arange(each["every_s"], length_s, each["every_s"])
        ]
        about = krec.Head(
            declaration["kind"],
            began.session,
            began.start,
            began.utc_offset_min,
            began.recorder,
            began.setup,
            tuple(heads),
            began.slip,
        )
        return Recorded(length_s, (krec.write(about, values, sorted(events, key=lambda e: e.at_s)),))

    measured = tuple(
        Measured(c["key"], c["name"], c["unit"], 1 / c["interval_s"], c["level"], c["swing"])
        for c in declaration["channels"]
    )
    return Device(declaration["kind"], declaration["model"], "1.0.0", declaration["setup"], record, measured, ("live",))
