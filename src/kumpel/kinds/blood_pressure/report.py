"""What a report of blood pressure has of its own: the picture of the day, how many readings reach their limit, and the page that is given
to the patient: in plain words, without advice."""

from __future__ import annotations

import math

from kumpel.core.assessment import Assessment, LimitSet
from kumpel.core.blood_pressure.periods import limit_of
from kumpel.core.recording import Recording
from kumpel.core.review import Review
from kumpel.core.rounding import shown
from kumpel.kinds.blood_pressure import picture
from kumpel.kinds.plain_report import MEDICINES, PARTS, TABLE, ReportPart
from kumpel.reports.document import ListPart, Part, Picture, TablePart, TextPart

PATIENT = ReportPart("patient", "Page for the patient", one_page=False, size="page", added=True)
LANES, CLASSES, QUALITY = "lanes", f"{TABLE}classes", "quality"
_BY_KEY = {part.key: part for part in PARTS}
OWN_PARTS = (
    _BY_KEY["checks"],
    _BY_KEY["figures"],
    _BY_KEY[LANES],
    ReportPart(CLASSES, "How many readings reach their limit"),
    MEDICINES,
    _BY_KEY[QUALITY],
    _BY_KEY["left-out"],
    ReportPart(f"{TABLE}readings", "All readings", one_page=False),
    _BY_KEY["all-figures"],
    _BY_KEY["tables"],
    _BY_KEY["methods"],
    PATIENT,
)
PERIODS = (("awake", "By day"), ("asleep", "In sleep"))


def day(
    recording: Recording, review: Review, found: Assessment, title: str = "Readings, activity and sleep"
) -> Picture:
    """The picture of all readings over the clock."""
    svg = picture.day_picture(recording, found, review.left_out)
    return Picture(title=title, svg=svg, text=picture.words(recording, found))


def classes(found: Assessment) -> TablePart:
    """How many readings reach the limits of their own period."""
    table = found.table("classes")
    # Results from before readings were counted have shares.
    shares = any(column.unit == "%" for column in table.columns)
    rows = []
    for name, readings, *parts in table.rows:
        n = float(readings)
        counts = [float(v) * n / 100 if shares else float(v) for v in parts[:4]]
        high = n - counts[0]
        share = f"{high:.0f} ({100 * high / n:.0f} %)" if n else "none"
        rows.append(
            [str(name), f"{n:.0f}", *(f"{v:.0f}" for v in counts), share] if n else [str(name), "0", *4 * ["0"], share]
        )
    columns = ["Period", "Readings", "Below both", "Only systolic", "Only diastolic", "Both", "Reach a limit"]
    return TablePart(title="How many readings reach the limit of their period", columns=columns, rows=rows, even=True)


def quality(found: Assessment) -> TextPart:
    """What is to be said of the data, in a line."""
    words = "; ".join(f.text for f in found.quality.findings)
    return TextPart(
        title="Quality of the data", text=f"{words[:1].upper()}{words[1:]}." if words else "Nothing to say against it."
    )


def patient_page(recording: Recording, review: Review, found: Assessment, limits: LimitSet) -> list[Part]:
    """What the patient is told."""
    lines = [_measured(found), *(_period(found, limits, *each) for each in PERIODS), _fall(found)]
    blocked = [f.text for f in found.quality.findings if f.blocks]
    if blocked:
        lines.append("There were too few good readings to judge by. It should be measured again.")
    rows = [
        [name, _pair(found, key), _limit(limits, key), _too_high(found, key)]
        for key, name in (("all", "All day and night"), *PERIODS)
    ]
    return [
        ListPart(title="What the cuff showed", lines=[line for line in lines if line]),
        TablePart(
            title="In numbers",
            columns=["", "On average, mmHg", "Too high from, mmHg", "Readings that were too high"],
            rows=rows,
        ),
        day(recording, review, found, "Your day and night"),
        ListPart(
            title="How to read the picture",
            lines=[
                "Each bar is one reading. Its upper end is the pressure while the heart beats, its lower end the pressure between two beats.",
                "The dashed lines are the limits: by day they are higher than in sleep. A bar that reaches up to its line is too high.",
                "The shaded part is your sleep. There the bars should lie lower than by day.",
                "A single high reading means little: what counts are the averages.",
                "What follows from it, your doctor tells you.",
            ],
        ),
    ]


def _number(found: Assessment, key: str) -> float:
    """A figure as stated; nan in results from before there was one."""
    return next((figure.stated for figure in found.figures if figure.key == key), math.nan)


def _measured(found: Assessment) -> str:
    tries, valid = (int(_number(found, f"all.{key}")) for key in ("tries", "valid"))
    failed = tries - valid
    rest = f", {failed} more did not succeed or were left out" if failed else ""
    return f"Your blood pressure was measured {valid} times{rest}."


def _period(found: Assessment, limits: LimitSet, key: str, name: str) -> str:
    pair = _pair(found, key)
    if pair == "not measured":
        return f"{name} nothing was measured."
    limit = limit_of(limits, key, "systolic"), limit_of(limits, key, "diastolic")
    if any(math.isnan(v) for v in limit):
        return f"{name} it was {pair} on average."
    means = [_number(found, f"{key}.{pressure}.mean") for pressure in ("systolic", "diastolic")]
    high = any(mean >= value for mean, value in zip(means, limit, strict=True))
    stands = "too high" if high else "not too high"
    return f"{name} it was {pair} on average: {stands} (from {_limit(limits, key)} on it is too high). {_too_high(found, key)} single readings were."


def _pair(found: Assessment, key: str) -> str:
    means = [_number(found, f"{key}.{pressure}.mean") for pressure in ("systolic", "diastolic")]
    return "not measured" if any(math.isnan(v) for v in means) else f"{shown(means[0], 0)}/{shown(means[1], 0)}"


def _limit(limits: LimitSet, key: str) -> str:
    values = [limit_of(limits, key, pressure) for pressure in ("systolic", "diastolic")]
    return "no limit" if any(math.isnan(v) for v in values) else f"{values[0]:g}/{values[1]:g}"


def _too_high(found: Assessment, key: str) -> str:
    reached, valid = _number(found, f"{key}.reached"), _number(found, f"{key}.valid")
    return "not known" if math.isnan(reached) else f"{reached:.0f} of {valid:.0f}"


def _fall(found: Assessment) -> str:
    dip = found.figure("dip.systolic")
    if math.isnan(dip.value):
        return "How far it fell in sleep is not known."
    if dip.value < 0:
        return f"In sleep it rose by {shown(-dip.value, 1)} %; usually it falls by 10 to 20 %."
    return f"In sleep it fell by {shown(dip.value, 1)} %; usual are 10 to 20 %."
