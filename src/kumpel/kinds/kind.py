"""What the rest of Kumpel needs to know of a kind of recorder."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from pydantic import BaseModel

from kumpel.core.assessment import BothWays, LimitSet
from kumpel.core.bounds import ANY, Bounds
from kumpel.core.recording import ChannelWord, Recording
from kumpel.core.review import Review
from kumpel.reports.document import Part

Assess = Callable[[Recording, Review, LimitSet], BothWays]
ReportParts = Callable[[Recording, Review, BothWays, LimitSet, Sequence[str]], list[Part]]


@dataclass(frozen=True)
class SetupField:
    """A settings field as people read it. `path` reaches into lists ("weightings.0.threshold_db")."""

    path: str
    label: str
    unit: str = ""
    words: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class GroupRule:
    """A figure that is looked at over several people of a group; decibels are not taken as log-normal."""

    figure: str
    logarithmic: bool = True


@dataclass(frozen=True)
class Kind:
    """A kind: its name, settings, assessment and what its views show first.

    `energy_channels` names the channels (by prefix) whose mean is an energy mean of decibels. `channels` are those that
    a file may bring, `groups` the figures of group statistics, `readings` the columns of single readings (a file with
    these has rows at uneven times that become events `reading_code`), `options` what a reviewer may set for one session, with
    its meaning, `bounds` how much a recording may hold (docs/recording-file.md).
    """

    key: str
    name: str
    recorder_name: str
    setup_model: type[BaseModel]
    setup_library: dict[str, BaseModel]
    assess: Assess
    main_channel: str
    limit_sets: tuple[LimitSet, ...]
    fields: Callable[[BaseModel], list[SetupField]]
    report: ReportParts
    report_parts: dict[str, str]
    one_page: tuple[str, ...]
    energy_channels: tuple[str, ...] = ()
    shortest_s: float = 60.0
    check_list: tuple[str, ...] = ()
    channels: tuple[ChannelWord, ...] = ()
    groups: tuple[GroupRule, ...] = ()
    readings: tuple[str, ...] = ()
    reading_code: str = "reading"
    options: dict[str, str] = field(default_factory=dict)
    bounds: Bounds = ANY

    def is_energy(self, channel: str) -> bool:
        return channel.startswith(self.energy_channels) if self.energy_channels else False
