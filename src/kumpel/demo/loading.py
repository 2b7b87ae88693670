"""Loading the demo behind its running server, in a process of its own: what it takes to make three months is given back with it."""

from __future__ import annotations

import multiprocessing
import os
import signal
import sys
import threading
import time
from multiprocessing.connection import Connection
from pathlib import Path

from sqlmodel import Session as Db

from kumpel.demo.ensemble import Ensemble
from kumpel.serve import say
from kumpel.services.ground import limits
from kumpel.store import database

FIRST = (0, 0)
"""Said when everything is there that the first screen needs."""
LEAVES_TIME = 5
"""Whoever looks at the demo meanwhile goes first."""


class Loading:
    """Three months of Tarnfels; `mark` is a file that says that all of it was loaded. To be started while this process has no thread."""

    def __init__(self, url: str, ensemble: Ensemble, mark: Path) -> None:
        self._mark = mark
        self._hears, tells = multiprocessing.Pipe(duplex=False)
        self._process = multiprocessing.get_context("fork").Process(target=_load, args=(url, ensemble, tells))
        self._process.start()
        tells.close()
        self._stopped = False
        self._began_s = time.monotonic()
        self._saying = threading.Thread(target=self._say, daemon=True)

    def first(self) -> None:
        """Wait for what the first screen needs. Raises RuntimeError."""
        try:
            self._hears.recv()
        except EOFError:
            raise RuntimeError("The demo's data could not be loaded; what is wrong stands above.") from None

    def go_on(self) -> None:
        """Say how far it is from now on."""
        self._saying.start()

    def wait(self) -> bool:
        """Until it is over: whether everything is there."""
        self._saying.join()
        return self._mark.exists()

    def stop(self) -> None:
        self._stopped = self._process.is_alive()
        if self._stopped:
            self._process.terminate()
        self._process.join()

    def _say(self) -> None:
        same_line, said = sys.stdout.isatty(), 0
        try:
            while True:
                done, of = self._hears.recv()
                text = f"  loading three months behind it: {done} of {of} sessions"
                if same_line:
                    print(f"\r{text}", end="\n" if done == of else "", flush=True)
                elif 4 * done // of > said or done == of:
                    said = 4 * done // of
                    say(text)
        except (EOFError, OSError):
            pass
        self._process.join()
        if self._stopped:
            say("\n  stopped while it was loading; the next start begins anew")
            return
        if self._process.exitcode:
            say("\n  not everything was loaded; what is wrong stands above. The next start begins anew.")
            return
        self._mark.touch()
        say(f"  everything is loaded ({time.monotonic() - self._began_s:.0f} s)")


def _load(url: str, ensemble: Ensemble, tells: Connection) -> None:
    # What makes three months is imported where it is made: a second start needs none of it.
    from kumpel.demo import air, checked, history, programs, waiting, worn

    # Ctrl-C is for the server, which ends this.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    os.nice(LEAVES_TIME)
    database.migrate(url)
    with Db(database.engine(url), expire_on_commit=False) as db:
        limits.put_shipped(db)
        history.load_first(db)
        tells.send(FIRST)
        waiting.put(db, ensemble)
        checked.put(db, ensemble)
        programs.put(db)
        air.put(ensemble)
        worn.put(db, ensemble)
        with Db(database.engine(url)) as aside:

            def so_far(done: int, of: int) -> None:
                tells.send((done, of))
                # What is under way on the first one is not told of before it stands.
                database.tell(aside, "loading", done=done, of=of)
                aside.commit()

            history.load_behind(db, so_far)
