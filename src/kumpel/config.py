"""Where things are: taken from the environment once, at the start of a process."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
DEMO = ROOT / "var" / "demo"


@dataclass(frozen=True)
class Config:
    database_url: str
    web: Path
    secure_cookies: bool
    watch: bool
    """Whether this process looks out for recorders, while no other does."""
    works: bool = True
    """Whether it works on jobs: take-in, figures, mail."""

    @classmethod
    def from_environment(cls) -> Config:
        return cls(
            database_url=os.environ["KUMPEL_DATABASE_URL"],
            web=Path(os.environ.get("KUMPEL_WEB", str(ROOT / "web" / "dist"))),
            secure_cookies=os.environ.get("KUMPEL_SECURE_COOKIES", "") == "1",
            watch=os.environ.get("KUMPEL_WATCH", "1") == "1",
        )
