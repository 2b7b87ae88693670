"""Levels, peaks and times of a noise session, and the figures of each weighting set-up."""

from __future__ import annotations

import math

import numpy as np

from kumpel.core.assessment import Over, Put
from kumpel.core.noise import exposure, levels
from kumpel.core.noise.basis import Basis
from kumpel.core.noise.doses import level_part, put_doses, rule_words
from kumpel.core.noise.setup import Weighting
from kumpel.core.reckoning import Reckoning
from kumpel.core.review import Review

PEAK_COUNTS_DB = (135, 137, 140)
LAEQ_SOURCE = "ISO 1999:2013, 3.5; IEC 61252:1993, 3.4"
LEX_SOURCE = "ISO 9612:2009, 3.4, equation 3"
PEAK_SOURCE = "IEC 61672-1:2013, 3.14; 2003/10/EC, art. 2 a"


def put_daily(reckoning: Reckoning, basis: Basis, review: Review) -> None:
    """LEX,8h, LAeq, the exposure under protection, sound exposure, exceeded levels."""
    found, note, number = basis.equal_energy_levels
    cover = basis.share_of(found, basis.interval_s) if found is not None else 0.0
    parts = (level_part(number),) if number else ()
    laeq = levels.mean_level(found) if found is not None else math.nan
    lex = exposure.daily_exposure_level(laeq, basis.working_day_s)
    pa2h = levels.sound_exposure(found, basis.interval_s) if found is not None else math.nan
    te = Put("Te", "working day that the measurement stands for", basis.working_day_s / 3600, "h")
    n = Put("N", "samples", float(np.sum(basis.counted)), "")
    dt = Put("dt", "interval", basis.interval_s, "s")
    mean = Put("LAeq,T", "mean level", laeq, "dB(A)")
    formula = "LEX,8h = LAeq,T + 10 log10(Te / 8 h)"
    reckoning.put(
        "lex8h", "LEX,8h", lex, "dB(A)", 1, formula, LEX_SOURCE, mean, te, note=note, coverage=cover, made_of=parts
    )
    formula = "LAeq,T = 10 log10( (1/N) sum 10^(L_i/10) )"
    reckoning.put(
        "laeq", "LAeq", laeq, "dB(A)", 1, formula, LAEQ_SOURCE, n, dt, note=note, coverage=cover, made_of=parts
    )
    _put_protected(reckoning, lex, review.attenuation_db)
    formula = "E = 4e-10 Pa2 sum (dt/3600) 10^(L_i/10)"
    reckoning.put(
        "exposure",
        "Sound exposure E",
        pa2h,
        "Pa2h",
        3,
        formula,
        "IEC 61252:1993, 3.3",
        n,
        dt,
        coverage=cover,
        made_of=parts,
    )
    for percent in (10, 50, 90):
        value = levels.exceeded_level(found, percent) if found is not None else math.nan
        formula = f"level exceeded for {percent} % of the measured time"
        reckoning.put(
            f"l{percent}",
            f"L{percent}",
            value,
            "dB(A)",
            1,
            formula,
            "ISO 1996-1:2016, 3.1.3",
            n,
            coverage=cover,
            made_of=parts,
        )


def _put_protected(reckoning: Reckoning, lex: float, attenuation_db: float | None) -> None:
    worn = attenuation_db is not None
    reckoning.put(
        "lex8h_protected",
        "LEX,8h under the protection" if worn else "LEX,8h, no protection entered",
        lex - attenuation_db if attenuation_db is not None else lex,
        "dB(A)",
        1,
        "LEX,8h - attenuation",
        "2003/10/EC, art. 3(2)",
        Put("LEX,8h", "daily exposure level", lex, "dB(A)"),
        Put("attenuation", "of the protection worn", attenuation_db or 0.0, "dB"),
        coverage=reckoning.figures["lex8h"].coverage,
        made_of=("lex8h",),
    )


def put_peaks(reckoning: Reckoning, basis: Basis) -> None:
    """The highest C-weighted peak, and how long peaks lay above the values of the directive."""
    peaks = basis.levels("peak")
    formula = "highest C-weighted peak of all intervals"
    if peaks is None or np.all(np.isnan(peaks)):
        note = "no peak was recorded"
        reckoning.put("lcpeak", "Highest peak", math.nan, "dB(C)", 1, formula, PEAK_SOURCE, note=note, coverage=0.0)
        return
    at = int(np.nanargmax(peaks))
    interval_s = basis.recording.channels["peak"].interval_s
    highest = float(peaks[at])
    cover = basis.share_of(peaks, interval_s)
    at_s = at * interval_s
    reckoning.put("lcpeak", "Highest peak", highest, "dB(C)", 1, formula, PEAK_SOURCE, at_s=at_s, coverage=cover)
    for limit in PEAK_COUNTS_DB:
        seconds = float(np.sum(peaks > limit)) * interval_s
        formula = f"intervals with a peak above {limit} dB(C), times dt"
        name = f"Time with peaks above {limit}"
        reckoning.put(f"peaks_{limit}", name, seconds, "s", 0, formula, "2003/10/EC, art. 3", coverage=cover)


def put_time(reckoning: Reckoning, basis: Basis) -> None:
    """Time measured, of the time planned."""
    planned = Put("planned", "planned time", basis.planned_s / 3600, "h")
    reckoning.put("measured", "Time measured", basis.measured_s / 3600, "h", 2, "N x dt", "ISO 9612:2009, 9", planned)


def put_setup(reckoning: Reckoning, basis: Basis, setup: Weighting, number: int) -> None:
    """The figures of a weighting set-up of the meter: doses by its rule, its highest level."""
    found = basis.levels(f"leq.{number}")
    if found is None:
        return
    prefix = f"setup{number}."
    put_doses(reckoning, basis, found, setup.rule, setup.unit, prefix, setup.name)
    highest = basis.levels(f"max.{number}")
    if highest is None or np.all(np.isnan(highest)):
        return
    at = int(np.nanargmax(highest))
    formula = f"highest {setup.unit} level, time weighting {setup.time}"
    reckoning.put(
        f"{prefix}max",
        f"{setup.name}: highest level",
        float(highest[at]),
        setup.unit,
        1,
        formula,
        "IEC 61672-1:2013, 3.8",
        at_s=at * basis.interval_s,
        coverage=basis.share_of(highest, basis.interval_s),
        over=Over("weighting", f"{setup.name}, {rule_words(setup.rule)}", "highest level"),
    )
