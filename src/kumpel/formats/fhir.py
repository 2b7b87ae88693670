"""HL7 FHIR R4: blood pressure, pulse and oxygen saturation as Observations in a Bundle.

Codes are LOINC: 85354-9 blood pressure panel with 8480-6 systolic, 8462-4 diastolic and 8478-0 mean; 8867-4 heart rate;
59408-5 oxygen saturation by pulse oximetry. Units are UCUM.
"""

from __future__ import annotations

import json
import math
import uuid
from collections.abc import Container, Mapping
from datetime import UTC, datetime, timedelta, timezone
from typing import Any

import numpy as np

from kumpel.core.recording import Event, Recording
from kumpel.core.timebase import wall_clock

LOINC, UCUM = "http://loinc.org", "http://unitsofmeasure.org"
CATEGORY = "http://terminology.hl7.org/CodeSystem/observation-category"
ABSENT = "http://terminology.hl7.org/CodeSystem/data-absent-reason"
CODES = {
    "systolic": ("8480-6", "Systolic blood pressure", "mmHg", "mm[Hg]"),
    "diastolic": ("8462-4", "Diastolic blood pressure", "mmHg", "mm[Hg]"),
    "map": ("8478-0", "Mean blood pressure", "mmHg", "mm[Hg]"),
    "pulse": ("8867-4", "Heart rate", "beats/minute", "/min"),
    "spo2": ("59408-5", "Oxygen saturation in Arterial blood by Pulse oximetry", "%", "%"),
}
_NAMESPACE = uuid.UUID("6c1f7e66-6a52-4f0e-9a35-6d1f5b1f0a11")


def _code(code: str, display: str) -> dict[str, Any]:
    return {"coding": [{"system": LOINC, "code": code, "display": display}], "text": display}


def _quantity(value: float, unit: str, code: str) -> dict[str, Any]:
    return {"value": round(value, 2), "unit": unit, "system": UCUM, "code": code}


def instant(recording: Recording, at_s: float) -> str:
    """The moment with the wall clock's offset, as FHIR writes it."""
    offset = float(wall_clock(recording, np.array([at_s]))[0]) - recording.start - at_s
    moment = datetime.fromtimestamp(recording.start + at_s, UTC).astimezone(timezone(timedelta(seconds=round(offset))))
    return moment.isoformat(timespec="seconds")


def _observation(code: dict[str, Any], when: str, person: Mapping[str, Any] | None, device: str) -> dict[str, Any]:
    found: dict[str, Any] = {
        "resourceType": "Observation",
        "status": "final",
        "category": [{"coding": [{"system": CATEGORY, "code": "vital-signs", "display": "Vital Signs"}]}],
        "code": code,
        "effectiveDateTime": when,
    }
    if person:
        found["subject"] = dict(person)
    if device:
        found["device"] = {"identifier": {"value": device}}
    return found


def _pressure(
    recording: Recording, event: Event, person: Mapping[str, Any] | None, device: str
) -> list[dict[str, Any]]:
    """The panel of one reading, and its pulse. A failed try is a panel without values, and says so."""
    when = instant(recording, event.at_s)
    panel = _observation(_code("85354-9", "Blood pressure panel with all children optional"), when, person, device)
    failed = event.data.get("error") not in (None, "", 0)
    components = []
    for key in ("systolic", "diastolic", "map"):
        value = event.data.get(key)
        number = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value) and value > 0
        if key == "map" and not number:
            continue
        code, display, unit, ucum = CODES[key]
        part: dict[str, Any] = {"code": _code(code, display)}
        if number and not failed and isinstance(value, int | float):
            part["valueQuantity"] = _quantity(float(value), unit, ucum)
        else:
            part["dataAbsentReason"] = {"coding": [{"system": ABSENT, "code": "error"}]}
        components.append(part)
    panel["component"] = components
    if failed:
        panel["note"] = [{"text": f"try failed, error {event.data.get('error')}"}]
    made = [panel]
    pulse = event.data.get("pulse")
    if not failed and isinstance(pulse, int | float) and pulse > 0:
        made.append(_single(recording, "pulse", float(pulse), event.at_s, person, device))
    return made


def _single(
    recording: Recording, key: str, value: float, at_s: float, person: Mapping[str, Any] | None, device: str
) -> dict[str, Any]:
    code, display, unit, ucum = CODES[key]
    found = _observation(_code(code, display), instant(recording, at_s), person, device)
    found["valueQuantity"] = _quantity(value, unit, ucum)
    return found


def observations(
    recording: Recording,
    person: Mapping[str, Any] | None = None,
    every_s: float = 60.0,
    without: Container[float] = (),
) -> list[tuple[str, dict[str, Any]]]:
    """The observations of a recording, each with a name that is always the same; readings at the moments `without` are not among them.

    Raises ValueError when the recording has nothing that these codes stand for.
    """
    device = str(recording.recorder.get("serial", ""))
    found: list[dict[str, Any]] = []
    for event in sorted(recording.events, key=lambda e: e.at_s):
        if event.code == "reading" and event.at_s not in without:
            found += _pressure(recording, event, person, device)
    for key in ("spo2", "pulse"):
        channel = recording.channels.get(key)
        if channel is None:
            continue
        per = max(round(every_s / channel.interval_s), 1)
        for first in range(0, channel.count, per):
            part = channel.samples.read(first, first + per)
            part = part[~np.isnan(part)]
            if len(part):
                found.append(_single(recording, key, float(part.mean()), first * channel.interval_s, person, device))
    if not found:
        raise ValueError("the recording has no blood pressure, pulse or oxygen saturation: nothing to write as FHIR")
    named = []
    for number, each in enumerate(found):
        name = f"{recording.kind}/{device}/{recording.start}/{number}/{each['code']['coding'][0]['code']}"
        named.append((urn(name), each))
    return named


def urn(name: str) -> str:
    """The address of something within a Bundle: made of its name, and always the same."""
    return f"urn:uuid:{uuid.uuid5(_NAMESPACE, name)}"


def bundle(recording: Recording, person: Mapping[str, Any] | None = None, every_s: float = 60.0) -> dict[str, Any]:
    """A collection Bundle of a recording's observations.

    Cuff readings go in one by one; the channels spo2 and pulse as means over `every_s` seconds of what was measured. `person` is a
    FHIR Reference (such as {"identifier": {"value": "TW-0107"}}); without one nobody is named. Raises ValueError when the
    recording has nothing that these codes stand for.
    """
    return {
        "resourceType": "Bundle",
        "type": "collection",
        "timestamp": instant(recording, recording.length_s),
        "entry": [{"fullUrl": url, "resource": each} for url, each in observations(recording, person, every_s)],
    }


def write(recording: Recording, person: Mapping[str, Any] | None = None) -> bytes:
    """The bundle as JSON bytes (application/fhir+json)."""
    return json.dumps(bundle(recording, person), ensure_ascii=False, indent=1).encode()
