"""A firmware image: what it is for, its version, the program, and whose signature vouches for it (docs/firmware-image.md).

A server reads one before it keeps it, and a recorder before it starts it: neither believes the other.

ImageError              what was given is no firmware image, or not a whole one
  NotGenuineError       nobody whose key is trusted has signed it, or it was changed since
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable
from typing import Any, Final

import cbor2
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey
from pydantic import Field, ValidationError

from kumpel.link.messages import Message, Name

MAGIC: Final = b"KFW1"
SIGNED_AS: Final = b"kumpel firmware image 1\x00"
"""Goes before what is signed: a signature made for something else is none for an image."""
MOST_HEAD: Final = 4_096
MOST_BYTES: Final = 1 << 26
SIGNATURE_BYTES: Final = 64
MOST_PARTS, MOST_PART = 4, 65_535
_VERSION: Final = re.compile(r"[0-9]{1,5}(?:\.[0-9]{1,5}){1,3}")


class ImageError(ValueError):
    """It is no firmware image, or not a whole one."""


class NotGenuineError(ImageError):
    """Nobody whose key is trusted has signed it, or it was changed since."""


class Head(Message):
    """What an image says of itself: all of it is signed."""

    kind: Name = Field(min_length=1, max_length=40)
    models: list[Name] = Field(min_length=1, max_length=20)
    version: Name = Field(min_length=3, max_length=40)
    size: int = Field(ge=1, le=MOST_BYTES)
    """Bytes of the program."""
    sha256: bytes = Field(min_length=32, max_length=32)
    """Of the program."""
    key: bytes = Field(min_length=8, max_length=8)
    """Whose signature it is: `key_id` of the public key."""
    shows: Name = Field(default="", max_length=200)
    """What the display says once it runs, in plain words."""
    notes: Name = Field(default="", max_length=1_000)


class Image(Message):
    """An image taken apart. It is not checked yet whether it is genuine: `check`."""

    head: Head
    signed: bytes
    signature: bytes
    program: bytes


def version_numbers(version: str) -> tuple[int, ...]:
    """The numbers of a version, by which versions are compared; zeros at the end count for nothing.

    Raises ValueError for what is not two to four whole numbers up to 65,535 with dots between.

    Examples
    --------
    >>> version_numbers("4.10") > version_numbers("4.9.3")
    True
    >>> version_numbers("4.10.0") == version_numbers("4.10")
    True
    """
    if not _VERSION.fullmatch(version):
        raise ValueError(f"“{version}” is no version such as 4.3.1")
    numbers = [int(part) for part in version.split(".")]
    if max(numbers) > MOST_PART:
        raise ValueError(f"“{version}” is no version: a number in it is above {MOST_PART:,}")
    while numbers and not numbers[-1]:
        numbers.pop()
    return tuple(numbers)


def key_id(public: bytes) -> bytes:
    """The eight bytes by which a public key (32 bytes) is named."""
    return hashlib.sha256(public).digest()[:8]


def new_key() -> bytes:
    """A new secret key (32 bytes)."""
    return Ed25519PrivateKey.generate().private_bytes_raw()


def public_of(secret: bytes) -> bytes:
    """The public key of a secret one, 32 bytes each."""
    return Ed25519PrivateKey.from_private_bytes(secret).public_key().public_bytes_raw()


def public_words(public: bytes) -> str:
    """A public key as the text of its file: SubjectPublicKeyInfo in PEM (RFC 8410)."""
    form = serialization.PublicFormat.SubjectPublicKeyInfo
    key = Ed25519PublicKey.from_public_bytes(public)
    return key.public_bytes(serialization.Encoding.PEM, form).decode()


def secret_words(secret: bytes) -> str:
    """A secret key as the text of its file: PKCS #8 in PEM (RFC 8410), not encrypted."""
    key = Ed25519PrivateKey.from_private_bytes(secret)
    form, plain = serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    return key.private_bytes(serialization.Encoding.PEM, form, plain).decode()


def public_from(words: str) -> bytes:
    """The public key in the text of its file. Raises ImageError when it is none for Ed25519."""
    try:
        key = serialization.load_pem_public_key(words.encode())
    except ValueError as error:
        raise ImageError("this is no file with a public key (PEM, it begins with “BEGIN PUBLIC KEY”)") from error
    if not isinstance(key, Ed25519PublicKey):
        raise ImageError("this key is not for Ed25519")
    return key.public_bytes_raw()


def secret_from(words: str) -> bytes:
    """The secret key in the text of its file. Raises ImageError when it is none for Ed25519."""
    try:
        key = serialization.load_pem_private_key(words.encode(), password=None)
    except (ValueError, TypeError) as error:
        raise ImageError("this is no file with a secret key (PEM, it begins with “BEGIN PRIVATE KEY”)") from error
    if not isinstance(key, Ed25519PrivateKey):
        raise ImageError("this key is not for Ed25519")
    return key.private_bytes_raw()


def sign(program: bytes, secret: bytes, about: dict[str, Any]) -> bytes:
    """The image of a program, signed: `about` has kind, models, version, and perhaps shows and notes. Raises ImageError."""
    own = {
        "size": len(program),
        "sha256": hashlib.sha256(program).digest(),
        "key": key_id(public_of(secret)),
    }
    signed = cbor2.dumps(_head(about | own).model_dump(), canonical=True)
    signature = Ed25519PrivateKey.from_private_bytes(secret).sign(SIGNED_AS + signed)
    return MAGIC + len(signed).to_bytes(2, "big") + signed + signature + program


def read(data: bytes) -> Image:
    """The parts of an image. Raises ImageError for what is none, was cut off, or is longer than it says."""
    if data[:4] != MAGIC or len(data) < 6:
        raise ImageError("this is no firmware image (a file of that kind begins with KFW1)")
    length = int.from_bytes(data[4:6], "big")
    signed, rest = data[6 : 6 + length], data[6 + length :]
    if length > MOST_HEAD or len(signed) < length or len(rest) < SIGNATURE_BYTES:
        raise ImageError("this firmware image is cut off")
    try:
        head = _head(cbor2.loads(signed))
    except (cbor2.CBORDecodeError, ValueError, RecursionError) as error:
        raise error if isinstance(error, ImageError) else ImageError("this firmware image is damaged") from error
    program = rest[SIGNATURE_BYTES:]
    if len(program) != head.size:
        raise ImageError(f"this firmware image has {len(program):,} bytes of {head.size:,}: it is not whole")
    if hashlib.sha256(program).digest() != head.sha256:
        raise ImageError("this firmware image is damaged: its bytes are not those it was made of")
    return Image(head=head, signed=signed, signature=rest[:SIGNATURE_BYTES], program=program)


def check(image: Image, trusted: Iterable[bytes]) -> None:
    """Raises NotGenuineError unless one of the trusted public keys (32 bytes each) has signed it."""
    public = next((each for each in trusted if key_id(each) == image.head.key), None)
    if public is None:
        raise NotGenuineError(f"it is signed with the key {image.head.key.hex()}, which is not trusted here")
    try:
        Ed25519PublicKey.from_public_bytes(public).verify(image.signature, SIGNED_AS + image.signed)
    except InvalidSignature as error:
        raise NotGenuineError("its signature is not right: it was changed after it was signed") from error


def _head(values: object) -> Head:
    try:
        head = Head.model_validate(values)
        version_numbers(head.version)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "its head"
        raise ImageError(f"this firmware image is damaged: {where}: {first['msg']}") from error
    except ValueError as error:
        raise ImageError(f"this firmware image: {error}") from error
    return head
