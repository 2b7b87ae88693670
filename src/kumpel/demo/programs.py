"""Programs for the recorders of Tarnfels: their maker's key, and what came out since."""

from __future__ import annotations

from sqlmodel import Session as Db

from kumpel.link import firmware_image
from kumpel.services.firmware import catalogue
from kumpel.standins import maker

SINCE = (
    ("gas", "GM-6", "2.1.4", 640_000, "Confirms an alarm with one hand; the log names who did.", "2.1.4 and a tick"),
    (
        "vehicle",
        "VL-16",
        "4.4.0",
        1_900_000,
        "Finds its satellites in half the time after a night switched off.",
        "4.4.0",
    ),
    ("training", "TW-2", "5.1.0", 420_000, "Belt is found again after it was dry.", "5.1.0 above the clock"),
)


def put(db: Db) -> None:
    """Trust the made-up maker, and add what came out since."""
    catalogue.trust(db, "Maker of the simulated recorders", firmware_image.public_words(maker.PUBLIC))
    for kind, model, version, size, notes, shows in SINCE:
        catalogue.add(db, maker.image(kind, [model], version, size, notes, shows))
