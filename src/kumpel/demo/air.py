"""The air of Tarnfels: the house's radio network, and the one that the logger on the service road opens."""

from __future__ import annotations

import json
import os
import sys
import time
from pathlib import Path

from kumpel.config import DEMO
from kumpel.demo.ensemble import Ensemble

FOLDER = DEMO / "air"
FAR, SERIAL, KEY = "V-04", "TF-V-04", "service-road"
NETWORKS = (
    {"name": "tarnfels-works", "key": "a key that only the house knows", "signal": 78},
    {"name": f"KR {SERIAL}", "key": KEY, "signal": 44},
)


def open_up() -> Path:
    """Puts the networks there, and has this process and its children switch the simulated radio in place of the machine's own."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    (FOLDER / "networks.json").write_text(json.dumps(NETWORKS))
    os.environ["KUMPEL_AIR"] = str(FOLDER)
    os.environ["KUMPEL_NMCLI"] = f"{sys.executable} -m kumpel.standins.radio_manager"
    return FOLDER


def put(ensemble: Ensemble) -> None:
    """A drive that is on the logger of the service road."""
    ensemble.running[FAR].tell("record", start=time.time() - 7_200, length_s=600)
