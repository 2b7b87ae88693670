"""The ECG on paper, measured in the PDF: 25.0 mm from second to second, 10.0 mm a millivolt, everything that happened over it."""

from __future__ import annotations

import io
import itertools
import re
import time
import unittest
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pypdf
from pypdf.generic import ContentStream

from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Review
from kumpel.kinds.registry import KINDS
from kumpel.reports import pages
from kumpel.reports.document import Document, Picture
from kumpel.standins.signals import SIGNALS

MM = 72 / 25.4
Matrix = tuple[float, float, float, float, float, float]


def multiplied(a: Matrix, b: Matrix) -> Matrix:
    return (
        a[0] * b[0] + a[1] * b[2],
        a[0] * b[1] + a[1] * b[3],
        a[2] * b[0] + a[3] * b[2],
        a[2] * b[1] + a[3] * b[3],
        a[4] * b[0] + a[5] * b[2] + b[4],
        a[4] * b[1] + a[5] * b[3] + b[5],
    )


def paths(
    content: ContentStream, resources: object, at: Matrix, reader: pypdf.PdfReader
) -> Iterator[list[tuple[float, float]]]:
    """Every open path of a page, its points in mm on paper, whatever it is nested in."""
    stack, path = [], []
    for operands, operator in content.operations:
        numbers = [float(each) for each in operands if isinstance(each, int | float)]
        if operator == b"q":
            stack.append(at)
        elif operator == b"Q":
            at = stack.pop()
        elif operator == b"cm":
            at = multiplied(tuple(numbers), at)
        elif operator in (b"m", b"l"):
            if operator == b"m" and path:
                yield path
            path = [] if operator == b"m" else path
            x, y = numbers
            path.append(((at[0] * x + at[2] * y + at[4]) / MM, (at[1] * x + at[3] * y + at[5]) / MM))
        elif operator in (b"S", b"f", b"n", b"B", b"W") and path:
            yield path
            path = []
        elif operator == b"Do":
            form = resources["/XObject"][operands[0]].get_object()
            if form.get("/Subtype") == "/Form":
                inner = multiplied(tuple(float(v) for v in form.get("/Matrix", (1, 0, 0, 1, 0, 0))), at)
                yield from paths(ContentStream(form, reader), form.get("/Resources", resources), inner, reader)


def drawn(parts: list[Picture]) -> list[list[tuple[float, float]]]:
    document = Document(title="T", subtitle="", token="", verdict="within", words="", footer="", parts=parts)
    reader = pypdf.PdfReader(io.BytesIO(pages.pdf(document.model_copy(update={"tight": 0.76}))))
    found = []
    for page in reader.pages:
        content = ContentStream(page.get_contents(), reader)
        found += list(paths(content, page["/Resources"], (1, 0, 0, 1, 0, 0), reader))
    return found


def strip_of(recording: Recording) -> list[Picture]:
    kind = KINDS["resuscitation"]
    both = kind.assess(recording, Review(), kind.limit_sets[0])
    return [
        part
        for part in kind.report(recording, Review(), both, kind.limit_sets[0], ("strip",))
        if isinstance(part, Picture)
    ]


def steps(seconds: float = 6.5) -> Recording:
    """One millivolt up and down again, a second each."""
    at = np.arange(round(seconds / 0.004)) * 0.004
    ecg = np.where(np.floor(at) % 2 == 0, 0.0, 1.0)
    made = SIGNALS["resuscitation"](3).recording
    return replace(made, channels={"ecg": Channel("ecg", "ECG", "mV", 0.004, ecg)}, events=made.events[:1])


class TrueToScale(unittest.TestCase):
    def test_a_second_is_25_mm_and_a_millivolt_10_even_on_a_page_that_was_made_tighter(self) -> None:
        found = drawn(strip_of(steps()))
        ticks = sorted(
            {
                round(p[0][0], 3)
                for p in found
                if len(p) == 2 and abs(p[0][0] - p[1][0]) < 1e-3 and abs(abs(p[0][1] - p[1][1]) - 1.2) < 0.05
            }
        )
        self.assertEqual(len(ticks), 7)
        for apart in np.diff(ticks):
            self.assertAlmostEqual(float(apart), 25.0, delta=0.1)
        wave = max(found, key=len)
        self.assertGreater(len(wave), 1500)
        height = max(y for _, y in wave) - min(y for _, y in wave)
        self.assertAlmostEqual(height, 10.0, delta=0.1)
        rises = [a[0] for a, b in itertools.pairwise(wave) if b[1] - a[1] > 5]
        self.assertAlmostEqual(rises[1] - rises[0], 50.0, delta=0.1)

    def test_what_was_not_measured_breaks_the_line_and_what_happened_stands_over_it(self) -> None:
        made = SIGNALS["resuscitation"](3).recording
        ecg = made.channels["ecg"].values.copy()
        ecg[: round(3 / 0.004)] = np.nan
        made = replace(made, channels={"ecg": Channel("ecg", "ECG", "mV", 0.004, ecg)})
        lines = strip_of(made)
        self.assertEqual(len(lines), int(np.ceil(made.length_s / 7.0)))
        self.assertIn("attach pads", lines[0].svg)
        shocks = [event.at_s for event in made.events if event.code == "shock"]
        self.assertEqual(sum(line.svg.count("shock delivered") for line in lines), len(shocks))
        for at in shocks:
            self.assertIn("shock delivered", lines[int(at // 7)].text)
        [wave] = re.findall(r'd="(M[^"]*)" fill="none" stroke="#1d2b33"', lines[0].svg)
        self.assertTrue(wave.startswith("M212.60 "), "nothing is drawn before the pads are on, at 75 mm")

    def test_a_long_recording_is_printed_around_its_shocks_and_says_so(self) -> None:
        made = SIGNALS["resuscitation"](3).recording
        long = np.resize(made.channels["ecg"].values, round(3600 / 0.004))
        made = replace(made, channels={"ecg": Channel("ecg", "ECG", "mV", 0.004, long)})
        began = time.perf_counter()
        lines = strip_of(made)
        self.assertIn("around shocks only, the recording is 60 min long", lines[0].title)
        shocks = [event.at_s for event in made.events if event.code == "shock"]
        self.assertEqual(sum(line.svg.count("shock delivered") for line in lines), len(shocks))
        self.assertLess(len(lines), 8 * len(shocks))
        self.assertLess(time.perf_counter() - began, 10)
