"""Running the server: database, migrations, web; everything stopped cleanly."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from types import FrameType

import uvicorn

from kumpel.config import ROOT, Config
from kumpel.store.cluster import Cluster, free_port


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
    config: Config,
    host: str,
    port: int,
    ready: Callable[[], None],
    then: Callable[[], None] | None = None,
    fd: int | None = None,
) -> None:
    """Serve until Ctrl-C or SIGTERM; with `then`, until that is done (it runs beside the server once it is ready). `fd` is a socket that
    listens already."""
    from kumpel.api.app import create_app

    options = uvicorn.Config(
        create_app(config),
        host=host,
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=2,
        access_log=False,
        fd=fd,
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


def secure_cookies() -> bool:
    return os.environ.get("KUMPEL_SECURE_COOKIES", "") == "1"


@contextlib.contextmanager
def database_url() -> Iterator[str]:
    """DATABASE_URL, else a database of its own as long as this lasts. Raises ClusterError."""
    url = os.environ.get("DATABASE_URL")
    if url:
        yield url
        return
    done = step("starting PostgreSQL")
    cluster = Cluster(Path(os.environ.get("KUMPEL_VAR", ROOT / "var")) / "postgres")
    try:
        url = cluster.start()
        done()
        yield url
    finally:
        cluster.stop()


@contextlib.contextmanager
def database_beside() -> Iterator[str]:
    """As `database_url`, for a command beside a server that may be running: what runs already is left running."""
    if os.environ.get("DATABASE_URL"):
        yield os.environ["DATABASE_URL"]
        return
    cluster = Cluster(Path(os.environ.get("KUMPEL_VAR", ROOT / "var")) / "postgres")
    ran = cluster.is_running()
    try:
        yield cluster.start()
    finally:
        if not ran:
            cluster.stop()


def run_web(url: str, host: str, port: int, fd: int | None) -> None:
    """The web alone: it works on no job and looks out for nothing."""
    config = Config(url, ROOT / "web" / "dist", secure_cookies(), watch=False, works=False)
    serve(config, host, port, lambda: None, fd=fd)
