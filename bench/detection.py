"""How well episodes and beats are found in signals that are hard to read: `./kumpel bench detection`.

Episodes: hard nights (standins/hard_night.py) by the strength of a burst over the background; sensitivity, share of the right type, and
false episodes an hour, where nothing was and where somebody swallowed, talked or turned over. Beats: made leads of many shapes with muscle
noise added, and five minutes of a recorded lead that SciPy shipped up to 1.11 (record 208 of the MIT-BIH Arrhythmia Database, ODC-BY;
fetched from the package index, left away where that is not in reach), against what was found in it without noise. Noise by the usual
measure: SNR = 10 log10(S / N), S the square of a beat's height from peak to peak / 8, N the power of the noise.
"""

from __future__ import annotations

import io
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path

import numpy as np

from kumpel.core.assessment import Verdict
from kumpel.core.jaw_muscle.assess import assess
from kumpel.core.jaw_muscle.beats import Beats, find_beats
from kumpel.core.recording import Floats
from kumpel.core.review import Review
from kumpel.kinds.limit_sets import shipped
from kumpel.standins.hard_night import hard_night, make, pink, shaped
from kumpel.standins.heart_signal import Heart, beat_times, lead

SNRS_DB = (24.0, 18.0, 12.0, 10.0, 8.0, 7.0, 6.5, 6.0)
NIGHTS, LENGTH_S = 4, 1800.0
NOISES_DB = (None, 12.0, 6.0, 0.0)
MATCH_S = 0.15
"""ANSI/AAMI EC57: a beat is found within 150 ms."""
SHAPES: dict[str, Heart] = {
    "usual": Heart(((0.0, 62.0),), 0.03),
    "upside down": Heart(((0.0, 62.0),), 0.03, inverted=True),
    "small (0.3 mV)": Heart(((0.0, 62.0),), 0.03, amplitude_mv=0.3),
    "slow (38 a minute)": Heart(((0.0, 38.0),), 0.03),
    "fast (140 a minute)": Heart(((0.0, 140.0),), 0.01),
    "irregular": Heart(((0.0, 80.0),), 0.18),
    "one in ten early": Heart(((0.0, 66.0),), 0.03, 0.10),
    "one in five early": Heart(((0.0, 66.0),), 0.03, 0.20),
}


def episodes() -> None:
    [limits] = shipped("kumpel.kinds.jaw_muscle")
    for spoilt in (False, True):
        words = "with swallowing, talking, turning over, hum, a drying electrode" if spoilt else "background alone"
        print(f"Episodes of 20 % of the clench, threshold 10 %, {NIGHTS} x {LENGTH_S / 60:g} min a line; {words}")
        for snr in SNRS_DB:
            put_in = found_in = right = 0
            nowhere, at_spells, hours, warned, held = 0, 0, 0.0, 0, 0
            for seed in range(NIGHTS):
                made = make(hard_night(seed, snr, LENGTH_S, spoilt))
                outcome = assess(made.recording, Review(), limits).reviewed
                events = [e for e in outcome.events if e.code.startswith(("left.", "right."))]
                warned += any(f.code.startswith("background.") for f in outcome.quality.findings)
                held += outcome.verdict is Verdict.NOT_ASSESSABLE
                hours += LENGTH_S / 3600 - 0.05
                hit: set[int] = set()
                for truth in made.truth["episodes"]:
                    for side in ("left", "right") if truth["side"] == "both" else (truth["side"],):
                        put_in += 1
                        near = [
                            i
                            for i, e in enumerate(events)
                            if e.code.startswith(side)
                            and e.at_s < truth["end_s"] + 0.2
                            and e.end_s > truth["start_s"] - 0.2
                        ]
                        hit |= set(near)
                        found_in += bool(near)
                        right += len(near) == 1 and events[near[0]].code == f"{side}.{truth['kind']}"
                for i, event in enumerate(events):
                    if i in hit:
                        continue
                    beside = any(a - 0.5 < event.end_s and b + 0.5 > event.at_s for _, a, b in made.truth["spells"])
                    at_spells, nowhere = at_spells + beside, nowhere + (not beside)
            print(
                f"  {snr:4.1f} dB: found {found_in / put_in:6.1%} of {put_in}, right type {right / put_in:6.1%}; false an hour: "
                f"{nowhere / hours:6.1f} where nothing was, {at_spells / hours:5.1f} at spells; of {NIGHTS} said in {warned}, held back {held}"
            )


