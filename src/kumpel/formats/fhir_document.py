"""A report as an HL7 FHIR R4 document: a Bundle that a health record can take in as it is.

Composition first, then the patient, the recorder, who is responsible, every observation with its moment, and the report itself as
PDF (DiagnosticReport.presentedForm). Without a name the patient is a made-up identifier and nothing else. Means and what else the
trade computes are coded as text: their meaning stands in the report. docs/health-record.md lists what a document must be;
`fhir_checks` checks it.
"""

from __future__ import annotations

import base64
import hashlib
import json
import math
from collections.abc import Container, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from html import escape
from typing import Any

from kumpel.core.assessment import Assessment, Figure
from kumpel.core.recording import Recording
from kumpel.formats.fhir import CATEGORY, LOINC, UCUM, instant, observations, urn

MEDIA_TYPE = "application/fhir+json"
URI = "urn:ietf:rfc:3986"
UNITS = {"mmHg": "mm[Hg]", "bpm": "/min", "%": "%", "": "1", "h": "h", "min": "min", "s": "s", "1/h": "/h"}
"""UCUM codes of the units that figures have."""
GENDER = {"m": "male", "f": "female", "w": "female"}


@dataclass(frozen=True)
class Subject:
    """Who it is about. Without a `name` nothing but the identifier goes out."""

    identifier: str
    name: str = ""
    born: date | None = None
    sex: str = ""


@dataclass(frozen=True)
class Issued:
    """The report that the document is of: its number, when and by whom, what was concluded, its bytes."""

    number: str
    title: str
    issued_at: datetime
    signer: str
    house: str
    conclusion: str
    pdf: bytes


def document(
    recording: Recording, found: Assessment, subject: Subject, report: Issued, left_out: Container[float] = ()
) -> dict[str, Any]:
    """The document Bundle; readings at the moments `left_out` (s after the start) are not among the observations.

    Raises ValueError when the recording has nothing that FHIR's vital signs stand for.
    """
    base = f"{report.number}/{hashlib.sha256(report.pdf).hexdigest()}"
    urls = {name: urn(f"{base}/{name}") for name in ("composition", "patient", "device", "author", "report")}
    patient = {"reference": urls["patient"]}
    measured = observations(recording, patient, without=left_out)
    for _, each in measured:
        each["device"] = {"reference": urls["device"]}
    entries: list[tuple[str, dict[str, Any]]] = [
        (urls["patient"], _patient(subject)),
        (urls["device"], _device(recording)),
        (urls["author"], {"resourceType": "Practitioner", "name": [{"text": report.signer or "not signed"}]}),
        *measured,
        *((urn(f"{base}/{f.key}"), _figure(recording, f, urls)) for f in _stated(found)),
    ]
    results = [url for url, each in entries if each["resourceType"] == "Observation"]
    entries.append((urls["report"], _report(recording, report, urls, results)))
    composition = _composition(recording, report, urls, results)
    return {
        "resourceType": "Bundle",
        "identifier": {"system": URI, "value": urn(base)},
        "type": "document",
        "timestamp": report.issued_at.isoformat(timespec="seconds"),
        "entry": [{"fullUrl": url, "resource": each} for url, each in ((urls["composition"], composition), *entries)],
    }


def write(made: dict[str, Any]) -> bytes:
    """A document as bytes."""
    return json.dumps(made, ensure_ascii=False, indent=1).encode()


def _patient(subject: Subject) -> dict[str, Any]:
    made: dict[str, Any] = {"resourceType": "Patient", "identifier": [{"value": subject.identifier}]}
    if not subject.name:
        return made
    made["name"] = [{"text": subject.name}]
    if subject.born:
        made["birthDate"] = subject.born.isoformat()
    gender = GENDER.get(subject.sex.strip().lower()[:1])
    return made | {"gender": gender} if gender else made


