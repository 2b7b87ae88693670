"""Samples of a block: unpacked into the channel's unit, with no trust in what the block claims."""

from __future__ import annotations

from typing import Any

import numpy as np
import zstandard
from numpy.typing import NDArray

from kumpel.core.recording import Floats
from kumpel.formats.errors import FileError
from kumpel.formats.krec.parts import LARGEST_VALUE, TYPES, Block, ChannelHead


def unpack(block: Block, channel: ChannelHead, offset: int = 0) -> Floats:
    """Samples of a block in the channel's unit, shape (count,), nan where missing.

    Refuses a Zstandard frame that would grow beyond what `count` samples of this type take.
    """
    tag, dtype = TYPES[channel.type]
    size = block.count * np.dtype(dtype).itemsize
    bound = size + 16
    try:
        declared = zstandard.frame_content_size(block.packed)
        if declared > bound:
            raise FileError(f"the block claims {declared} bytes; {size} expected", offset)
        unpacker = zstandard.ZstdDecompressor(max_window_size=2**23)
        plain = unpacker.decompress(block.packed, max_output_size=bound)
    except zstandard.ZstdError as error:
        raise FileError(f"block {block.index}: not a readable Zstandard frame ({error})", offset) from error
    expected = typed_array_head(tag, size)
    if not plain.startswith(expected) or len(plain) != len(expected) + size:
        raise FileError(f"block {block.index}: the typed array does not hold {block.count} × {channel.type}", offset)
    raw: NDArray[Any] = np.frombuffer(plain, dtype, count=block.count, offset=len(expected))
    values = raw.astype(np.float64)
    if channel.scale != 1.0:
        values *= channel.scale
    if channel.offset:
        values += channel.offset
    if channel.missing is not None:
        values[raw == channel.missing] = np.nan
    # An endless or absurd value of a float channel was not measured either.
    with np.errstate(invalid="ignore"):
        absurd = np.abs(values) > LARGEST_VALUE
    if absurd.any():
        values[absurd] = np.nan
    return values


def typed_array_head(tag: int, size: int) -> bytes:
    """CBOR tag and byte-string head of a typed array (RFC 8949 3, RFC 8746 2), in shortest form."""
    return bytes((0xD8, tag)) + _length_head(0x40, size)


def _length_head(major: int, size: int) -> bytes:
    if size < 24:
        return bytes((major | size,))
    for code, width in ((24, 1), (25, 2), (26, 4)):
        if size < 256**width:
            return bytes((major | code,)) + size.to_bytes(width, "big")
    raise ValueError(f"{size} bytes are too many for a block")
