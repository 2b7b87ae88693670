"""Night recorders of jaw muscles and heart."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from kumpel.core.assessment import BothWays, LimitSet
from kumpel.core.bounds import Bounds
from kumpel.core.close_up import CloseUp
from kumpel.core.recording import ChannelWord, Recording
from kumpel.core.review import Review
from kumpel.core.timebase import DAY_S
from kumpel.kinds.kind import LEAVE_OUT, DecisionWord, EventWord, Followed, Kind, StretchWord, TagWord
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.plain_report import PATIENT_PARTS
from kumpel.kinds.plan import Plan, Situation, recorded
from kumpel.kinds.setup_fields import TIME_PATTERN, setting

_MEASURES = "How it measures"


class JawMuscleSetup(BaseModel):
    """Settings of a night recorder of jaw muscles."""

    asleep_from: str | None = setting(
        "Goes to bed at", None, words={"None": "not set"}, personal="goes_to_bed", pattern=TIME_PATTERN
    )
    awake_from: str | None = setting(
        "Gets up at", None, words={"None": "not set"}, personal="gets_up", pattern=TIME_PATTERN
    )
    run_length_min: int = setting("Planned length", 480, "min", ge=10, le=1440)
    rate_hz: Literal[800, 1000] = setting("Samples a second", 1000, "Hz", fold=_MEASURES)
    threshold_percent: float = setting("Threshold", 10.0, "% of the clench", fold=_MEASURES, ge=2, le=50)
    hysteresis_percent: float = setting("Hysteresis", 20.0, "%", fold=_MEASURES, ge=0, le=80)
    notch_hz: Literal[0, 50, 60] = setting("Mains filter", 0, "Hz", {"0": "off"}, fold=_MEASURES)
    name: str = setting("Setup", "Night", max_length=60, fold=_MEASURES)


def plan(setup: JawMuscleSetup, situation: Situation) -> Plan:
    """Two muscles and the heart, a sample each at each interval."""
    facts = recorded(3, 1 / setup.rate_hz, setup.run_length_min, situation, "two muscles and the heart")
    return Plan(facts, situation.now_min, float(setup.run_length_min))


LIBRARY: dict[str, BaseModel] = {
    "Night": JawMuscleSetup(),
    "Night, mains filter": JawMuscleSetup(name="Night, mains filter", notch_hz=50),
}


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """See `core.jaw_muscle.assess`. Imported when first needed: SciPy's signal tools take longer to load than the server."""
    from kumpel.core.jaw_muscle import assess as figures

    return figures.assess(recording, review, limits)


def close_up(recording: Recording, review: Review, start_s: float, end_s: float) -> CloseUp:
    """See `core.jaw_muscle.close_up`; imported when first needed, too."""
    from kumpel.core.jaw_muscle import close_up as look

    return look.close_up(recording, review, start_s, end_s)


LEAFLET = """\
Wash the skin over the jaw and at the wrist with water; no cream, no make-up. Shave where a sensor sits.
Stick the sensors where it was shown to you, shortly before you go to bed, and press each for ten seconds.
Start the recorder. Clench as hard as you can for three seconds, three times, with a pause between.
Sleep as always. If a sensor comes off, press it back on.
In the morning stop the recorder, take the sensors off and lay them to the recorder.
Write down when you went to bed, were awake for long, and got up, and whether a splint was worn."""


WHY_NOT = ("swallowing", "talking", "turning over", "electrode", "no reason")
"""Why an episode does not count, as the keys 1 to 5 say it."""
TYPES = ("phasic", "tonic", "mixed", "single")
WHY_NO_CLENCH = ("not clenched", "electrode", "not as hard as one can")


KIND = Kind(
    key="jaw_muscle",
    name="Jaw muscle",
    recorder_name="Jaw recorder",
    leaflet=LEAFLET,
    setup_model=JawMuscleSetup,
    setup_library=LIBRARY,
    plan=plan,
    assess=assess,
    method="5",
    main_channel="emg.left",
    bounds=Bounds(DAY_S, 2000.0, 8, 350_000_000, 50_000),
    exports=("edf",),
    limit_sets=shipped(__name__),
    shortest_s=600.0,
    check_list=(
        "Is it stopped? The light must be off.",
        "Is the memory card in to the click?",
        "Is the cable plugged in at both ends?",
    ),
    channels=(
        ChannelWord("emg.left", "Masseter left", "uV"),
        ChannelWord("emg.right", "Masseter right", "uV"),
        ChannelWord("ecg", "ECG", "mV"),
    ),
    decisions=(
        DecisionWord("threshold", "Threshold", "number", "% of the clench", 1, 100, hint="as set"),
        DecisionWord("hysteresis", "Hysteresis", "number", "%", 0, 90, hint="as set"),
        DecisionWord("heart_rise", "Heart rise that links", "number", "%", 1, 100, hint="10"),
        DecisionWord("clenches", "Clenches that make 100 %", "number", "", 1, 10, hint="3, the strongest"),
        DecisionWord("clench_min", "Clenches within", "number", "min", 0.5, 30, hint="3"),
        DecisionWord(
            "clench_mean",
            "100 % is of their peaks",
            "choice",
            choices=(("mean", "the mean"), ("median", "the median"), ("highest", "the highest")),
            hint="the mean",
        ),
        DecisionWord("notch_hz", "Mains filter", "number", "Hz", 0, 400, hint="as set"),
        DecisionWord(
            "reference_uv", "Level of 100 %", "number", "uV", 1, 100_000, hint="the clenches", needs_reason=True
        ),
    ),
    stretches=(LEAVE_OUT, StretchWord("asleep", "asleep", moves_edges=True)),
    events=(
        EventWord("clench.left", "clench left", "clenches left", True, True, WHY_NO_CLENCH, 15),
        EventWord("clench.right", "clench right", "clenches right", True, True, WHY_NO_CLENCH, 15),
        EventWord("left", "episode left", "episodes left", True, True, WHY_NOT, 15, TYPES),
        EventWord("right", "episode right", "episodes right", True, True, WHY_NOT, 15, TYPES),
    ),
    patient=True,
    parts=PATIENT_PARTS,
    drawn=("contact", "heart"),
    close_up=close_up,
    tags=(
        TagWord("night", "Night", "which one", ("first", "second", "third")),
        TagWord("splint", "Splint", "worn or not", ("none", "worn")),
    ),
    registers=(
        Followed("both.index", "Episodes"),
        Followed("both.phasic", "Phasic"),
        Followed("linked", "Heart-linked"),
        Followed("both.valid", "Valid sleep"),
    ),
    trends=(
        Followed("both.index", "Episodes"),
        Followed("linked", "Heart-linked"),
    ),
)
