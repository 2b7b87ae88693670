"""The examples in the core's docstrings run, and say what they say."""

from __future__ import annotations

import doctest
import importlib
import pkgutil
import unittest

import numpy as np

import kumpel.core


class Examples(unittest.TestCase):
    def test_every_example_in_the_core(self) -> None:
        tried = 0
        for found in pkgutil.walk_packages(kumpel.core.__path__, "kumpel.core."):
            module = importlib.import_module(found.name)
            result = doctest.testmod(module, extraglobs={"np": np})
            tried += result.attempted
            with self.subTest(module=found.name):
                self.assertEqual(result.failed, 0)
        self.assertGreater(tried, 20)