def _device(recording: Recording) -> dict[str, Any]:
    about = recording.recorder
    made: dict[str, Any] = {
        "resourceType": "Device",
        "identifier": [{"value": str(about.get("serial") or "not known")}],
    }
    if about.get("model"):
        made["deviceName"] = [{"name": str(about["model"]), "type": "model-name"}]
    if about.get("firmware"):
        made["version"] = [{"value": str(about["firmware"])}]
    return made


def _stated(found: Assessment) -> list[Figure]:
    """The figures that a limit is about, and those shown first, as far as they are known and have a unit that UCUM knows."""
    keys = dict.fromkeys([*(j.figure for j in found.judgements), *found.key_figures])
    figures = [found.figure(key) for key in keys]
    return [f for f in figures if math.isfinite(f.value) and f.unit in UNITS]


def _figure(recording: Recording, figure: Figure, urls: dict[str, str]) -> dict[str, Any]:
    return {
        "resourceType": "Observation",
        "status": "final",
        "category": [{"coding": [{"system": CATEGORY, "code": "vital-signs", "display": "Vital Signs"}]}],
        "code": {"text": figure.name},
        "subject": {"reference": urls["patient"]},
        "device": {"reference": urls["device"]},
        "effectivePeriod": _period(recording),
        "valueQuantity": {
            "value": figure.stated,
            "unit": figure.unit or "1",
            "system": UCUM,
            "code": UNITS[figure.unit],
        },
        "note": [{"text": f"{figure.why.formula} ({figure.why.source})"}],
    }


def _period(recording: Recording) -> dict[str, str]:
    return {"start": instant(recording, 0.0), "end": instant(recording, recording.length_s)}


def _report(recording: Recording, report: Issued, urls: dict[str, str], results: Sequence[str]) -> dict[str, Any]:
    made = {
        "resourceType": "DiagnosticReport",
        "identifier": [{"value": report.number}],
        "status": "final",
        "code": {"text": report.title},
        "subject": {"reference": urls["patient"]},
        "effectivePeriod": _period(recording),
        "issued": report.issued_at.isoformat(timespec="seconds"),
        "performer": [{"reference": urls["author"]}],
        "result": [{"reference": url} for url in results],
        "presentedForm": [
            {
                "contentType": "application/pdf",
                "language": "en",
                "data": base64.b64encode(report.pdf).decode(),
                "size": len(report.pdf),
                # R4 defines the hash of an attachment as SHA-1; it is no protection, and none is meant.
                "hash": base64.b64encode(hashlib.sha1(report.pdf, usedforsecurity=False).digest()).decode(),
                "title": f"{report.number}.pdf",
                "creation": report.issued_at.isoformat(timespec="seconds"),
            }
        ],
    }
    return made | {"conclusion": report.conclusion} if report.conclusion.strip() else made


def _composition(recording: Recording, report: Issued, urls: dict[str, str], results: Sequence[str]) -> dict[str, Any]:
    conclusion = report.conclusion.strip() or "No conclusion was written."
    return {
        "resourceType": "Composition",
        "status": "final",
        "identifier": {"value": report.number},
        "type": {"coding": [{"system": LOINC, "code": "8716-3", "display": "Vital signs note"}], "text": report.title},
        "subject": {"reference": urls["patient"]},
        "date": report.issued_at.isoformat(timespec="seconds"),
        "author": [{"reference": urls["author"]}],
        "title": f"{report.title}, {report.number}",
        "section": [
            {"title": "Conclusion", "text": _text(conclusion), "entry": [{"reference": urls["report"]}]},
            {"title": "What was measured", "entry": [{"reference": url} for url in results]},
        ],
    } | ({"custodian": {"display": report.house}} if report.house else {})


def _text(words: str) -> dict[str, str]:
    lines = "<br/>".join(escape(line) for line in words.splitlines())
    return {"status": "generated", "div": f'<div xmlns="http://www.w3.org/1999/xhtml">{lines}</div>'}
