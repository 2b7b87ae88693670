"""Channels that a vehicle's formulas make of those that were recorded: for lanes and tables, never for figures or verdicts."""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlmodel import Session as Db

from kumpel.core.names import channel_key, clean_line
from kumpel.core.recording import Channel, Recording
from kumpel.core.samples import ArraySamples
from kumpel.core.vehicle.formulas import FormulaError, parse
from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import kind_of
from kumpel.services.ground.problems import InvalidError
from kumpel.services.yard.belonging import vehicle_of_session
from kumpel.store.tables import Session

log = logging.getLogger("kumpel.derived")
MOST = 12


@dataclass(frozen=True)
class Checked:
    """What is wrong with a formula, and where (from 1; 0: nothing is); the channels that it reads, and those there are."""

    error: str
    position: int
    reads: tuple[str, ...]
    there: tuple[str, ...]


def check(
    kind: Kind,
    formula: str,
    before: Sequence[Mapping[str, Any]] = (),
    sensors: Sequence[Mapping[str, Any]] = (),
) -> Checked:
    """Whether a formula could be computed in a session that has every channel of the kind, those of the vehicle's further `sensors`, and
    the derived ones `before` it."""
    before = [*({"key": channel_key(str(each["name"])), **each} for each in sensors), *before]
    channels = _usual(kind, before)
    there = tuple(channels)
    try:
        made = parse(formula)
        made.evaluate(channels, "x", "x", "")
    except FormulaError as error:
        return Checked(str(error), error.position, (), there)
    except ValueError as error:
        return Checked(str(error), 1, (), there)
    return Checked("", 0, made.channels, there)


def checked(
    kind: Kind, wishes: Sequence[Mapping[str, Any]], sensors: Sequence[Mapping[str, Any]] = ()
) -> list[dict[str, Any]]:
    """Derived channels as they are kept. InvalidError names the one that is wrong and where."""
    if len(wishes) > MOST:
        raise InvalidError(f"A vehicle has {MOST} derived channels at the most.", field="derived")
    recorded = {word.key for word in kind.channels} | {channel_key(str(each["name"])) for each in sensors}
    found: list[dict[str, Any]] = []
    for wish in wishes:
        name = clean_line(str(wish["name"]))
        key = channel_key(name)
        if not key or not key[0].isalpha():
            raise InvalidError("A derived channel needs a name that begins with a letter.", field="derived")
        if key in recorded or key in {each["key"] for each in found}:
            raise InvalidError(f"“{name}”: there is a channel of this name already.", field="derived")
        seen = check(kind, str(wish["formula"]), found, sensors)
        if seen.error:
            raise InvalidError(f"“{name}”: {seen.error}. Nothing was kept.", field="derived")
        found.append({"key": key, "name": name, "unit": clean_line(str(wish["unit"])), "formula": str(wish["formula"])})
    return found


def _usual(kind: Kind, derived: Sequence[Mapping[str, Any]]) -> dict[str, Channel]:
    """A few samples of every channel that the kind declares, and of derived ones."""
    words = [(word.key, word.name, word.unit) for word in kind.channels]
    words += [(str(each["key"]), str(each["name"]), str(each["unit"])) for each in derived]
    return {key: Channel(key, name, unit, 0.1, ArraySamples(np.ones(20))) for key, name, unit in words}


def with_derived(db: Db, session: Session, recording: Recording) -> Recording:
    """The recording with the channels that its kind and its vehicle's formulas make; one that cannot be computed here is not among
    them."""
    vehicle = vehicle_of_session(db, session)
    computed = kind_of(session.kind).computed
    more = dict(computed(recording)) if computed else {}
    for each in vehicle.derived if vehicle else ():
        if each["key"] in recording.channels:
            continue
        try:
            made = parse(each["formula"]).evaluate(
                {**recording.channels, **more}, each["key"], each["name"], each["unit"]
            )
        except ValueError as error:
            log.info("a derived channel is left out: %s", type(error).__name__)
            continue
        more[each["key"]] = made
    return recording.and_channels(more) if more else recording
