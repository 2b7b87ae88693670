"""What every kind has that declares nothing else: two recordings compared plainly, and that as a page of the report."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from kumpel.core import plain_comparison
from kumpel.core.comparison import Comparison, Side
from kumpel.kinds.kind import Compares, Followed, Kind
from kumpel.kinds.plain_report import COMPARISON


def with_usual(kind: Kind) -> Kind:
    """The kind with what is usual in the places where it has nothing of its own."""
    if kind.compares is not None:
        return kind
    followed = {each.figure: each for each in (*kind.trends, *kind.registers)}
    foremost = tuple(followed.values())[: plain_comparison.FOREMOST]

    def compare(
        before: Side, after: Side, earlier: Sequence[Mapping[str, float]], as_set: Mapping[str, float]
    ) -> Comparison:
        return plain_comparison.compare(before, after, [(f.figure, f.label) for f in foremost], earlier, as_set)

    parts = kind.parts if any(part.key == COMPARISON.key for part in kind.parts) else (*kind.parts, COMPARISON)
    return replace(
        kind, compares=Compares(tuple(Followed(f.figure, f.label) for f in foremost), compare, of_all=True), parts=parts
    )
