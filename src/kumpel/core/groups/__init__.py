"""Groups of people with the same job (similar exposure groups): whether one is alike, and whether it stays below a limit."""

from kumpel.core.groups.alike import NOT_BY_CHANCE, Alike, Split, alike, proposed_split
from kumpel.core.groups.compliance import (
    COMPLIES,
    EXCEEDS,
    MORE,
    NO_LIMIT,
    NOT_ALIKE,
    SOURCE,
    Group,
    group,
    screening,
    u_t,
)
from kumpel.core.groups.daily_level import SOURCE as DAILY_SOURCE
from kumpel.core.groups.daily_level import DailyLevel, daily_level
from kumpel.core.groups.findings import Findings, findings
from kumpel.core.groups.fitted import Fitted, fitted, p_normal
from kumpel.core.groups.share import share_above, upper_share

METHOD = "2"
"""Version of the computation over a group: a new one when the same sessions would give other figures."""

__all__ = [
    "COMPLIES",
    "DAILY_SOURCE",
    "EXCEEDS",
    "METHOD",
    "MORE",
    "NOT_ALIKE",
    "NOT_BY_CHANCE",
    "NO_LIMIT",
    "SOURCE",
    "Alike",
    "DailyLevel",
    "Findings",
    "Fitted",
    "Group",
    "Split",
    "alike",
    "daily_level",
    "findings",
    "fitted",
    "group",
    "p_normal",
    "proposed_split",
    "screening",
    "share_above",
    "u_t",
    "upper_share",
]
