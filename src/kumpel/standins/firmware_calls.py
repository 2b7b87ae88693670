"""What a simulated recorder answers to the calls of its firmware (docs/link-protocol.md, 13).

It has room for two programs: the one that runs, and the one that comes. Only a whole, genuine one takes the other's place, in one step.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from kumpel.link import firmware_image
from kumpel.link.firmware_image import ImageError, NotGenuineError, version_numbers
from kumpel.link.messages import Code, Mode
from kumpel.standins import maker
from kumpel.standins.recorder import UPDATE_S, Recorder, Refuse
from kumpel.standins.talk import Talk

TRUSTED = (maker.PUBLIC,)
MOST_BLOCK = 65_536


@dataclass
class FirmwareCalls:
    recorder: Recorder

    def call_firmware(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        image = self.recorder.state["image"]
        first = self.recorder.presses_first()
        return {
            "running": self.recorder.state["firmware"],
            "waiting": image.get("version", ""),
            "size": image.get("size", 0),
            "received": image.get("received", 0),
            "verified": image.get("verified", False),
            "ready": not first,
            "press": first,
            "keys": [firmware_image.key_id(each) for each in TRUSTED],
        }

    def call_firmware_begin(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        self._brought_to_it()
        size = int(values["size"])
        wanted = {"version": str(values["version"]), "size": size, "sha256": bytes(values["sha256"]).hex()}
        if not 0 < size <= firmware_image.MOST_BYTES:
            raise Refuse(Code.BAD_VALUE, "a firmware of this size does not fit")
        image = self.recorder.state["image"]
        if {k: image.get(k) for k in wanted} != wanted:
            self._file().write_bytes(b"")
            self.recorder.state["image"] = wanted | {"received": 0, "verified": False}
            self.recorder.memory.save()
        return self.call_firmware(talk, values)

    def call_firmware_block(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        self._brought_to_it()
        image, data = self.recorder.state["image"], bytes(values["data"])
        if not image or int(values["offset"]) != image["received"] or len(data) > MOST_BLOCK:
            raise Refuse(Code.BAD_VALUE, f"the next block begins at {image.get('received', 0)}")
        if image["received"] + len(data) > image["size"]:
            raise Refuse(Code.BAD_VALUE, "more than the firmware is long")
        with self._file().open("r+b") as out:
            out.seek(image["received"])  # what a lost battery left behind it counts for nothing
            out.write(data)
            out.truncate()
        image["received"] += len(data)
        self.recorder.memory.save()
        return self.call_firmware(talk, values)

    def call_firmware_verify(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        self._brought_to_it()
        if not self.recorder.state["image"]:
            raise Refuse(Code.NOT_FOUND, "no firmware was sent")
        try:
            self._verify()
        except Refuse:
            self.recorder.state["image"] = {}
            self.recorder.memory.save()
            self._file().unlink()
            raise
        self.recorder.state["image"]["verified"] = True
        self.recorder.memory.save()
        return self.call_firmware(talk, values)

    def call_firmware_switch(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        self._brought_to_it()
        image = self.recorder.state["image"]
        if not image.get("verified"):
            raise Refuse(Code.BAD_VALUE, "the firmware was not verified")
        self._verify()
        self.recorder.state.update({"firmware": image["version"], "image": {}, "brought": False})
        self.recorder.enter(Mode.UPDATING, UPDATE_S)
        talk.ends = True
        return self.call_firmware(talk, values)

    def _brought_to_it(self) -> None:
        if first := self.recorder.presses_first():
            raise Refuse(Code.WRONG_MODE, first)

    def _verify(self) -> None:
        """Raises Refuse unless what came is whole, genuine, for this recorder, and newer than what runs."""
        announced, device = self.recorder.state["image"], self.recorder.device
        data = self._file().read_bytes()
        if hashlib.sha256(data).hexdigest() != announced["sha256"]:
            raise Refuse(
                Code.HASH_MISMATCH, "the firmware that came is not the one that was announced; it was thrown away"
            )
        try:
            image = firmware_image.read(data)
            firmware_image.check(image, TRUSTED)
        except NotGenuineError as error:
            raise Refuse(Code.NOT_GENUINE, str(error)) from error
        except ImageError as error:
            raise Refuse(Code.BAD_VALUE, str(error)) from error
        head = image.head
        if head.kind != device.kind or device.model not in head.models or head.version != announced["version"]:
            raise Refuse(Code.BAD_VALUE, f"it is for {head.kind} {', '.join(head.models)}, version {head.version}")
        running = self.recorder.state["firmware"]
        if version_numbers(head.version) <= version_numbers(running):
            raise Refuse(Code.BAD_VALUE, f"{head.version} is not newer than {running}, which runs")

    def _file(self) -> Path:
        return self.recorder.memory.folder / "firmware.part"
