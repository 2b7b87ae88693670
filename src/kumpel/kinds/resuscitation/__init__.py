"""Defibrillators' recordings of resuscitations."""

from __future__ import annotations

from pydantic import BaseModel

from kumpel.core.bounds import Bounds
from kumpel.core.recording import ChannelWord
from kumpel.core.resuscitation.assess import assess
from kumpel.core.timebase import DAY_S
from kumpel.kinds.kind import EventWord, Followed, Kind, TagWord
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.plan import Plan, PlanFact, Situation, memory
from kumpel.kinds.resuscitation import report
from kumpel.kinds.setup_fields import setting


class ResuscitationSetup(BaseModel):
    """Settings of a defibrillator that a recording carries; nothing in it names anybody."""

    name: str = setting("Setup", "Pit head", max_length=60)
    place: str = setting("Place", "", max_length=60)
    prompts: str = setting("Language of the prompts", "English", max_length=20)


AN_HOUR_BYTES = 3600 * 250 * 2
"""The electrocardiogram at 250 samples a second; what else it keeps is little beside that."""


def plan(setup: ResuscitationSetup, situation: Situation) -> Plan:
    """It records by itself: how many hours of that its memory holds."""
    return Plan((PlanFact("by itself", "from switching on", "no planned length"), *memory(situation, AN_HOUR_BYTES)))


LIBRARY: dict[str, BaseModel] = {"Pit head": ResuscitationSetup()}


LEAFLET = """\
The recorder is part of the defibrillator and records by itself from switching on.
After a use do not switch it on again before the recording was taken in.
Bring it back as it is, with pads and papers.
Write down the time of the call, of arrival, who was there and what was done."""


KIND = Kind(
    key="resuscitation",
    was=("rescue",),
    name="Resuscitation",
    recorder_name="Defibrillator",
    leaflet=LEAFLET,
    setup_model=ResuscitationSetup,
    setup_library=LIBRARY,
    plan=plan,
    assess=assess,
    method="4",
    own_parts=report.OWN,
    parts=report.PARTS,
    forms=report.FORMS,
    main_channel="ecg",
    bounds=Bounds(2 * DAY_S, 1000.0, 16, 100_000_000, 100_000),
    exports=("edf",),
    limit_sets=shipped(__name__),
    shortest_s=5.0,
    readings=("depth_mm",),
    reading_code="compression",
    check_list=(
        "It keeps one recording only: take it in BEFORE it goes back into service.",
        "Is it switched to transfer (hold the i key while switching on)?",
        "Is the infrared window or the plug clean?",
    ),
    channels=(
        ChannelWord("ecg", "ECG", "mV"),
        ChannelWord("depth_mm", "Compression depth", "mm"),
    ),
    events=(
        EventWord("shock", "shock", "shocks", droppable=True, keepable=True, around_s=20),
        EventWord("prompt", "prompt", "prompts", droppable=True, keepable=True, around_s=20),
        EventWord("compression", "compression", "compressions", droppable=True, keepable=True, around_s=10),
    ),
    tags=(
        TagWord("crew", "Crew", "who was there"),
        TagWord("place", "Place", "where it was"),
        TagWord("outcome", "Handed over", "to whom"),
    ),
    registers=(
        Followed("in_target", "In target"),
        Followed("fraction", "Fraction"),
        Followed("rate", "Mean rate"),
        Followed("depth", "Mean depth"),
        Followed("longest_pause", "Longest pause"),
    ),
    trends=(
        Followed("in_target", "In target"),
        Followed("fraction", "Compression fraction"),
        Followed("rate", "Mean rate"),
        Followed("depth", "Mean depth"),
        Followed("longest_pause", "Longest pause"),
    ),
)
