"""Opening the link to a recorder, wherever it is reached: on a network, on a serial port, as a folder."""

from __future__ import annotations

from pathlib import Path

from kumpel.link.client import CALL_S, RecorderLink
from kumpel.services.folder_link import FolderLink

AnyLink = RecorderLink | FolderLink


def open_link(host: str, port: int, call_s: float = CALL_S) -> AnyLink:
    """The link to a recorder; a path as `host` is a folder, or a serial port. Raises LinkError."""
    if host.startswith("/") and Path(host).is_dir():
        return FolderLink(host)
    return RecorderLink(host, port, call_s)
