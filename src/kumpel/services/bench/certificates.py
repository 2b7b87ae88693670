"""Certificates of checks: numbered, frozen, printed one by one or all of a day; revoked with a reason, never deleted."""

from __future__ import annotations

import hashlib
import io
from datetime import date, datetime, time, timedelta
from typing import Any, cast

import pypdf
from sqlalchemy import or_, text
from sqlalchemy.orm import QueryableAttribute, defer
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line
from kumpel.core.rounding import shown
from kumpel.kinds.bench import BenchCheck
from kumpel.reports import pages
from kumpel.reports.document import Document, Fact, Facts, TablePart, TextPart
from kumpel.reports.document import Signature as SignatureLine
from kumpel.services.ground import deeds, settings
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import like
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.store.tables import Account, BenchRun, Certificate, Recorder, Reference, now

RESULTS = ("passed", "failed")


def issue(db: Db, run: BenchRun, recorder: Recorder, word: BenchCheck) -> Certificate | None:
    """The certificate of a run, in the transaction of the caller; None where nothing was read: what has no result proves nothing."""
    rows = [row for row in run.rows if row["state"] in RESULTS]
    if not rows:
        return None
    taken = text("update counter set value = value + 1 where name = 'certificate' returning value")
    number = f"K-{now():%Y}-{int(db.connection().execute(taken).scalar_one()):05d}"
    by = db.get(Account, run.made_by) if run.made_by else None
    document = _document(db, run, rows, recorder, word, number, by.name if by else "")
    data = pages.pdf(pages.printable(document)[0])
    made = Certificate(
        number=number,
        recorder_id=recorder.id or 0,
        run_id=run.id,
        title=f"{word.label}, {recorder.token}"[:120],
        passed=run.state == "done" and all(row["state"] == "passed" for row in rows),
        pdf=data,
        sha256=hashlib.sha256(data).digest(),
        made_by=run.made_by,
    )
    db.add(made)
    db.flush()
    deeds.keep(db, "certificate issued", Whom("recorder", recorder.id), after={"number": number, "passed": made.passed})
    return made


def _number(value: float | None, decimals: int) -> str:
    return "" if value is None else shown(float(value), decimals)


def _document(
    db: Db,
    run: BenchRun,
    rows: list[dict[str, Any]],
    recorder: Recorder,
    word: BenchCheck,
    number: str,
    by: str,
) -> Document:
    ended = (run.ended_at or now()).astimezone()
    name, address = (str(settings.value_of(db, each)) for each in (settings.NAME, settings.ADDRESS))
    failed = [row["label"] for row in rows if row["state"] == "failed"]
    left = [row["label"] for row in run.rows if row["state"] not in RESULTS]
    if failed:
        verdict, words = "above limit", f"failed: {', '.join(failed)}"
    elif left:
        verdict, words = "not assessable", f"not all were checked: {', '.join(left)}"
    else:
        verdict, words = "within", "passed"
    facts = [
        Fact(label="Recorder", value=f"{recorder.name}, {recorder.model}".strip(", ")),
        Fact(label="Serial number", value=recorder.serial),
        Fact(label="Checked", value=f"{ended:%d %b %Y, %H:%M}"),
        Fact(label="By", value=by or "not known"),
    ]
    held = dict.fromkeys(row["reference"] for row in rows if row.get("reference"))
    for reference in (each for key in held if (each := db.get(Reference, key)) is not None):
        expires = f", to {reference.expires:%d %b %Y}" if reference.expires else ""
        facts.append(Fact(label="Reference", value=f"{reference.name}, lot {reference.lot or 'not known'}{expires}"))
        if reference.certificate:
            facts.append(Fact(label="Its certificate", value=reference.certificate))
    cells = [
        [
            row["label"],
            row["serial"],
            f"{_number(row['applied'], row['decimals'])} {row['unit']}",
            _number(row["before"], row["decimals"]),
            _number(row["after"], row["decimals"]),
            _number(row["factor"], 3) if row["after"] is not None else "",
            row["state"],
            str(row.get("due") or "")[:10],
        ]
        for row in rows
    ]
    columns = ["Sensor", "Serial number", "Applied", "Before", "After", "Factor", "Result", "Next due"]
    return Document(
        title=f"{word.label}, {recorder.token}",
        subtitle=f"Certificate {number}, {ended:%d %b %Y}",
        token=recorder.token,
        verdict=verdict,
        words=words,
        footer=f"Kumpel, certificate {number}. Allowed: {word.allowed.in_words} of what was applied ({word.allowed.source})",
        draft=False,
        house=name,
        address=address,
        parts=[
            Facts(facts=facts),
            TablePart(title="What was read", columns=columns, rows=cells),
            TextPart(title="Allowed deviation", text=f"{word.allowed.in_words}: {word.allowed.source}."),
            *([TextPart(title="What is left open", text=run.trouble)] if run.trouble else []),
            SignatureLine(name=by, date=f"{ended:%d %b %Y}"),
        ],
    )


def row_of(db: Db, certificate_id: int) -> Certificate:
    row = db.get(Certificate, certificate_id)
    if row is None:
        raise NotFoundError("This certificate is not on record.")
    return row


def listed(
    db: Db, day: date | None = None, recorder_id: int | None = None, words: str = "", limit: int = 100
) -> list[Certificate]:
    """The newest first: of a day (by the wall of the server), of a recorder, with words in number or title."""
    # Their pages are read one by one, when they are asked for.
    asked = (
        select(Certificate)
        .options(defer(cast("QueryableAttribute[bytes]", col(Certificate.pdf))))
        .order_by(col(Certificate.id).desc())
        .limit(limit)
    )
    if words.strip():
        pattern = like(words.strip())
        asked = asked.where(or_(col(Certificate.number).ilike(pattern), col(Certificate.title).ilike(pattern)))
    if day is not None:
        begins = datetime.combine(day, time()).astimezone()
        asked = asked.where(Certificate.made_at >= begins, Certificate.made_at < begins + timedelta(days=1))
    if recorder_id is not None:
        asked = asked.where(Certificate.recorder_id == recorder_id)
    return list(db.exec(asked).all())


def of_day(db: Db, day: date) -> bytes:
    """All of a day that hold, in the order of their numbers, as one PDF to print. NotFoundError where there is none."""
    rows = [row for row in reversed(listed(db, day, limit=500)) if row.revoked_at is None]
    if not rows:
        raise NotFoundError(f"There is no certificate of {day:%d %b %Y}.")
    out = pypdf.PdfWriter()
    for row in rows:
        out.append(io.BytesIO(row.pdf))
    found = io.BytesIO()
    out.write(found)
    return found.getvalue()


def revoke(db: Db, certificate_id: int, why: str) -> Certificate:
    """Say that a certificate does not hold. ConflictError when it is revoked already."""
    row = row_of(db, certificate_id)
    deeds.ask(db, "certificate revoked", Whom("recorder", row.recorder_id))
    words = clean_line(why)
    if not 0 < len(words) <= 200:
        raise InvalidError("Say why it does not hold.", field="why")
    if row.revoked_at is not None:
        raise ConflictError(f"{row.number} is revoked already: {row.revoked_why}.", code="revoked")
    row.revoked_at, row.revoked_by, row.revoked_why = now(), deeds.actor(db), words
    db.add(row)
    deeds.keep(db, "certificate revoked", Whom("recorder", row.recorder_id), {"number": row.number}, {"why": words})
    db.commit()
    return row
