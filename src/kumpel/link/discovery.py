"""Finding recorders by DNS-SD over mDNS (RFC 6762, RFC 6763), on the loopback interface."""

from __future__ import annotations

import socket
from collections.abc import Callable
from dataclasses import dataclass

from zeroconf import IPVersion, ServiceBrowser, ServiceInfo, Zeroconf
from zeroconf import ServiceStateChange as Change

from kumpel.link.messages import SERVICE_TYPE

LOOPBACK = ["127.0.0.1"]


@dataclass(frozen=True)
class Announcement:
    serial: str
    host: str
    port: int


def open_mdns() -> Zeroconf:
    return Zeroconf(interfaces=LOOPBACK, ip_version=IPVersion.V4Only)


def service_info(serial: str, kind: str, port: int) -> ServiceInfo:
    """What a recorder announces: instance name = serial number, TXT = protocol version and kind."""
    return ServiceInfo(
        SERVICE_TYPE,
        f"{serial}.{SERVICE_TYPE}",
        addresses=[socket.inet_aton("127.0.0.1")],
        port=port,
        properties={"proto": "1", "kind": kind, "serial": serial},
        server=f"{serial.lower()}.local.",
    )


class Watch:
    """Calls `found` for a recorder that appears or moves, `lost` (with the serial number) for one that leaves."""

    def __init__(self, found: Callable[[Announcement], None], lost: Callable[[str], None]) -> None:
        self._found, self._lost = found, lost
        self._mdns = open_mdns()
        self._browser = ServiceBrowser(self._mdns, SERVICE_TYPE, handlers=[self._changed])

    def _changed(self, zeroconf: Zeroconf, service_type: str, name: str, state_change: Change) -> None:
        serial = name.removesuffix(f".{SERVICE_TYPE}")
        if state_change is Change.Removed:
            self._lost(serial)
            return
        info = zeroconf.get_service_info(service_type, name, timeout=2000)
        if info is None or info.port is None or not info.parsed_addresses():
            return
        self._found(Announcement(serial, info.parsed_addresses()[0], info.port))

    def close(self) -> None:
        self._mdns.close()
