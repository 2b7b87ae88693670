"""The mail server of the demo: a stand-in beside the recorders, that keeps every mail as a file."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import time
from pathlib import Path

from sqlmodel import Session as Db

from kumpel.config import ROOT
from kumpel.services.ground import settings

STARTS_WITHIN_S = 30.0


class PostOffice:
    """The stand-in as a program of its own; mails lie in `folder`, one file each."""

    def __init__(self, folder: Path, user: str = "", password: str = "") -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "port").unlink(missing_ok=True)
        command = [sys.executable, "-m", "kumpel.standins.mail_server", "--folder", str(folder)]
        if user:
            command += ["--user", user, "--password", password]
        self._process = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.DEVNULL)

    @property
    def port(self) -> int:
        """Where it listens, as soon as it does. RuntimeError when it does not start."""
        until = time.monotonic() + STARTS_WITHIN_S
        while time.monotonic() < until:
            with contextlib.suppress(FileNotFoundError, ValueError):
                return int((self.folder / "port").read_text())
            if self._process.poll() is not None:
                break
            time.sleep(0.05)
        raise RuntimeError("the mail server of the demo has not started")

    def mails(self) -> list[Path]:
        return sorted(self.folder.glob("*.eml"), key=lambda path: int(path.stem))

    def do(self, mode: str) -> None:
        """What it does with the next mails: take, later, refuse, drop, silent."""
        (self.folder / "mode").write_text(mode)

    def stop(self) -> None:
        self._process.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(5)
        if self._process.poll() is None:
            self._process.kill()
            self._process.wait()


def use(db: Db, port: int, who: int | None = None) -> None:
    """Put the stand-in into the settings of the site."""
    values = {
        settings.MAIL_SERVER.key: f"127.0.0.1:{port}",
        settings.MAIL_SECURITY.key: "none",
        settings.MAIL_FROM.key: "clinic@tarnfels.example",
    }
    kept = {(k.word.key, k.scope): k for k in settings.all_kept(db)}
    for key, value in values.items():
        now = kept.get((key, "site"))
        if now is None or now.value != value:
            settings.keep(db, key, "site", "", value, now.version if now else 0, who)
