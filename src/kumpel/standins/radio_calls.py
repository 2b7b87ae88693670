"""What a simulated recorder answers to the calls of its radio, and whether it can be reached by it (docs/link-protocol.md, 17)."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from kumpel.link.messages import Code
from kumpel.link.radio import check_network
from kumpel.standins import radio_manager
from kumpel.standins.recorder import Recorder, Refuse
from kumpel.standins.talk import Talk


@dataclass
class RadioCalls:
    recorder: Recorder

    def call_radio(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        joined = has_joined(self.recorder)
        own = own_network(self.recorder) if self.recorder.declared.opens and not joined else ""
        return {"network": self.recorder.state["network"], "joined": joined, "own": own}

    def call_join_network(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        name, key = str(values["name"]), str(values["key"])
        try:
            check_network(name, key)
        except ValueError as error:
            raise Refuse(Code.BAD_VALUE, str(error)) from error
        self.recorder.state.update({"network": name, "network_key": key})
        self.recorder.memory.save()
        return self.call_radio(talk, values)

    def call_leave_network(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        self.recorder.state.update({"network": "", "network_key": ""})
        self.recorder.memory.save()
        return self.call_radio(talk, values)


def own_network(recorder: Recorder) -> str:
    return f"KR {recorder.declared.serial}"


def has_joined(recorder: Recorder) -> bool:
    """Whether it is in the network that it was told to join."""
    name, air = recorder.state["network"], recorder.declared.air
    if not name or not air:
        return bool(name)
    networks = radio_manager.Air(Path(air)).networks
    return any(each["name"] == name and each["key"] == recorder.state["network_key"] for each in networks)


def is_heard(recorder: Recorder) -> bool:
    """Whether the machine hears it: always, but where it opens a network of its own and neither is in the other's."""
    air = recorder.declared.air
    if not recorder.declared.opens or not air:
        return True
    machine_in = radio_manager.joined(Path(air))
    if has_joined(recorder):
        return bool(machine_in == recorder.state["network"])
    return machine_in == own_network(recorder)
