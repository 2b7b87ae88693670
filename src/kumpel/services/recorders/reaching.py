"""Opening the link to a recorder, wherever it is reached: on a network, on a serial port, as a folder."""

from __future__ import annotations

import math
import os
import socket
from pathlib import Path

from kumpel.link.client import CALL_S, RecorderLink, RefusedError
from kumpel.link.messages import Code
from kumpel.services.recorders.folder_link import FOLDER_MODEL, FolderLink
from kumpel.store.tables import Recorder

AnyLink = RecorderLink | FolderLink
NETWORKS = ""
"""The area of the lookout that leads for the networks; that of the others is their machine."""


def this_machine() -> str:
    """The name by which other machines know this one."""
    return os.environ.get("KUMPEL_MACHINE", "") or socket.gethostname()[:120]


def machine_of(host: str) -> str:
    """The machine that a recorder found here belongs to: on a network it is none's."""
    return this_machine() if host.startswith("/") else ""


def is_elsewhere(recorder: Recorder) -> bool:
    """Whether it is on a port or in a folder of another machine."""
    return recorder.machine not in ("", this_machine())


def open_link(host: str, port: int, call_s: float = CALL_S, whole_s: float = math.inf) -> AnyLink:
    """The link to a recorder; a path as `host` is a folder, or a serial port. Raises LinkError.

    `whole_s` bounds everything that is asked over it together.
    """
    if host.startswith("/") and Path(host).is_dir():
        return FolderLink(host)
    return RecorderLink(host, port, call_s, whole_s)


def is_folder(recorder: Recorder) -> bool:
    """Whether a recorder is a folder of files: there is nothing on it to set up, and nobody wears it."""
    return recorder.model == FOLDER_MODEL and (recorder.host or "").startswith("/")


def able(link: AnyLink) -> RecorderLink:
    """The link for calls that belong to an ability; a folder has none. Raises RefusedError."""
    if isinstance(link, FolderLink):
        raise RefusedError(Code.UNKNOWN_CALL, "a folder of files can do nothing but hold them")
    return link
