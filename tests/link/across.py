"""The client's side of `two_networks.sh`: looks for recorders in a network and asks the first one; prints what it found as JSON."""

from __future__ import annotations

import json
import queue
import sys

from kumpel.link.client import RecorderLink
from kumpel.link.discovery import Announcement, Watch
from kumpel.link.networks import addresses_within


def main(here: str, network: str) -> None:
    found: queue.Queue[Announcement] = queue.Queue()
    mine = addresses_within([network])
    watch = Watch(found.put, lambda name: None, mine, [network])
    try:
        announced = found.get(timeout=15)
    finally:
        watch.close()
    with RecorderLink(announced.host, announced.port) as link:
        token = link.describe().token
    print(json.dumps({"mine": mine, "here": here, "host": announced.host, "serial": announced.serial, "token": token}))


if __name__ == "__main__":
    main(*sys.argv[1:])
