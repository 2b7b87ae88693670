"""Who makes the programs of simulated recorders. The key is made up and no secret: nothing but simulations trusts it."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

from kumpel.link import firmware_image

SECRET = hashlib.sha256(b"the made-up maker of simulated recorders").digest()
PUBLIC = firmware_image.public_of(SECRET)


def image(
    kind: str, models: Sequence[str], version: str, size: int = 200_000, notes: str = "", shows: str | None = None
) -> bytes:
    """A signed image whose program is seeded noise."""
    program = hashlib.shake_256(f"{kind} {version}".encode()).digest(size)
    about = {"kind": kind, "models": [*models], "version": version, "notes": notes}
    return firmware_image.sign(program, SECRET, about | {"shows": version if shows is None else shows})
