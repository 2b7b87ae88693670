"""What a simulated recorder answers to the calls of its abilities (docs/link-protocol.md, 8 to 13 and 16)."""

from __future__ import annotations

import asyncio
import contextlib
import math
import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from kumpel.link.abilities import CHECKS, MOST_COURSE_VALUES, RAW_VALUE, course_hash, senml
from kumpel.link.messages import Code, Mode
from kumpel.standins import drawing
from kumpel.standins.device import Measured, Screen, Sensor
from kumpel.standins.recorder import Recorder, Refuse
from kumpel.standins.sensor_faults import state_of
from kumpel.standins.talk import Talk

STILL_S = 5.0
"""One that tells says so often that it is still there."""
HELD_S, MOVED_S = 6.0, 2.0
"""How long somebody holds a wheel or a pedal in one place, and takes to the next."""


@dataclass
class AbilityCalls:
    recorder: Recorder

    # -- live values, raw values, calibrations

    def _measured(self, key: object) -> Measured:
        found = next((m for m in self.recorder.measured if m.key == key), None)
        if found is None:
            raise Refuse(Code.NOT_FOUND, f"no channel “{key}”")
        return found

    def raw_value(self, channel: Measured) -> float:
        """The sensor's own value now: as told over the control port, else that of where it is held, else a slow wave, with noise."""
        told, sensor = self.recorder.state["raw"].get(channel.key), channel.sensor
        rng = np.random.default_rng()
        checking = self.recorder.state["checking"]
        if checking and checking["sensor"] == channel.key.split(".")[0] and checking["applied"] is not None:
            return self._answering(checking, channel, sensor.noise if sensor else 0.004 * checking["applied"])
        if told is not None:
            noise = sensor.noise if sensor else 0.02 * max(channel.swing, 0.01)
            return math.nan if told == "missing" else float(told) + noise * rng.normal()
        if sensor is not None:
            return raw_of(self._true(channel, sensor), sensor.gives) + sensor.noise * rng.normal()
        wave = math.sin(2 * math.pi * time.time() / 8.0)
        return channel.level + channel.swing * (wave + 0.05 * rng.normal())

    def _answering(self, checking: dict[str, Any], channel: Measured, noise: float) -> float:
        """What a sensor shows of what is applied to it at the moment."""
        factor = max(self.recorder.declared.time_factor, 1.0)
        left_s = max(checking["at"] - self.recorder.clock(), 0.0) * factor
        after_s = max(self.recorder.device.check_s - left_s, 0.0)
        state = state_of(self.recorder.state["raw"], checking["sensor"])
        return state.reads(checking["applied"], after_s) + noise * np.random.default_rng().normal()

    def _true(self, channel: Measured, sensor: Sensor) -> float:
        """Where the sensor is held: as told, else moved from one position to the next, else at rest."""
        held = self.recorder.state["held"].get(channel.key)
        if held is not None:
            return float(held)
        if not sensor.turns or not self.recorder.declared.moved:
            return channel.level
        turn, at_s = divmod(time.time(), HELD_S + MOVED_S)
        count = len(sensor.turns)
        last, there = sensor.turns[int(turn - 1) % count], sensor.turns[int(turn) % count]
        return there if at_s >= MOVED_S else last + (there - last) * (1 - math.cos(math.pi * at_s / MOVED_S)) / 2

    def value(self, channel: Measured) -> float:
        kept = self.recorder.state["calibrations"].get(channel.key, {}).get("points", [])
        believed = channel.sensor.believed if channel.sensor else ()
        points = [(p["raw"], p["true"]) for p in kept] or list(believed)
        if len(kept) == 1 and believed:
            # The line of its data sheet, its zero moved.
            raw, true = points[0]
            zero = float(true) - calibrated(raw, believed)
            return calibrated(self.raw_value(channel), believed) + zero
        return calibrated(self.raw_value(channel), points)

    def call_live(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        channels = [self._measured(key) for key in values["channels"]]
        fastest = 1000 / max((m.most_hz for m in channels), default=50.0)
        every_ms = round(max(min(float(values["every_ms"]), 60_000.0), fastest, 20.0))
        raw = [self._measured(key) for key in values.get("raw", [])]
        if any(m.sensor is None or m not in channels for m in raw):
            raise Refuse(Code.BAD_VALUE, "a channel without a raw value, or one that is not asked for")
        talk.keep_on("live", self._live(talk, channels, raw, every_ms / 1000) if channels else None)
        return {"channels": [m.key for m in channels], "every_ms": every_ms}

    async def _live(self, talk: Talk, channels: list[Measured], raw: list[Measured], every_s: float) -> None:
        due_s = {m.key: 0.0 for m in channels}
        while True:
            now_s = time.monotonic()
            new = [m for m in channels if due_s[m.key] <= now_s]
            due_s |= {m.key: now_s + 1 / m.most_hz - every_s / 2 for m in new}
            values = [(m.key, m.unit, self.value(m)) for m in new]
            values += [(m.key + RAW_VALUE, m.sensor.unit, self.raw_value(m)) for m in new if m in raw and m.sensor]
            if values:
                records = senml(self.recorder.declared.serial, self.recorder.clock(), values)
                await talk.send({"note": "live", "with": {"records": records}})
            await asyncio.sleep(every_s)

    async def call_capture(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        channel, hold_s = self._measured(values["channel"]), float(values["hold_s"])
        if not 0.1 <= hold_s <= 5:
            raise Refuse(Code.BAD_REQUEST, "hold_s is 0.1 to 5")
        count = max(int(hold_s * min(channel.most_hz, 50.0)), 2)
        readings = []
        for _ in range(count):
            readings.append(self.raw_value(channel))
            await asyncio.sleep(hold_s / count)
        mean, spread = float(np.mean(readings)), float(np.std(readings))
        if math.isnan(mean):
            raise Refuse(Code.FAULT, f"{channel.name}: nothing was measured")
        return {"channel": channel.key, "raw": mean, "spread": spread, "count": count}

    def call_calibrations(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        return {"calibrations": [{"channel": key} | each for key, each in self.recorder.state["calibrations"].items()]}

    def call_calibrate(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        channel = self._measured(values["channel"])
        points = [{"raw": float(p["raw"]), "true": float(p["true"])} for p in values["points"]]
        raws = [p["raw"] for p in points]
        if len(points) > 9 or len(set(raws)) != len(raws) or not all(map(math.isfinite, raws)):
            raise Refuse(Code.BAD_VALUE, "nine points at the most, no two of the same raw value")
        if raws not in (sorted(raws), sorted(raws, reverse=True)):
            raise Refuse(Code.BAD_VALUE, "the raw values have to rise or fall from point to point")
        if points and self.recorder.faults.misremembers:
            self.recorder.faults.misremembers = False
            points[-1]["true"] += 1.0
        if points:
            self.recorder.state["calibrations"][channel.key] = {"points": points, "at": self.recorder.clock()}
        else:
            self.recorder.state["calibrations"].pop(channel.key, None)
        self.recorder.memory.save()
        return self.call_calibrations(talk, values)

    # -- checks

    def call_checks(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        return {CHECKS: self.recorder.state["checks"]}

    def call_check(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        check, sensor, applied = str(values["check"]), str(values["sensor"]), values.get("applied")
        if sensor not in self.recorder.device.checks.get(check, ()):
            raise Refuse(Code.NOT_FOUND, f"no check “{check}” of “{sensor}”")
        seconds = self.recorder.device.check_s / max(self.recorder.declared.time_factor, 1.0)
        sensor_is = state_of(self.recorder.state["raw"], sensor)
        about = self.recorder.sensors().get(sensor, {})
        read = before = (
            None if applied is None else round(sensor_is.reads(float(applied), self.recorder.device.check_s), 2)
        )
        adjusts = check == "span" and applied is not None and sensor_is.can_be_set(float(applied), before or 0.0)
        if adjusts and applied is not None:
            read = round(float(applied), 2)
        fails = applied is not None and abs((read or 0.0) - float(applied)) > 0.25 * abs(float(applied)) + 0.5
        self.recorder.state["checking"] = {
            **about,
            "before": before,
            "factor": None if not before or read is None else round(read / before, 4),
            "gas": sensor,
            "check": check,
            "sensor": sensor,
            "at": self.recorder.clock() + seconds,
            "applied": None if applied is None else float(applied),
            "read": read,
            "unit": next((m.unit for m in self.recorder.measured if m.key.split(".")[0] == sensor), ""),
            "adjusted": adjusts,
            "passed": not fails,
        }
        self.recorder.enter(Mode.CHECKING, seconds)
        return {"seconds": seconds}

    # -- news

    def call_news(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        count = self.recorder.memory.changes
        talk.keep_on("news", self._news(talk, count))
        return {"count": count, "every_s": STILL_S}

    async def _news(self, talk: Talk, told: int) -> None:
        something = asyncio.Event()
        self.recorder.listeners.add(something)
        try:
            while True:
                if self.recorder.memory.changes == told:
                    with contextlib.suppress(TimeoutError):
                        await asyncio.wait_for(something.wait(), STILL_S)
                something.clear()
                told = self.recorder.memory.changes
                await talk.send({"note": "news", "with": {"count": told, "every_s": STILL_S}})
        finally:
            self.recorder.listeners.discard(something)

    # -- courses

    def call_courses(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        return {
            "courses": [
                {"name": c["name"], "sha256": course_hash(c), "points": len(c.get("points", []))}
                for c in self.recorder.state["courses"]
            ]
        }

    def _course(self, name: object) -> dict[str, Any]:
        found = next((c for c in self.recorder.state["courses"] if c["name"] == name), None)
        if found is None:
            raise Refuse(Code.NOT_FOUND, f"no course “{name}”")
        return dict(found)

    def call_course(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        return {"course": self._course(values["name"])}

    def call_write_course(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        course = values["course"]
        name = course.get("name") if isinstance(course, dict) else None
        if not isinstance(name, str) or not 0 < len(name) <= 80 or not isinstance(course.get("start"), dict):
            raise Refuse(Code.BAD_VALUE, "a course has a name and a start line")
        if 2 * len(course.get("points", [])) > MOST_COURSE_VALUES:
            raise Refuse(Code.BAD_VALUE, "a course with too many points")
        others = [c for c in self.recorder.state["courses"] if c["name"] != name]
        self._keep_courses([*others, course])
        return self.call_courses(talk, values)

    def call_remove_course(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        course = self._course(values["name"])
        if course_hash(course) != bytes(values["sha256"]):
            raise Refuse(Code.HASH_MISMATCH, "the course on the recorder is another one")
        self._keep_courses([c for c in self.recorder.state["courses"] if c["name"] != course["name"]])
        return self.call_courses(talk, values)

    def _keep_courses(self, courses: list[dict[str, Any]]) -> None:
        self.recorder.state["courses"] = courses
        self.recorder.memory.save()

    # -- display and picture

    def _screen(self) -> Screen:
        screen = self.recorder.device.screen
        if screen is None:
            raise Refuse(Code.UNKNOWN_CALL, "this recorder has no display")
        return screen

    def call_display(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        screen = self._screen()
        return {
            "width": screen.width,
            "height": screen.height,
            "greys": screen.greys,
            "round": screen.round,
            "offers": [{"key": key, "label": label} for key, label, _ in screen.offers],
            "most_pages": screen.most_pages,
            "most_fields": screen.most_fields,
        }

    def call_draw(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        screen, fields = self._screen(), list(values["fields"])
        known = {key: (label, example) for key, label, example in screen.offers}
        if not 0 < len(fields) <= screen.most_fields or any(key not in known for key in fields):
            raise Refuse(Code.BAD_VALUE, f"a page has one to {screen.most_fields} fields that it offers")
        drawn = drawing.page(screen.width, screen.height, screen.greys, [known[key] for key in fields], screen.round)
        return _picture(screen, drawn.tobytes())

    def call_picture(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        screen = self._screen()
        pixels = bytes.fromhex(self.recorder.state["picture"])
        return _picture(screen, pixels or bytes(screen.width * screen.height))

    def call_write_picture(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        screen, pixels = self._screen(), bytes(values["pixels"])
        if (values["width"], values["height"], values["greys"]) != (screen.width, screen.height, screen.greys):
            raise Refuse(Code.BAD_VALUE, f"the display has {screen.width} x {screen.height} in {screen.greys} greys")
        if len(pixels) != screen.width * screen.height or max(pixels) >= screen.greys:
            raise Refuse(Code.BAD_VALUE, "pixels that do not fit the display")
        self.recorder.state["picture"] = pixels.hex()
        self.recorder.memory.save()
        return self.call_picture(talk, values)

    def call_maker_picture(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        self.recorder.state["picture"] = ""
        self.recorder.memory.save()
        return self.call_picture(talk, values)


def raw_of(true: float, points: Sequence[tuple[float, float]]) -> float:
    """The raw value that a sensor gives at a true one: the same map, read the other way."""
    return calibrated(true, [(value, raw) for raw, value in points])


def calibrated(raw: float, points: Sequence[tuple[float, float]]) -> float:
    """A raw value through its calibration: a shifted zero, a line, or lines from point to point whose outer ones go on."""
    if not points:
        return raw
    if len(points) == 1:
        return raw + points[0][1] - points[0][0]
    ordered = sorted(points)
    at = next((i for i in range(1, len(ordered) - 1) if raw < ordered[i][0]), len(ordered) - 1)
    (x0, y0), (x1, y1) = ordered[at - 1], ordered[at]
    return y0 + (raw - x0) * (y1 - y0) / (x1 - x0)


def _picture(screen: Screen, pixels: bytes) -> dict[str, Any]:
    return {"width": screen.width, "height": screen.height, "greys": screen.greys, "pixels": pixels}
