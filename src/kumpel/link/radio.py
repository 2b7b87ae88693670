"""The radio of this machine: which networks it hears, joining one for a while, coming back.

Behind an interface, because machines differ: `Nmcli` speaks to NetworkManager by its command line (nmcli(1), terse output). A network's key
goes to it over standard input, for this one joining: it is in no argument that other users of the machine can read, and in no profile.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Protocol

VISIT: Final = "kumpel-visit"
"""The profile of a visit: for as long as the machine runs at the most, never joined by itself."""
OWN_NETWORK: Final = re.compile(r"KR ([\x21-\x7e]{1,29})")
"""How recorders name the network that they open: KR and the serial number (docs/link-protocol.md, 17.1)."""
MOST_KEY, LEAST_KEY, MOST_NAME = 63, 8, 32
WAITS_S = 25


class RadioError(Exception):
    """The radio did not do it; in words that may be shown. No key is in them."""


@dataclass(frozen=True)
class Heard:
    """A network in the air: its name, how strong (0 to 1), whether it asks for a key, whether this machine is in it."""

    name: str
    signal: float
    locked: bool
    joined: bool


@dataclass(frozen=True)
class Standing:
    """Where this machine's radio is: its device, and the profile and network it is in (empty: in none)."""

    device: str
    profile: str = ""
    network: str = ""


class Radio(Protocol):
    def standing(self) -> Standing:
        """Raises RadioError where this machine has no radio."""

    def heard(self) -> list[Heard]: ...

    def join(self, name: str, key: str) -> str:
        """Join a network; this machine's address in it, with the length of its prefix ("192.168.44.12/24")."""

    def go_back(self, before: Standing) -> None:
        """Back to where it was, or out of what was visited where it was in none."""


def serial_of(network: str) -> str:
    """The serial number of the recorder whose own network it is; empty for any other."""
    found = OWN_NETWORK.fullmatch(network)
    return found[1] if found else ""


def check_network(name: str, key: str) -> None:
    """Raises ValueError for what no network can be called, or no key can be (IEEE 802.11: 8 to 63 signs of ASCII, none where it is open)."""
    if not 0 < len(name.encode()) <= MOST_NAME or not name.isprintable():
        raise ValueError(f"the name of a network has 1 to {MOST_NAME} signs")
    if key and not (LEAST_KEY <= len(key) <= MOST_KEY and key.isascii() and key.isprintable()):
        raise ValueError(f"the key of a network has {LEAST_KEY} to {MOST_KEY} letters, digits and signs")


def this_radio() -> Radio:
    """The radio of this machine. Raises RadioError where nothing here speaks to one."""
    program = os.environ.get("KUMPEL_NMCLI", "") or shutil.which("nmcli") or ""
    if not program:
        raise RadioError("this machine has no NetworkManager (Debian: network-manager), by which its radio is switched")
    return Nmcli(program.split())


class Nmcli:
    """NetworkManager by its command line."""

    def __init__(self, program: Sequence[str]) -> None:
        self._program = tuple(program)

    def standing(self) -> Standing:
        for device, what, state, profile, network in self._rows("DEVICE,TYPE,STATE,CON-UUID,CONNECTION", "device"):
            if what == "wifi" and state not in ("unavailable", "unmanaged"):
                return Standing(device, profile, network if profile else "")
        raise RadioError("this machine has no radio, or it is switched off")

    def heard(self) -> list[Heard]:
        device = self.standing().device
        rows = self._rows("IN-USE,SSID,SIGNAL,SECURITY", "device", "wifi", "list", "ifname", device)
        found: dict[str, Heard] = {}
        for in_use, name, signal, security in rows:
            share = min(int(signal), 100) / 100 if signal.isdigit() else 0.0
            one = Heard(name, share, security not in ("", "--"), in_use == "*")
            # One network may be opened by several senders.
            if name and (
                name not in found or one.joined or (not found[name].joined and one.signal > found[name].signal)
            ):
                found[name] = one
        return sorted(found.values(), key=lambda each: -each.signal)

    def join(self, name: str, key: str) -> str:
        check_network(name, key)
        device = self.standing().device
        self._forget()
        locked = ("wifi-sec.key-mgmt", "wpa-psk", "wifi-sec.psk-flags", "2") if key else ()
        profile = ("save", "no", "type", "wifi", "ifname", device, "con-name", VISIT, "ssid", name, "autoconnect", "no")
        self._run("connection", "add", *profile, *locked)
        secret = ("passwd-file", "/dev/stdin") if key else ()
        try:
            self._run("connection", "up", VISIT, *secret, told=f"802-11-wireless-security.psk:{key}\n" if key else "")
        except RadioError:
            self._forget()
            raise
        [[_, address], *_] = self._rows("IP4.ADDRESS", "device", "show", device) or [["", ""]]
        return address

    def go_back(self, before: Standing) -> None:
        try:
            if before.profile:
                self._run("connection", "up", "uuid", before.profile)
        finally:
            self._forget()

    def _forget(self) -> None:
        """Takes the profile of a visit away, which also leaves its network."""
        if any(name == VISIT for [name] in self._rows("NAME", "connection", "show")):
            self._run("connection", "delete", VISIT)

    def _rows(self, fields: str, *words: str) -> list[list[str]]:
        answer = self._run("-t", "-f", fields, *words)
        return [_parts(line) for line in answer.splitlines() if line]

    def _run(self, *words: str, told: str = "") -> str:
        command = [*self._program, "--wait", str(WAITS_S), *words]
        try:
            done = subprocess.run(
                command,
                input=told,
                capture_output=True,
                text=True,
                timeout=WAITS_S + 10,
                env=os.environ | {"LC_ALL": "C"},
            )
        except (OSError, subprocess.TimeoutExpired) as error:
            raise RadioError(f"NetworkManager did not answer ({type(error).__name__})") from None
        if done.returncode:
            raise RadioError(_why(done.stderr or done.stdout))
        return done.stdout


def _parts(line: str) -> list[str]:
    r"""Fields of a terse line: with colons between, a colon within one as "\:"."""
    return [part.replace("\\:", ":").replace("\\\\", "\\") for part in re.split(r"(?<!\\):", line)]


def _why(words: str) -> str:
    """What NetworkManager says went wrong, as people would."""
    if "Secrets were required" in words or "802-11-wireless-security" in words:
        return "the key is not right"
    if "could not be found" in words or "No network with SSID" in words:
        return "the network is not in the air any more"
    first = next((line.strip() for line in words.splitlines() if line.strip()), "no reason was told")
    return first.removeprefix("Error: ").rstrip(".")[:160]
