"""An issued report for a health record: a FHIR R4 document of what was signed."""

from __future__ import annotations

import uuid

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.review import EventName
from kumpel.formats import fhir_document
from kumpel.kinds.registry import kind_of
from kumpel.services.ground import apart, settings
from kumpel.services.ground.problems import ConflictError
from kumpel.services.ground.recordings import recording_of, session_of
from kumpel.services.report import conclusions, issued, reports
from kumpel.store.tables import Person, Report, Signature

MEDIA_TYPE = fhir_document.MEDIA_TYPE
_NAMESPACE = uuid.UUID("2f5f1c77-1f0a-4a86-9a1c-5a8a51b5f1c2")


def document_of(db: Db, report_id: int) -> tuple[str, bytes]:
    """The name of the file and its bytes. ConflictError when FHIR has no words for what was recorded, or nothing was signed."""
    return apart.read("The document", db, _document_of, report_id)


def _document_of(db: Db, report_id: int) -> tuple[str, bytes]:
    report = reports.report_of(db, report_id)
    if report.session_id is None:
        raise ConflictError("This report is of a group: no document about a person can be made of it.", code="no-file")
    if len(reports.sessions_in(db, report_id)) > 1:
        raise ConflictError(
            "This report is of several recordings: a document is made of one. Issue one for each.", code="no-file"
        )
    session = session_of(db, report.session_id)
    signature = _signature(db, report)
    outcome = conclusions.signed_outcome(db, signature) if signature else None
    if signature is None or outcome is None:
        raise ConflictError("No figures were kept with the signature of this report: no document can be made of it.")
    recording = recording_of(db, session)
    names = (EventName.of(key) for key in outcome.review.dropped)
    left_out = {name.at_s for name in names if name is not None and name.code == kind_of(session.kind).reading_code}
    title = str(report.document.get("subtitle") or kind_of(session.kind).name)
    made_of = fhir_document.Issued(
        report.number,
        title,
        report.issued_at,
        str(signature.facts.get("signer", "")),
        str(settings.value_of(db, settings.NAME)),
        _conclusion(report),
        report.pdf,
    )
    try:
        made = fhir_document.document(recording, outcome.both.reviewed, _subject(db, report), made_of, left_out)
    except ValueError as error:
        raise ConflictError(f"No document was made: {error}.", code="no-file") from error
    return f"{report.number}.json", fhir_document.write(made)


def _signature(db: Db, report: Report) -> Signature | None:
    """The signature that the report was issued under."""
    mine = select(Signature).where(
        Signature.session_id == report.session_id, col(Signature.signed_at) <= report.issued_at
    )
    return db.exec(mine.order_by(col(Signature.id).desc()).limit(1)).first()


def _subject(db: Db, report: Report) -> fhir_document.Subject:
    """The person as far as the report names anybody; else a made-up identifier that leads nowhere."""
    person = db.get(Person, report.person_id) if report.person_id is not None and issued.is_named(report) else None
    if person is None:
        return fhir_document.Subject(f"urn:uuid:{uuid.uuid5(_NAMESPACE, report.sha256.hex())}")
    return fhir_document.Subject(person.number, person.name, person.born, person.sex or "")


def _conclusion(report: Report) -> str:
    parts = report.document.get("parts", ())
    return next(
        (str(p.get("text", "")) for p in parts if p.get("part") == "text" and p.get("title") == "Conclusion"), ""
    )
