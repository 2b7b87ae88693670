"""What of a simulated recorder survives switching off: one JSON file and one file a session."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any


@dataclass
class Memory:
    folder: Path
    state: dict[str, Any] = field(default_factory=dict)
    changes: int = 0
    """How often something changed since it was switched on."""

    def load(self, fresh: dict[str, Any]) -> None:
        self.sessions.mkdir(parents=True, exist_ok=True)
        file = self.folder / "state.json"
        self.state = fresh | (json.loads(file.read_text()) if file.exists() else {})
        self.save()

    def save(self) -> None:
        part = self.folder / "state.part"
        part.write_text(json.dumps(self.state))
        part.replace(self.folder / "state.json")
        self.changes += 1

    @property
    def sessions(self) -> Path:
        return self.folder / "sessions"

    def file_of(self, session: str) -> Path:
        return self.sessions / f"{session}.krec"

    def write(self, session: str, items: Iterable[bytes]) -> tuple[int, str]:
        """A session's file, item by item; its size and SHA-256. It is not listed yet."""
        digest, size = hashlib.sha256(), 0
        part = self.sessions / f"{session}.part"
        with part.open("wb") as out:
            for item in items:
                out.write(item)
                digest.update(item)
                size += len(item)
        part.replace(self.file_of(session))
        return size, digest.hexdigest()

    def keep(self, session: str, written: tuple[int, str], about: dict[str, Any]) -> None:
        size, digest = written
        self.state["sessions"][session] = about | {"size": size, "sha256": digest}
        self.save()

    def forget(self, sessions: Iterable[str]) -> None:
        for session in sessions:
            self.state["sessions"].pop(session, None)
            self.file_of(session).unlink(missing_ok=True)
        self.save()

    def used(self) -> int:
        return sum(s["size"] for s in self.state["sessions"].values())
