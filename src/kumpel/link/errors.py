"""What can go wrong on a link.

LinkError               the link broke, or the other side does not keep the protocol
  RefusedError          the recorder answered with an error code
  InUseError            its serial port is open elsewhere just now
"""

from __future__ import annotations


class LinkError(Exception):
    """The link broke or the other side does not keep the protocol. What is stored is safe; call again."""


class RefusedError(LinkError):
    """The recorder answered with an error."""

    def __init__(self, code: str, text: str) -> None:
        super().__init__(text or code)
        self.code = code


class InUseError(LinkError):
    """Somebody else has the port open just now; nothing is known of the recorder on it."""
