"""A mail server that keeps what it is given: `python -m kumpel.standins.mail_server --folder FOLDER`.

Speaks SMTP (RFC 5321) on a port of 127.0.0.1, which it writes into FOLDER/port; each mail becomes a file FOLDER/NUMBER.eml. What it does with
the next ones stands in FOLDER/mode: "take" (also without the file), "later" (451), "refuse" (550), "drop" (the connection is broken
off in the middle), "silent" (it never answers). With --user and --password it wants a sign-in. It ends with the program that started it.
"""

from __future__ import annotations

import argparse
import asyncio
import os
import signal
from pathlib import Path
from typing import Any

from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword, Session

TICK_S = 0.5


class Keeping:
    """What becomes of a mail."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.count = len(list(folder.glob("*.eml")))

    @property
    def mode(self) -> str:
        try:
            return (self.folder / "mode").read_text().strip()
        except FileNotFoundError:
            return "take"

    async def handle_RCPT(
        self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        if self.mode == "refuse":
            return "550 5.1.1 no such mailbox here"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        mode = self.mode
        if mode == "later":
            return "451 4.3.0 too busy, try again later"
        if mode == "drop":
            assert server.transport is not None
            server.transport.close()
            return "421 going away"
        if mode == "silent":
            await asyncio.sleep(3600)
        self.count += 1
        content = envelope.original_content or b""
        head = f"X-Envelope-To: {', '.join(envelope.rcpt_tos)}\r\nX-Envelope-From: {envelope.mail_from}\r\n".encode()
        part = self.folder / f"{self.count}.part"
        part.write_bytes(head + content)
        part.rename(self.folder / f"{self.count}.eml")
        return "250 OK, kept"


async def _serve(folder: Path, port: int, user: str, password: str) -> None:
    keeping = Keeping(folder)

    def known(server: SMTP, session: Session, envelope: Envelope, mechanism: str, given: Any) -> AuthResult:
        good = isinstance(given, LoginPassword) and (given.login, given.password) == (user.encode(), password.encode())
        return AuthResult(success=good, handled=False)

    def made() -> SMTP:
        more: dict[str, Any] = (
            {"authenticator": known, "auth_required": True, "auth_require_tls": False} if user else {}
        )
        return SMTP(keeping, hostname="mail.tarnfels.example", ident="stand-in", **more)

    loop = asyncio.get_running_loop()
    server = await loop.create_server(made, "127.0.0.1", port)
    part = folder / "port.part"
    part.write_text(str(server.sockets[0].getsockname()[1]))
    part.rename(folder / "port")
    stop = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        loop.add_signal_handler(number, stop.set)
    parent = os.getppid()
    while not stop.is_set() and os.getppid() == parent:
        try:
            await asyncio.wait_for(stop.wait(), TICK_S)
        except TimeoutError:
            continue
    server.close()


def main() -> None:
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--folder", type=Path, required=True)
    words.add_argument("--port", type=int, default=0)
    words.add_argument("--user", default="")
    words.add_argument("--password", default="")
    given = words.parse_args()
    given.folder.mkdir(parents=True, exist_ok=True)
    asyncio.run(_serve(given.folder, given.port, given.user, given.password))


if __name__ == "__main__":
    main()
