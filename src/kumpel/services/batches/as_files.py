"""The issued reports of a batch to take away: one PDF to print, or one file each in a folder that is packed."""

from __future__ import annotations

import io
import zipfile

import pypdf
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.services.batches.batch import ISSUED, batch_of
from kumpel.services.ground import apart
from kumpel.services.ground.problems import ConflictError
from kumpel.services.ground.recordings import session_of
from kumpel.services.register.sessions import row_of
from kumpel.services.report import exports, issued
from kumpel.services.report.issued import Form
from kumpel.store.tables import Report, ReportBatchItem


def _reports(db: Db, batch_id: int) -> list[Report]:
    batch_of(db, batch_id)
    mine = select(Report).join(ReportBatchItem, col(ReportBatchItem.report_id) == Report.id)
    mine = mine.where(ReportBatchItem.batch_id == batch_id, ReportBatchItem.state == ISSUED)
    found = list(db.exec(mine.order_by(col(ReportBatchItem.at))).all())
    if not found:
        raise ConflictError("None of these reports is issued yet.", code="none-issued")
    return found


def one_file(db: Db, batch_id: int, two_sided: bool) -> tuple[str, bytes]:
    """All of them in one PDF, in the order they are printed in; `two_sided`: each begins on a front page. Each is the page that was frozen;
    the frozen files themselves are those of the single reports."""
    batch = batch_of(db, batch_id)
    data = apart.call("The file", _joined, [report.pdf for report in _reports(db, batch_id)], two_sided)
    return f"{batch.name}.pdf", data


def _joined(files: list[bytes], two_sided: bool) -> bytes:
    out = pypdf.PdfWriter()
    for data in files:
        found = pypdf.PdfReader(io.BytesIO(data))
        out.append(found)
        if two_sided and len(found.pages) % 2:
            out.add_blank_page()
    made = io.BytesIO()
    out.write(made)
    return made.getvalue()


def packed(db: Db, batch_id: int, form: Form) -> tuple[str, bytes]:
    """One file each, packed; called as the house calls its files, and by their number."""
    batch, made = batch_of(db, batch_id), io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as pack:
        for report in _reports(db, batch_id):
            pack.writestr(f"{_stem(db, report)}.{form}", issued.file_of(report, form).data)
    return f"{batch.name}.zip", made.getvalue()


def _stem(db: Db, report: Report) -> str:
    if report.session_id is None:
        return f"{report.document.get('title', '')} {report.number}".replace("/", "-")
    if not issued.is_named(report):
        return report.number
    called = exports.file_name(db, row_of(db, session_of(db, report.session_id)), "")
    return f"{called.rstrip('.')} {report.number}"
