"""Serving the link of one simulated recorder: over TCP, over a pseudo-terminal."""

from __future__ import annotations

import asyncio

from kumpel.link import frames
from kumpel.standins.calls import Calls
from kumpel.standins.radio_calls import is_heard
from kumpel.standins.recorder import Recorder
from kumpel.standins.talk import SerialStream, Stream, Talk, TcpStream, Unplugged


class Serving:
    def __init__(self, recorder: Recorder) -> None:
        self.recorder, self.calls = recorder, Calls(recorder)
        self._streams: set[Stream] = set()
        self.port: SerialStream | None = None

    async def tcp(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        stream = TcpStream(reader, writer)
        if self.recorder.gone or not is_heard(self.recorder):
            stream.abort()
            return
        talk = self._talk(stream, marked=False)
        try:
            await self._greet(talk)
            while not self.recorder.gone and not talk.ends:
                await talk.send(await self.calls.answer(talk, await stream.receive()))
        except Unplugged:
            self.vanish()
        except (asyncio.IncompleteReadError, ConnectionError, frames.FrameError):
            pass
        finally:
            self._end(stream, talk)
            writer.close()

    async def serial(self, stream: SerialStream) -> None:
        """The port stays for as long as the program runs; a client may come and go."""
        talk = self._talk(stream, marked=True)
        try:
            while True:
                message = await self._next(stream)
                if self.recorder.gone:
                    continue
                if message.get("call") == "hello":
                    talk.begin()
                    await self._greet(talk)
                try:
                    await talk.send(await self.calls.answer(talk, message))
                except Unplugged:
                    self.vanish()
        finally:
            self._end(stream, talk)
            stream.close()

    @staticmethod
    async def _next(stream: SerialStream) -> dict[str, object]:
        while True:
            try:
                return await stream.receive()
            except frames.FrameError:
                continue

    def _talk(self, stream: Stream, marked: bool) -> Talk:
        self._streams.add(stream)
        recorder = self.recorder
        return Talk(stream, recorder.faults, recorder.state["passcode"], recorder.declared.bytes_per_s, marked)

    async def _greet(self, talk: Talk) -> None:
        about = {
            "protocol": frames.PROTOCOL,
            "serial": self.recorder.declared.serial,
            "nonce": talk.nonce,
            "locked": not talk.unlocked,
        }
        await talk.send({"note": "hello", "with": about})

    def _end(self, stream: Stream, talk: Talk) -> None:
        talk.let_go()
        self._streams.discard(stream)

    def vanish(self) -> None:
        """Out of reach in the middle of whatever goes on."""
        self.recorder.gone = True
        self.recorder.faults.vanish_after = None
        for stream in list(self._streams):
            stream.abort()

    def come_back(self) -> None:
        if self.port is not None:
            self.port.plug_in()
