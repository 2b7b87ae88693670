"""A machine's radio in software: the part of NetworkManager's command line (nmcli) that a server needs, as a program of its own.

`KUMPEL_AIR` names a folder: `networks.json`, a list of `name`, `key`, `signal` (0 to 100), `address` (of a machine in it); `state.json` is
which profile the machine is in, and what profiles there are. Recorders that open one of these networks are in reach while it is joined.
"""

from __future__ import annotations

import json
import os
import sys
import uuid
from collections.abc import Sequence
from pathlib import Path
from typing import Any

DEVICE = "wlan0"


class Refused(Exception):
    """What goes to standard error, with the code that nmcli gives."""

    def __init__(self, words: str, code: int) -> None:
        super().__init__(words)
        self.code = code


class Air:
    def __init__(self, folder: Path) -> None:
        self._file = folder / "state.json"
        self.networks: list[dict[str, Any]] = json.loads((folder / "networks.json").read_text())
        house = {
            "house": {"uuid": str(uuid.UUID(int=1)), "ssid": self.networks[0]["name"], "key": self.networks[0]["key"]}
        }
        fresh = {"profiles": house, "active": "house"}
        self.state: dict[str, Any] = json.loads(self._file.read_text()) if self._file.exists() else fresh

    def save(self) -> None:
        part = self._file.with_suffix(".part")
        part.write_text(json.dumps(self.state))
        part.replace(self._file)

    @property
    def joined(self) -> str:
        active = self.state["active"]
        return str(self.state["profiles"][active]["ssid"]) if active else ""

    def network(self, name: str) -> dict[str, Any]:
        found = next((each for each in self.networks if each["name"] == name), None)
        if found is None:
            raise Refused(f"Error: Connection activation failed: The Wi-Fi network could not be found: '{name}'.", 4)
        return found


def joined(folder: Path) -> str:
    """The network that the machine is in; empty: none."""
    return Air(folder).joined


def obey(air: Air, words: list[str], told: str) -> str:
    """What nmcli prints. Raises Refused."""
    fields = words[words.index("-f") + 1].split(",") if "-f" in words else []
    asked = [w for i, w in enumerate(words) if w not in ("-t", "-f", "--wait") and words[i - 1] not in ("-f", "--wait")]
    match asked:
        case ["device"]:
            active = air.state["active"]
            about = air.state["profiles"].get(active, {})
            values = {"DEVICE": DEVICE, "TYPE": "wifi", "STATE": "connected" if active else "disconnected"}
            return _lines(fields, [values | {"CON-UUID": about.get("uuid", ""), "CONNECTION": about.get("ssid", "")}])
        case ["device", "wifi", "list", *_]:
            return _lines(
                fields,
                [
                    {
                        "IN-USE": "*" if each["name"] == air.joined else " ",
                        "SSID": each["name"],
                        "SIGNAL": str(each.get("signal", 60)),
                        "SECURITY": "WPA2" if each["key"] else "",
                    }
                    for each in air.networks
                ],
            )
        case ["device", "show", _]:
            address = air.network(air.joined).get("address", "127.0.0.1/8") if air.joined else ""
            return f"IP4.ADDRESS[1]:{address}\n" if address else ""
        case ["connection", "show"]:
            return _lines(fields, [{"NAME": name} for name in air.state["profiles"]])
        case ["connection", "add", *rest]:
            about = dict(zip(rest[::2], rest[1::2], strict=True))
            air.state["profiles"][about["con-name"]] = {"uuid": str(uuid.uuid4()), "ssid": about["ssid"]}
        case ["connection", "up", "uuid", wanted]:
            _up(air, next(name for name, p in air.state["profiles"].items() if p["uuid"] == wanted), "")
        case ["connection", "up", name, *_]:
            _up(air, name, told)
        case ["connection", "delete", name]:
            del air.state["profiles"][name]
            if air.state["active"] == name:
                air.state["active"] = ""
        case _:
            raise Refused(f"Error: argument '{' '.join(asked)}' not understood.", 2)
    air.save()
    return ""


def _up(air: Air, name: str, told: str) -> None:
    about = air.state["profiles"][name]
    network = air.network(about["ssid"])
    key = about.get("key") or told.strip().removeprefix("802-11-wireless-security.psk:")
    if network["key"] and key != network["key"]:
        air.state["active"] = ""
        air.save()
        raise Refused("Error: Connection activation failed: Secrets were required, but not provided.", 4)
    air.state["active"] = name


def _lines(fields: list[str], rows: list[dict[str, str]]) -> str:
    return "".join(":".join(row[field].replace(":", "\\:") for field in fields) + "\n" for row in rows)


def main(words: Sequence[str]) -> int:
    told = sys.stdin.read() if "passwd-file" in words else ""
    try:
        sys.stdout.write(obey(Air(Path(os.environ["KUMPEL_AIR"])), list(words), told))
    except Refused as refused:
        sys.stderr.write(f"{refused}\n")
        return refused.code
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
