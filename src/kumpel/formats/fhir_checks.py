"""What a FHIR R4 document of a report must be, each as a check that says what is wrong (docs/health-record.md)."""

from __future__ import annotations

import base64
import binascii
import re
from collections.abc import Callable, Iterator, Mapping
from datetime import datetime
from typing import Any

from kumpel.formats.fhir import CATEGORY, UCUM

Bundle = Mapping[str, Any]
_URN = re.compile(r"urn:uuid:[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")
_PRESSURES = {"8480-6", "8462-4", "8478-0"}


def problems(bundle: Bundle) -> list[str]:
    """Everything that is wrong with a document; empty when nothing is."""
    return [words for check in CHECKS for words in check(bundle)]


def _entries(bundle: Bundle) -> list[tuple[str, Mapping[str, Any]]]:
    return [(str(e.get("fullUrl", "")), e.get("resource") or {}) for e in bundle.get("entry") or ()]


def _of(bundle: Bundle, kind: str) -> list[Mapping[str, Any]]:
    return [each for _, each in _entries(bundle) if each.get("resourceType") == kind]


def is_document(bundle: Bundle) -> Iterator[str]:
    if bundle.get("resourceType") != "Bundle" or bundle.get("type") != "document":
        yield "it is no Bundle of the type document"


def composition_first(bundle: Bundle) -> Iterator[str]:
    kinds = [each.get("resourceType") for _, each in _entries(bundle)]
    if kinds[:1] != ["Composition"] or kinds.count("Composition") != 1:
        yield "the first entry, and only that, must be a Composition (bdl-11)"


def has_identifier(bundle: Bundle) -> Iterator[str]:
    found = bundle.get("identifier") or {}
    if not found.get("system") or not found.get("value"):
        yield "a document must have an identifier with system and value (bdl-9)"


def has_timestamp(bundle: Bundle) -> Iterator[str]:
    if not _is_instant(bundle.get("timestamp")):
        yield "a document must have a timestamp with its time zone (bdl-10)"


def addresses_are_unique(bundle: Bundle) -> Iterator[str]:
    urls = [url for url, _ in _entries(bundle)]
    if len(set(urls)) != len(urls) or not all(_URN.fullmatch(url) for url in urls):
        yield "every entry must have a urn:uuid of its own as fullUrl (bdl-7)"


def references_resolve(bundle: Bundle) -> Iterator[str]:
    known = {url for url, _ in _entries(bundle)}
    for url, each in _entries(bundle):
        for reference in _references(each):
            if reference not in known:
                yield f"{each.get('resourceType')} {url}: nothing here has the address {reference}"


def _references(node: Any) -> Iterator[str]:
    if isinstance(node, Mapping):
        if isinstance(node.get("reference"), str):
            yield node["reference"]
        for value in node.values():
            yield from _references(value)
    elif isinstance(node, list):
        for value in node:
            yield from _references(value)


def units_are_ucum(bundle: Bundle) -> Iterator[str]:
    for each in _of(bundle, "Observation"):
        for code, quantity in _quantities(each):
            if quantity.get("system") != UCUM or not quantity.get("code"):
                yield f"{_name(each)}: a value without a UCUM unit"
            elif code in _PRESSURES and quantity["code"] != "mm[Hg]":
                yield f"{_name(each)}: a pressure in {quantity['code']}, not mm[Hg]"


def _quantities(observation: Mapping[str, Any]) -> Iterator[tuple[str, Mapping[str, Any]]]:
    for part in (observation, *(observation.get("component") or ())):
        if "valueQuantity" in part:
            codes = [c.get("code", "") for c in (part.get("code") or {}).get("coding") or ()]
            yield codes[0] if codes else "", part["valueQuantity"]


def observations_are_vital_signs(bundle: Bundle) -> Iterator[str]:
    for each in _of(bundle, "Observation"):
        codes = {
            (c.get("system"), c.get("code")) for kind in each.get("category") or () for c in kind.get("coding") or ()
        }
        if (CATEGORY, "vital-signs") not in codes:
            yield f"{_name(each)}: not of the category vital-signs"


def everything_is_about_the_patient(bundle: Bundle) -> Iterator[str]:
    patients = {url for url, each in _entries(bundle) if each.get("resourceType") == "Patient"}
    if len(patients) != 1:
        yield f"there must be one Patient, and there are {len(patients)}"
    for kind in ("Composition", "Observation", "DiagnosticReport"):
        for each in _of(bundle, kind):
            if (each.get("subject") or {}).get("reference") not in patients:
                yield f"{_name(each)}: its subject is not the Patient"


def observations_have_a_moment(bundle: Bundle) -> Iterator[str]:
    for each in _of(bundle, "Observation"):
        period = each.get("effectivePeriod") or {}
        if not _is_instant(each.get("effectiveDateTime")) and not all(
            _is_instant(period.get(k)) for k in ("start", "end")
        ):
            yield f"{_name(each)}: no moment with its time zone"


def observations_have_a_value(bundle: Bundle) -> Iterator[str]:
    for each in _of(bundle, "Observation"):
        for part in each.get("component") or (each,):
            if "valueQuantity" not in part and "dataAbsentReason" not in part:
                yield f"{_name(each)}: neither a value nor why there is none"


def report_carries_its_pages(bundle: Bundle) -> Iterator[str]:
    reports = _of(bundle, "DiagnosticReport")
    if len(reports) != 1:
        yield f"there must be one DiagnosticReport, and there are {len(reports)}"
    for each in reports:
        forms = [f for f in each.get("presentedForm") or () if f.get("contentType") == "application/pdf"]
        if not forms or not all(_is_pdf(f.get("data")) for f in forms):
            yield "the DiagnosticReport does not carry its pages as PDF"


def nobody_is_named_by_halves(bundle: Bundle) -> Iterator[str]:
    """Who has no name has nothing else either: no birthday, no sex, no address."""
    for each in _of(bundle, "Patient"):
        if not each.get("identifier"):
            yield "the Patient has no identifier"
        more = set(each) - {"resourceType", "identifier", "id"}
        if "name" not in each and more:
            yield f"the Patient has no name, but {', '.join(sorted(more))}"


CHECKS: tuple[Callable[[Bundle], Iterator[str]], ...] = (
    is_document,
    composition_first,
    has_identifier,
    has_timestamp,
    addresses_are_unique,
    references_resolve,
    units_are_ucum,
    observations_are_vital_signs,
    everything_is_about_the_patient,
    observations_have_a_moment,
    observations_have_a_value,
    report_carries_its_pages,
    nobody_is_named_by_halves,
)


def _name(resource: Mapping[str, Any]) -> str:
    code = resource.get("code") or {}
    words = code.get("text") or next((c.get("display") or c.get("code") for c in code.get("coding") or ()), "")
    return f"{resource.get('resourceType')} {words}".strip()


def _is_instant(text: Any) -> bool:
    try:
        return datetime.fromisoformat(str(text)).tzinfo is not None
    except ValueError:
        return False


def _is_pdf(data: Any) -> bool:
    try:
        return base64.b64decode(str(data), validate=True).startswith(b"%PDF")
    except (binascii.Error, ValueError):
        return False
