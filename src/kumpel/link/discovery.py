"""Finding recorders by DNS-SD over mDNS (RFC 6762, RFC 6763), in the networks that were named."""

from __future__ import annotations

import contextlib
import heapq
import os
import queue
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from ipaddress import ip_address

from zeroconf import IPVersion, ServiceBrowser, ServiceInfo, Zeroconf
from zeroconf import ServiceStateChange as Change

from kumpel.link.frames import PROTOCOL
from kumpel.link.messages import SERVICE_TYPE
from kumpel.link.networks import THIS_MACHINE, is_within

LOOPBACK = ("127.0.0.1",)
SCOPE_VARIABLE = "KUMPEL_SCOPE"


def scope() -> str:
    """The scope of this process: recorders announce theirs, a server sees its own only. Empty means real ones.

    A demo and a test give a random one to the server and the stand-ins that they start, so that several of them on one machine
    never share a recorder.
    """
    return os.environ.get(SCOPE_VARIABLE, "")


@dataclass(frozen=True)
class Announcement:
    """A recorder at an address; `name` is the instance name that is announced, and taken back when it leaves."""

    serial: str
    host: str
    port: int
    name: str = ""


def open_mdns(addresses: Sequence[str] = LOOPBACK) -> Zeroconf:
    """Multicast DNS on the interfaces with these addresses of this machine. OSError when one of them has gone."""
    kinds = {IPVersion.V4Only if ip_address(each).version == 4 else IPVersion.V6Only for each in addresses}
    return Zeroconf(interfaces=list(addresses), ip_version=kinds.pop() if len(kinds) == 1 else IPVersion.All)


def service_info(serial: str, kind: str, port: int, hosts: Sequence[str] = LOOPBACK) -> ServiceInfo:
    """What a recorder at these addresses announces: instance name = serial number (and scope), TXT = protocol version, kind,
    serial, scope."""
    within = scope()
    instance = f"{serial} {within}".strip()
    properties = {"proto": str(PROTOCOL), "kind": kind, "serial": serial} | ({"scope": within} if within else {})
    return ServiceInfo(
        SERVICE_TYPE,
        f"{instance}.{SERVICE_TYPE}",
        addresses=[ip_address(host).packed for host in hosts],
        port=port,
        properties=properties,
        server=f"{instance.lower().replace(' ', '-')}.local.",
    )


LOOKS_S, MOST_WAITING = 0.5, 4096
AGAIN_S = (3.0, 10.0, 30.0, 60.0)
"""One that was announced and does not say where it is is asked again after so many seconds."""


class Watch:
    """Calls `found` for a recorder that appears or moves, `lost` (with the instance name) for one that leaves.

    Listens on the interfaces with these `addresses`; a recorder that announces none in `networks` is passed over.
    """

    def __init__(
        self,
        found: Callable[[Announcement], None],
        lost: Callable[[str], None],
        addresses: Sequence[str] = LOOPBACK,
        networks: Sequence[str] = THIS_MACHINE,
    ) -> None:
        self._found, self._lost, self._scope = found, lost, scope()
        self._networks = tuple(networks)
        self._mdns = open_mdns(addresses)
        # Resolving waits; one announcement that nobody stands behind must not hold the others up.
        # Nor may those who are asked again hold up those who are announced now: names that nobody stands behind can be many.
        self._pool, self._second = ThreadPoolExecutor(8, "resolve"), ThreadPoolExecutor(2, "resolve again")
        self._later: queue.SimpleQueue[tuple[float, str, str, int]] = queue.SimpleQueue()
        self._waiting = 0
        self._closed = threading.Event()
        threading.Thread(target=self._go_on, name="resolve again", daemon=True).start()
        self._browser = ServiceBrowser(self._mdns, SERVICE_TYPE, handlers=[self._changed])

    def _changed(self, zeroconf: Zeroconf, service_type: str, name: str, state_change: Change) -> None:
        instance = name.removesuffix(f".{SERVICE_TYPE}")
        if state_change is Change.Removed:
            self._lost(instance)
        else:
            self._submit(name, instance)

    def _submit(self, name: str, instance: str, tries: int = 0) -> None:
        with contextlib.suppress(RuntimeError):  # closed meanwhile
            (self._second if tries else self._pool).submit(self._resolve, name, instance, tries)

    def _go_on(self) -> None:
        """Ask again whose turn it is."""
        waiting: list[tuple[float, str, str, int]] = []
        while not self._closed.wait(LOOKS_S):
            while not self._later.empty():
                heapq.heappush(waiting, self._later.get())
            while waiting and waiting[0][0] <= time.monotonic():
                _, name, instance, tries = heapq.heappop(waiting)
                self._submit(name, instance, tries)
            self._waiting = len(waiting)

    def _resolve(self, name: str, instance: str, tries: int) -> None:
        info = self._mdns.get_service_info(SERVICE_TYPE, name, timeout=2000)
        if info is None or info.port is None:
            # Its answer was lost, or came too late among thousands: nobody announces it a second time for a long while.
            if tries < len(AGAIN_S) and self._later.qsize() + self._waiting < MOST_WAITING:
                self._later.put((time.monotonic() + AGAIN_S[tries], name, instance, tries + 1))
            return
        host = next((each for each in info.parsed_scoped_addresses() if is_within(each, self._networks)), None)
        if host is None:
            return
        told = {_text(k): _text(v) for k, v in info.properties.items()}
        if told.get("scope", "") != self._scope:
            return
        serial = told.get("serial") or instance
        if 0 < len(serial) <= 64:
            self._found(Announcement(serial, host, info.port, instance))

    def close(self) -> None:
        self._closed.set()
        self._second.shutdown(wait=False, cancel_futures=True)
        self._pool.shutdown(wait=False, cancel_futures=True)
        self._mdns.close()


def _text(value: bytes | None) -> str:
    return (value or b"").decode("utf-8", errors="replace")
