"""Synthetic runs of a dust monitor: log-normal readings about a level, stretches above, gaps between runs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.signal

from kumpel.formats.krec import Event, Recording
from kumpel.standins.made import START, Made, channel


@dataclass(frozen=True)
class Runs:
    """Runs of `run_s` with a pause between, around `level` mg/m3 (true, after the factor); `above` lists (start_s,
    length_s, level) of stretches. `spread` is the standard deviation of the logarithm."""

    seed: int = 1
    run_s: float = 28_800.0
    pause_s: float = 0.0
    count: int = 1
    interval_s: float = 10.0
    level: float = 0.4
    spread: float = 0.1
    factor: float = 1.0
    fraction: str = "PM4"
    above: tuple[tuple[float, float, float], ...] = ()
    flow_faults_s: tuple[tuple[float, float], ...] = ()
    zero_passed: bool = True
    soft_s: float = 0.0
    """Dust rises and settles with this time constant."""


def usual_runs(seed: int) -> Runs:
    """A shift at the crusher with two dusty stretches."""
    rng = np.random.default_rng(seed)
    above = tuple((float(at), 900.0, float(rng.uniform(1.5, 4))) for at in (7200, 18_000))
    return Runs(seed, level=float(rng.uniform(0.2, 0.7)), factor=1.3, above=above)


def make(plan: Runs) -> Made:
    """Channels mass (before the factor) and flow_fault; events zero-check and run."""
    rng = np.random.default_rng(plan.seed)
    period = plan.run_s + plan.pause_s
    n = int((period * plan.count - plan.pause_s) / plan.interval_s)
    middle = (np.arange(n) + 0.5) * plan.interval_s
    true = np.full(n, plan.level)
    for start, length, level in plan.above:
        true[(middle >= start) & (middle < start + length)] = level
    if plan.soft_s:
        share = 1 - np.exp(-plan.interval_s / plan.soft_s)
        true = scipy.signal.lfilter([share], [1, share - 1], true, zi=[(1 - share) * true[0]])[0]
    running = (middle % period) < plan.run_s
    # exp(s z - s2/2) has mean 1: the noise does not move the mean.
    flicker = np.exp(plan.spread * rng.normal(0, 1, n) - plan.spread**2 / 2)
    raw = np.where(running, true * flicker / plan.factor, np.nan)
    flow = np.zeros(n)
    for a, b in plan.flow_faults_s:
        flow[(middle >= a) & (middle < b)] = 1
    events = [Event(0.0, "zero-check", "zero check", {"read": 0.0, "passed": plan.zero_passed})]
    events += [Event(i * period, "run", f"run {i + 1}", {"length_s": plan.run_s}) for i in range(plan.count)]
    setup = {
        "run_length_min": plan.run_s * plan.count / 60,
        "fraction": plan.fraction,
        "factor": plan.factor,
        "interval_s": plan.interval_s,
    }
    channels = {
        "mass": channel("mass", f"{plan.fraction} mass concentration", "mg/m3", plan.interval_s, raw),
        "flow_fault": channel("flow_fault", "Flow fault", "flag", plan.interval_s, flow),
    }
    truth = {
        "mean": float(true[running].mean()),
        "twa8h": float(true[running].sum()) * plan.interval_s / 28_800,
        "factor": plan.factor,
        "stretches": [list(a) for a in plan.above],
    }
    return Made(
        Recording("dust", START, 60, channels, tuple(events), setup, {"serial": "DM-0001", "model": "made up"}), truth
    )
