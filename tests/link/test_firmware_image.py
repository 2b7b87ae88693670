"""The firmware image: the example of its document byte by byte, versions, keys in open formats, and nothing else is taken for one."""

from __future__ import annotations

import hashlib
import random
import unittest

from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

from kumpel.config import ROOT
from kumpel.link import firmware_image
from kumpel.link.firmware_image import ImageError, NotGenuineError, version_numbers

SECRET = bytes(range(32))
PUBLIC = firmware_image.public_of(SECRET)
ABOUT = {"kind": "vehicle", "models": ["VL-16"], "version": "4.4.0"}


class Image(unittest.TestCase):
    def test_the_example_of_the_document(self) -> None:
        image = firmware_image.sign(b"hello", SECRET, ABOUT)
        digest = hashlib.sha256(image).hexdigest()
        said = (ROOT / "docs" / "firmware-image.md").read_text()
        self.assertEqual(len(image), 191)
        self.assertIn(" ".join(digest[i : i + 8] for i in range(0, 64, 8)), said)
        # By the library alone: the head begins after 6 bytes, the signature follows it, and is over the words of the document and the head.
        length = int.from_bytes(image[4:6], "big")
        head, signature = image[6 : 6 + length], image[6 + length : 70 + length]
        key = serialization.load_pem_public_key(firmware_image.public_words(PUBLIC).encode())
        assert isinstance(key, Ed25519PublicKey)
        key.verify(signature, b"kumpel firmware image 1\x00" + head)
        self.assertEqual(image[70 + length :], b"hello")

    def test_versions(self) -> None:
        rising = ["0.0", "1.0.0.1", "1.2", "1.10", "2.0", "65535.0"]
        self.assertEqual(sorted(rising, key=version_numbers), rising)
        self.assertEqual(version_numbers("4.10.0.0"), version_numbers("4.10"))
        for bad in ("", "4", "4.", ".4", "4.3.1.2.1", "4.3-rc1", "v4.3", "4.65536", "4.3 ", "4,3", "٤.٣", "4.3\n"):
            with self.subTest(bad), self.assertRaises(ValueError):
                version_numbers(bad)

    def test_keys_there_and_back_and_other_files(self) -> None:
        self.assertEqual(firmware_image.public_from(firmware_image.public_words(PUBLIC)), PUBLIC)
        self.assertEqual(firmware_image.secret_from(firmware_image.secret_words(SECRET)), SECRET)
        for words in ("", "hello", firmware_image.secret_words(SECRET)):
            with self.assertRaises(ImageError):
                firmware_image.public_from(words)
        with self.assertRaises(ImageError):
            firmware_image.secret_from(firmware_image.public_words(PUBLIC))

    def test_nothing_else_is_taken_for_one(self) -> None:
        image = firmware_image.sign(b"hello" * 40, SECRET, ABOUT)
        rng = random.Random(7)
        for number in range(2_000):
            bad = bytearray(image)
            for _ in range(rng.randrange(1, 4)):
                bad[rng.randrange(len(bad))] = rng.randrange(256)
            if rng.random() < 0.3:
                del bad[rng.randrange(len(bad)) :]
            if bytes(bad) == image:
                continue
            with self.subTest(number), self.assertRaises(ImageError):
                firmware_image.check(firmware_image.read(bytes(bad)), [PUBLIC])
        with self.assertRaises(NotGenuineError):
            firmware_image.check(firmware_image.read(image), [])

    def test_what_cannot_be_signed(self) -> None:
        for about in (
            ABOUT | {"version": "4"},
            ABOUT | {"models": []},
            ABOUT | {"kind": ""},
            ABOUT | {"shows": "x" * 201},
        ):
            with self.assertRaises(ImageError):
                firmware_image.sign(b"x", SECRET, about)
        with self.assertRaises(ImageError):
            firmware_image.sign(b"", SECRET, ABOUT)
