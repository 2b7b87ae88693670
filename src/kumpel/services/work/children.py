"""Children of a web process or a worker, and figures in them: one that dies is replaced.

That a child had begun stands on the session, so that one which ends its process twice is given up in words (`figures.MOST_BEGUN`).
"""

from __future__ import annotations

import contextlib

from kumpel.services.ground import figures
from kumpel.services.ground.apart import ChildEndedError, Children
from kumpel.services.ground.recordings import forget_recordings
from kumpel.store.database import engine

PRELOADED = (
    "kumpel.services.work.children",
    "kumpel.services.report.exports",
    "kumpel.services.report.reports",
    "kumpel.kinds.registry",
    "scipy.signal",
    "scipy.interpolate",
    "kumpel.services.work.frozen",
)
BEHIND = 10
"""Figures go behind whoever waits for an answer."""


def children_for_answers() -> Children:
    """For what a person waits for: pages, files."""
    return Children(PRELOADED)


def children_for_jobs() -> Children:
    return Children(PRELOADED, nice=BEHIND)


class Reckoners:
    """Children that compute the figures of the sessions of one database."""

    def __init__(self, url: str, children: Children) -> None:
        self._url, self._children = url, children

    def figures_of(self, session_id: int, *, again: bool = False) -> bool:
        """As `figures.run`, in a child; tried again when that dies, and given up in words when it dies again."""
        figures.under_way.add(session_id)
        try:
            for _ in range(figures.MOST_BEGUN):
                # Ended on purpose it is no accident of the session's, and nobody begins it anew here.
                if self._children.ended:
                    return False
                with contextlib.suppress(ChildEndedError):
                    return self._children.call(_figures, self._url, session_id, again)
        finally:
            figures.under_way.discard(session_id)
        if not self._children.ended:
            figures.give_up(engine(self._url), session_id)
        return False


def _figures(url: str, session_id: int, again: bool) -> bool:
    try:
        return figures.run(engine(url), session_id, again=again)
    finally:
        forget_recordings()
