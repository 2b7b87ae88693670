"""A personal noise meter: three weightings, C peak, motion, calibrator checks."""

from __future__ import annotations

import zlib
from typing import Any

import numpy as np

from kumpel.formats import krec
from kumpel.formats.krec import Event
from kumpel.link.abilities import CHECKS, FIRMWARE, LIVE
from kumpel.standins import noise_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Wishes

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


def make_file(head: dict[str, Any], wish: Wishes) -> bytes:
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


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: those of `make_file`."""
    head = {
        "session": began.session,
        "start": began.start,
        "utc_offset_min": began.utc_offset_min,
        "length_s": int(began.length_s),
        "setup": dict(began.setup),
        "slip": dict(began.slip),
        "recorder": dict(began.recorder),
    }
    return Recorded(float(max(int(began.length_s), 0)), (make_file(head, wishes),))


DEVICE = Device(
    "noise",
    "NM-1",
    "1.4.0",
    FACTORY_SETUP,
    record,
    (Measured("leq.1", "Level", "dB(A)", 1.0, 52.0, 3.0), Measured("peak", "C-weighted peak", "dB(C)", 1.0, 74.0, 4.0)),
    (LIVE, CHECKS, FIRMWARE),
    checks={"calibrator": ("microphone",)},
    check_s=10.0,
)
