"""Running the server: database, migrations, web; everything stopped cleanly."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from types import FrameType

import uvicorn

from kumpel.api.app import create_app
from kumpel.config import ROOT, Config
from kumpel.store.cluster import Cluster, ClusterError, free_port


def say(text: str) -> None:
    print(text, flush=True)


def step(text: str) -> Callable[[], None]:
    """Say what begins; the returned function says how long it took."""
    began = time.monotonic()
    print(f"  {text} ...", end="", flush=True)

    def done() -> None:
        print(f" {time.monotonic() - began:.1f} s", flush=True)

    return done


def usable_port(wanted: int) -> int:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", wanted))
        except OSError:
            return free_port()
    return wanted


ENDS_S = 9.0
"""Whatever hangs (a thread that waits for a database that is away), a server that was told to stop has stopped after this."""


class Server(uvicorn.Server):
    """Says when it is ready, and ends when it is told to."""

    def __init__(self, config: uvicorn.Config, ready: Callable[[], None]) -> None:
        super().__init__(config)
        self._ready = ready

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        if not self.should_exit:
            last = threading.Timer(ENDS_S, os._exit, (1,))
            last.daemon = True
            last.start()
        super().handle_exit(sig, frame)

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.started:
            self._ready()


def serve(
    config: Config, host: str, port: int, ready: Callable[[], None], then: Callable[[], None] | None = None
) -> None:
    """Serve until Ctrl-C or SIGTERM; with `then`, until that is done (it runs beside the server once it is ready)."""
    options = uvicorn.Config(
        create_app(config), host=host, port=port, log_level="warning", timeout_graceful_shutdown=2, access_log=False
    )
    signal.signal(signal.SIGTERM, _interrupt)  # uvicorn raises it again after its own shutdown
    with contextlib.suppress(KeyboardInterrupt):
        server = Server(options, ready)
        if then is not None:
            threading.Thread(target=_once_ready, args=(server, then), daemon=True).start()
        server.run()


def _once_ready(server: Server, then: Callable[[], None]) -> None:
    while not server.started and not server.should_exit:
        time.sleep(0.02)
    try:
        then()
    finally:
        server.should_exit = True


def _interrupt(number: int, frame: object) -> None:
    raise KeyboardInterrupt


def run_start(host: str, port: int) -> int:
    url = os.environ.get("DATABASE_URL")
    cluster = None
    try:
        if not url:
            done = step("starting PostgreSQL")
            cluster = Cluster(Path(os.environ.get("KUMPEL_VAR", ROOT / "var")) / "postgres")
            url = cluster.start()
            done()
        config = Config(url, ROOT / "web" / "dist", os.environ.get("KUMPEL_SECURE_COOKIES", "") == "1", True)
        serve(config, host, port, lambda: say(f"\n  Kumpel: http://{host}:{port}   stop with Ctrl-C\n"))
    except ClusterError as error:
        say(f"\n{error}")
        return 1
    finally:
        if cluster:
            cluster.stop()
    sys.stdout.flush()
    return 0