def score(found: Beats, truth_s: Floats) -> tuple[float, float, float]:
    """Sensitivity, positive predictivity, and share of the time that was masked; beats in masked time and the first 2 s do not count."""

    def outside(at: Floats) -> Floats:
        keep = at > 2.0
        for a, b in found.masked:
            keep &= (at < a - MATCH_S) | (at > b + MATCH_S)
        return at[keep]

    truth, told = outside(truth_s), outside(found.at_s)

    def matched(one: Floats, other: Floats) -> float:
        if not len(one) or not len(other):
            return float("nan")
        at = np.clip(np.searchsorted(other, one), 1, len(other) - 1) if len(other) > 1 else np.zeros(len(one), int)
        near = np.minimum(np.abs(other[at] - one), np.abs(other[at - 1] - one))
        return float((near <= MATCH_S).mean())

    masked = sum(b - a for a, b in found.masked) / found.length_s
    return matched(truth, told), matched(told, truth), masked


def noisy(ecg: Floats, height_mv: float, snr_db: float | None, interval_s: float, seed: int) -> Floats:
    if snr_db is None:
        return ecg
    power = height_mv**2 / 8 / 10 ** (snr_db / 10)
    return ecg + np.sqrt(power) * shaped(len(ecg), interval_s, np.random.default_rng(seed))


def beats() -> None:
    interval, length = 0.002, 600.0
    print(
        "\nBeats of made leads (10 min at 500 Hz, base line with 1/f wander), muscle noise added: sensitivity / predictivity, masked"
    )
    for name, heart in SHAPES.items():
        cells = []
        for snr in NOISES_DB:
            rng = np.random.default_rng(7)
            at, ectopic = beat_times(heart, length, rng)
            ecg = lead(at, ectopic, length, interval, heart, rng)
            ecg += 0.2 * heart.amplitude_mv * pink(len(ecg), rng)
            cells.append(cell(snr, find_beats(noisy(ecg, 1.3 * heart.amplitude_mv, snr, interval, 11), interval), at))
        print(f"  {name:<20} " + "; ".join(cells))
    recorded = recorded_lead()
    if recorded is None:
        print("  recorded lead: not measured, the package index is not in reach")
        return
    interval = 1 / 360
    clean = find_beats(recorded, interval)
    height = float(np.median([np.ptp(recorded[max(round(t / interval) - 30, 0) :][:60]) for t in clean.at_s]))
    cells = [
        cell(snr, find_beats(noisy(recorded, height, snr, interval, 11), interval), clean.at_s) for snr in NOISES_DB[1:]
    ]
    print(f"  {'recorded, 5 min':<20} {len(clean.at_s)} beats without noise; " + "; ".join(cells))


def cell(snr: float | None, found: Beats, truth_s: Floats) -> str:
    sensitivity, predictivity, masked = score(found, truth_s)
    return f"{'clean' if snr is None else f'{snr:.0f} dB'} {100 * sensitivity:5.1f} / {100 * predictivity:5.1f}, {masked:.0%}"


def recorded_lead() -> Floats | None:
    """Five minutes at 360 Hz in mV; None where the package index is not in reach."""
    with tempfile.TemporaryDirectory() as folder:
        wanted = ["scipy==1.11.4", "--no-deps", "--only-binary=:all:", "--python-version", "3.11", "-q", "-d", folder]
        if subprocess.run([sys.executable, "-m", "pip", "download", *wanted], check=False).returncode:
            return None
        [wheel] = Path(folder).glob("*.whl")
        kept = zipfile.ZipFile(wheel).read("scipy/misc/ecg.dat")
    values = np.load(io.BytesIO(kept))["ecg"].astype(np.float64)
    return (values - 1024) / 200.0


def main() -> None:
    episodes()
    beats()


if __name__ == "__main__":
    main()
