"""How much a recording of a kind may hold: what lies beyond is a fault or an attack, and is refused before it is unpacked."""

from __future__ import annotations

from dataclasses import dataclass


class BoundsError(ValueError):
    """A recording that holds more than any of its kind can: what, how much, what is possible."""


@dataclass(frozen=True)
class Bounds:
    """The longest plausible span (s), the highest rate (1/s) of a channel, and the most channels, samples of all channels
    together, and events.

    `samples` is the longest span times the usual rate times the usual number of channels, not the product of all highest
    values: nothing records everything fastest for longest.
    """

    span_s: float = 400 * 86_400.0
    rate_hz: float = 50_000.0
    channels: int = 256
    samples: int = 400_000_000
    events: int = 500_000

    def check_channels(self, count: int) -> None:
        if count > self.channels:
            raise BoundsError(f"{count} channels; {self.channels} are possible")

    def check_rate(self, interval_s: float, what: str) -> None:
        """The interval of a channel named `what`."""
        if interval_s * self.rate_hz < 1 - 1e-9:
            raise BoundsError(f"{what}: {1 / interval_s:g} samples a second; {self.rate_hz:g} are possible")

    def check_span(self, span_s: float) -> None:
        # Written so that nan is refused.
        if not abs(span_s) <= self.span_s:
            raise BoundsError(f"a span of {_span(span_s)}; {_span(self.span_s)} are possible: is a time wrong?")

    def check_samples(self, count: int) -> None:
        """Samples of all channels together."""
        if count > self.samples:
            raise BoundsError(f"{count:,} samples; {self.samples:,} are possible")

    def check_events(self, count: int) -> None:
        if count > self.events:
            raise BoundsError(f"{count:,} events; {self.events:,} are possible")


def _span(seconds: float) -> str:
    return f"{seconds / 86_400:,.0f} days" if abs(seconds) >= 172_800 else f"{seconds / 3600:,.0f} h"


ANY = Bounds()
"""For a kind that nobody declared."""
