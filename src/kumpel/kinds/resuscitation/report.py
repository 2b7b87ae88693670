"""The paper of a resuscitation: the strip true to scale, every compression against the targets, minutes and pauses."""

from __future__ import annotations

import numpy as np

from kumpel.core.recording import Event, Floats
from kumpel.core.resuscitation.assess import DEPTH_TARGET, RATE_TARGET, compressions
from kumpel.core.resuscitation.strip import MM_PER_MV, MM_PER_S, strips
from kumpel.core.timebase import clock_words
from kumpel.core.units import values_in
from kumpel.kinds import plain_report
from kumpel.kinds.plain_report import TABLE, PartOf, Reported, ReportForm, ReportPart
from kumpel.reports import clouds, strip
from kumpel.reports.document import Part, Picture, TablePart, TextPart

STRIP, CLOUDS, HAPPENED = "strip", "clouds", "happened"
PARTS = (
    plain_report.PARTS[0],
    ReportPart(HAPPENED, "What happened when", one_page=False),
    plain_report.PARTS[1],
    ReportPart(CLOUDS, "Every compression against the targets"),
    ReportPart(f"{TABLE}minutes", "Minute by minute"),
    ReportPart(f"{TABLE}pauses", "Pauses"),
    *plain_report.PARTS[3:],
    ReportPart(STRIP, "The ECG true to scale", one_page=False, size="page"),
)
FORMS = (
    ReportForm("Debrief", ("figures", CLOUDS, f"{TABLE}minutes", f"{TABLE}pauses"), named=False),
    ReportForm("Medical", ("checks", HAPPENED, "figures", "quality", STRIP)),
)
"""For the crew, without a name; for the record, with what happened in order and the strip."""
LONGEST_S = 1200.0
"""A longer recording is printed around what happened in it, not whole."""
AROUND_S = 14.0
SAID = ("shock", "prompt", "button", "switch-on", "switch-off")


def _clouds(of: Reported) -> list[Part]:
    found = compressions(of.recording, of.review)
    if len(found.at_s) < 2:
        return []
    rates, depths = 60.0 / found.intervals_s[found.in_train], found.depth_mm[:-1][found.in_train]
    pictures: list[Part] = [
        Picture(
            title="Every compression against the targets",
            svg=clouds.draw(rates, depths, RATE_TARGET, DEPTH_TARGET),
            text=f"{len(rates)} compressions by rate and depth; targets {RATE_TARGET[0]:g} to {RATE_TARGET[1]:g} a minute, "
            f"{DEPTH_TARGET[0]:g} to {DEPTH_TARGET[1]:g} mm",
        )
    ]
    return pictures


def _strip(of: Reported) -> list[Part]:
    """Lines of 7 s. Of a recording over 20 min only those around shocks, prompts and buttons."""
    recording = of.recording
    ecg = values_in(recording, "ecg", "mV")
    channel = recording.channels.get("ecg")
    title = f"ECG, {MM_PER_S:g} mm/s, {MM_PER_MV:g} mm/mV"
    if ecg is None or channel is None or not len(ecg):
        return [TextPart(title=title, text="No ECG was recorded.", size="page")]
    lines = strips(ecg, channel.interval_s, strip.WIDTH_MM)
    happened = sorted((e for e in recording.events if e.code in SAID), key=lambda e: e.at_s)
    if recording.length_s > LONGEST_S:
        near = [e.at_s for e in happened if e.code == "shock"] or [e.at_s for e in happened]
        lines = [each for each in lines if any(each.start_s - AROUND_S < at < each.end_s + AROUND_S for at in near)]
        title += f"; around {'shocks' if any(e.code == 'shock' for e in happened) else 'events'} only, the recording is {recording.length_s / 60:.0f} min long"
    found: list[Part] = []
    for number, each in enumerate(lines):
        marks = [
            strip.Mark((e.at_s - each.start_s) * MM_PER_S, e.text or e.code, e.code == "shock")
            for e in happened
            if each.start_s <= e.at_s < each.end_s
        ]
        seconds = [
            ((at - each.start_s) * MM_PER_S, clock_words(recording, at, True))
            for at in np.arange(np.ceil(each.start_s), each.end_s - 0.2).tolist()
        ]
        found.append(
            Picture(
                title=title if number == 0 else "",
                svg=strip.line(each.x_mm, _level(each.y_mm), seconds, marks, MM_PER_MV),
                text=f"ECG from {clock_words(recording, each.start_s, True)}, {each.end_s - each.start_s:.1f} s"
                + "".join(f"; {mark.text}" for mark in marks),
                size="page" if number == 0 else "wide",
                to_scale=True,
            )
        )
    return found


def _level(y_mm: Floats) -> Floats:
    """About its own middle, so that a drifting base line does not leave the paper."""
    known = y_mm[~np.isnan(y_mm)]
    return y_mm - float(np.median(known)) if len(known) else y_mm


_WHO = {"prompt": "said", "button": "pressed", "shock": "shock", "switch-on": "device", "switch-off": "device"}


def _happened(of: Reported) -> list[Part]:
    """What the device said and what was done, in order; beside it since when the device was on."""
    recording = of.recording
    told = [
        (e.at_s, _WHO[e.code], " ".join([e.text or e.code.replace("-", " "), *_energy(e)]))
        for e in recording.events
        if e.code in SAID
    ]
    at = compressions(recording, of.review).at_s
    if len(at):
        told += [(float(at[0]), "done", "first compression"), (float(at[-1]), "done", "last compression")]
    rows = [
        [what, who, f"{int(at_s // 60)}:{int(at_s % 60):02d}", clock_words(recording, at_s, True)]
        for at_s, who, what in sorted(told, key=lambda row: row[0])
    ]
    columns = ["What", "", "Since switched on, min", "At"]
    return [TablePart(title="What happened when", columns=columns, rows=rows, empty="Nothing was noted.")]


def _energy(event: Event) -> list[str]:
    joule = event.data.get("energy_j")
    return [f"({joule:g} J)"] if isinstance(joule, int | float) else []


OWN: dict[str, PartOf] = {STRIP: _strip, CLOUDS: _clouds, HAPPENED: _happened}
