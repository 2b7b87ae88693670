"""The recording file (.krec): a CBOR sequence of head, sample blocks, events and tail.

docs/recording-file.md is the specification.
"""

from kumpel.core.recording import Channel, Event, Recording
from kumpel.formats.errors import FileError, IncompleteError
from kumpel.formats.krec.checker import BoundsOf, Checker, anything
from kumpel.formats.krec.packing import unpack
from kumpel.formats.krec.parsing import read_items, stream_items
from kumpel.formats.krec.parts import (
    BLOCK,
    BLOCK_GRAIN,
    EVENT,
    HEAD,
    MAX_BLOCK_SAMPLES,
    MAX_EVENT_BYTES,
    MAX_HEAD_BYTES,
    MAX_ITEM_BYTES,
    PIECE_BYTES,
    SELF_DESCRIBED,
    TAIL,
    Block,
    ChannelHead,
    Content,
    Head,
    Item,
    Tail,
)
from kumpel.formats.krec.reading import open_file, read, recording_of, recording_with
from kumpel.formats.krec.writing import Writer, recording_items, write, write_items, write_recording, write_to

__all__ = [
    "BLOCK",
    "BLOCK_GRAIN",
    "EVENT",
    "HEAD",
    "MAX_BLOCK_SAMPLES",
    "MAX_EVENT_BYTES",
    "MAX_HEAD_BYTES",
    "MAX_ITEM_BYTES",
    "PIECE_BYTES",
    "SELF_DESCRIBED",
    "TAIL",
    "Block",
    "BoundsOf",
    "Channel",
    "ChannelHead",
    "Checker",
    "Content",
    "Event",
    "FileError",
    "Head",
    "IncompleteError",
    "Item",
    "Recording",
    "Tail",
    "Writer",
    "anything",
    "open_file",
    "read",
    "read_items",
    "recording_items",
    "recording_of",
    "recording_with",
    "stream_items",
    "unpack",
    "write",
    "write_items",
    "write_recording",
    "write_to",
]
