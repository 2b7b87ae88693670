"""E-mail addresses and mail servers as they are typed: checked where they are entered, and again where they are used."""

from __future__ import annotations

from email.errors import HeaderParseError
from email.headerregistry import Address

from kumpel.services.ground.problems import InvalidError

LONGEST = 254


def address(text: str, field: str) -> str:
    """An address as it is written. InvalidError when it is none."""
    try:
        found = Address(addr_spec=text.strip())
    except (HeaderParseError, ValueError, IndexError):
        found = None
    if found is None or "." not in found.domain or len(text) > LONGEST or not text.isascii():
        raise InvalidError(f"“{text[:80]}” is no e-mail address. Write it like name@tarnfels.example.", field=field)
    return str(found.addr_spec)


def server_parts(text: str) -> tuple[str, int | None]:
    """Name and port of a mail server, None where no port is named. InvalidError when it is none."""
    host, colon, port = text.strip().partition(":")
    if not host or any(c.isspace() for c in host) or (colon and not (port.isdigit() and 0 < int(port) < 65_536)):
        raise InvalidError(f"Mail server “{text[:80]}”: write it like mail.tarnfels.example:587.", field="mail.server")
    return host, int(port) if port else None
