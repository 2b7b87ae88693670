"""Reports by e-mail: put into the outbox, sent by a job through the clinic's own mail server, tried again while that is away."""

from __future__ import annotations

import smtplib
import ssl
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from email.message import EmailMessage
from email.utils import format_datetime, make_msgid

from sqlalchemy import Engine
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_text
from kumpel.services.ground import deeds, settings
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.mail_address import address, server_parts
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.report import issued
from kumpel.services.report.issued import Form
from kumpel.services.report.reports import report_of
from kumpel.store import locks
from kumpel.store.database import tell
from kumpel.store.tables import Account, Mail, Report, now

WAITING, SENT, REFUSED = "waiting", "sent", "refused"
MOST_BYTES, LONGEST_NOTE = 15 * 2**20, 2000
TIMEOUT_S = 20.0
AGAIN_AFTER_S = (60, 300, 900, 3600, 3 * 3600, 6 * 3600, 12 * 3600)
"""Pauses between the tries while the mail server is away or says \"later\"; after the last it is given up, and said."""
USUAL_PORT = {"TLS": 465, "STARTTLS": 587, "none": 25}


@dataclass(frozen=True)
class Wish:
    """A report for somebody: the address, the forms it is attached in, a few words."""

    recipient: str
    forms: Sequence[Form] = ("pdf",)
    note: str = ""


@dataclass(frozen=True)
class Server:
    host: str
    port: int
    security: str
    sender: str
    user: str
    password: str


def server(db: Db) -> Server:
    """The mail server of the house. ConflictError while nobody set one; InvalidError when it is none."""
    values = {word.key: str(settings.value_of(db, word)) for word in settings.MAIL}
    where, sender = values[settings.MAIL_SERVER.key], values[settings.MAIL_FROM.key]
    if not where or not sender:
        raise ConflictError(
            "No mail server is set. Name it and the address to send from in the settings of the whole site, under E-mail.",
            code="no-mail-server",
        )
    security = values[settings.MAIL_SECURITY.key]
    host, port = server_parts(where)
    return Server(
        host,
        port or USUAL_PORT[security],
        security,
        address(sender, settings.MAIL_FROM.key),
        values[settings.MAIL_USER.key],
        values[settings.MAIL_PASSWORD.key],
    )


def post(db: Db, report_id: int, wish: Wish, who: int | None = None) -> Mail:
    """Put a report into the outbox. Refused at once: no address, no form, too much, no mail server."""
    report = report_of(db, report_id)
    deeds.ask(db, "report mailed", about_what(report))
    recipient = address(wish.recipient, "recipient")
    sender = server(db).sender
    forms = list(dict.fromkeys(wish.forms))
    if not forms:
        raise InvalidError("At least one form of the report is needed: PDF, Word or web page.", field="forms")
    size = sum(len(issued.file_of(report, form).data) for form in forms)
    if size > MOST_BYTES:
        raise InvalidError(f"{size / 2**20:.0f} MB are too much for a mail; {MOST_BYTES // 2**20} MB are possible.")
    note = clean_text(wish.note).strip()
    if len(note) > LONGEST_NOTE:
        raise InvalidError(f"note: at most {LONGEST_NOTE} characters.", field="note")
    row = Mail(
        report_id=report_id,
        recipient=recipient,
        forms=[*forms],
        note=note,
        size=size,
        message_id=make_msgid("kumpel", sender.rpartition("@")[2]),
        asked_by=who,
    )
    db.add(row)
    about = {
        "number": report.number,
        "to": recipient,
        "forms": forms,
        "size": size,
        "named": report.person_id is not None,
    }
    deeds.keep(db, "report mailed", about_what(report), after=about, who=who)
    tell(db, "mails")
    db.commit()
    db.refresh(row)
    return row


def about_what(report: Report) -> Whom:
    """What a report is of: its (first) session, or its group."""
    return Whom("session", report.session_id) if report.session_id is not None else Whom("group", report.group_id)


def of_report(db: Db, report_id: int) -> list[Mail]:
    """What went, or goes, of a report, the newest first."""
    return list(db.exec(select(Mail).where(Mail.report_id == report_id).order_by(col(Mail.id).desc())).all())


def again(db: Db, mail_id: int) -> Mail:
    """Try once more what was refused, or at once what waits."""
    row = db.exec(select(Mail).where(Mail.id == mail_id).with_for_update()).first()
    if row is None:
        raise NotFoundError("This mail is not on record.")
    if row.state == SENT:
        raise ConflictError(f"This mail was taken on {row.sent_at:%d %b %Y, %H:%M} UTC.", code="sent")
    deeds.ask(db, "report mailed", Whom("mail", mail_id))
    row.state, row.tries, row.next_at = WAITING, 0, now()
    db.add(row)
    tell(db, "mails")
    db.commit()
    db.refresh(row)
    return row


def waiting(db: Db, most: int = 50) -> list[int]:
    """Mails that are due, the first asked for first."""
    due = select(Mail.id).where(Mail.state == WAITING, col(Mail.next_at) <= now()).order_by(col(Mail.id)).limit(most)
    return [i for i in db.exec(due).all() if i is not None]


# ---------------------------------------------------------------- as a job


def run(store: Engine, mail_id: int) -> None:
    """Send a mail that waits. What the server says is kept: taken, refused for good, or to be tried again later.

    Where the server took it and we were stopped before that was on record, it goes once more, with the same Message-ID.
    """
    with store.connect() as connection, Db(connection) as db, locks.locked(db, locks.MAIL, mail_id) as mine:
        row = db.get(Mail, mail_id) if mine else None
        if row is None or row.state != WAITING:
            return
        try:
            message = _message(db, row)
            where = server(db)
            db.commit()  # nothing is held while somebody else's server takes its time
            _send(where, message, row.recipient)
        except Exception as error:
            _failed(db, row, error)
        else:
            row.state, row.sent_at, row.problem = SENT, now(), ""
        row.tries += 1
        db.add(row)
        tell(db, "mails")
        db.commit()


def _message(db: Db, row: Mail) -> EmailMessage:
    report = db.get_one(Report, row.report_id)
    by = db.get(Account, row.asked_by) if row.asked_by else None
    where, house = server(db), str(settings.value_of(db, settings.NAME))
    made = EmailMessage()
    # No name of a person in what every server on the way can read.
    made["Subject"] = f"Report {report.number}"
    made["From"], made["To"], made["Message-ID"] = where.sender, row.recipient, row.message_id
    made["Date"] = format_datetime(row.asked_at)
    files = [issued.file_of(report, form) for form in _forms(row)]
    lines = [row.note, "" if not row.note else " ", f"Report {report.number} is attached."]
    lines += [f"{file.name}, SHA-256 {file.sha256}" for file in files]
    lines += ["", ", ".join(filter(None, (by.name if by else "", house)))]
    made.set_content("\n".join(line for line in lines if line) + "\n")
    for file in files:
        main, _, sub = file.media_type.partition(";")[0].partition("/")
        made.add_attachment(file.data, maintype=main, subtype=sub, filename=file.name)
    return made


def _forms(row: Mail) -> list[Form]:
    return [form for form in issued.FORMS if form in row.forms]


def _send(where: Server, message: EmailMessage, recipient: str) -> None:
    context = ssl.create_default_context()
    with (
        smtplib.SMTP_SSL(where.host, where.port, timeout=TIMEOUT_S, context=context)
        if where.security == "TLS"
        else smtplib.SMTP(where.host, where.port, timeout=TIMEOUT_S)
    ) as link:
        if where.security == "STARTTLS":
            link.starttls(context=context)
        if where.user:
            link.login(where.user, where.password)
        link.send_message(message, where.sender, [recipient])


def _failed(db: Db, row: Mail, error: Exception) -> None:
    """Refused for good is said; what may pass is tried again, ever later."""
    if isinstance(error, ConflictError | InvalidError):
        row.problem, final = str(error)[:400], True
    else:
        row.problem, final = _words(error)[:400], _is_final(error)
    if final or row.tries >= len(AGAIN_AFTER_S):
        row.state = REFUSED
        return
    row.next_at = now() + timedelta(seconds=AGAIN_AFTER_S[row.tries])


def _codes(error: Exception) -> list[tuple[int, str]]:
    """What the server answered, with its numbers."""
    if isinstance(error, smtplib.SMTPRecipientsRefused):
        return [(code, _text(words)) for code, words in error.recipients.values()]
    if isinstance(error, smtplib.SMTPResponseException):
        return [(error.smtp_code, _text(error.smtp_error))]
    return []


def _text(words: bytes | str) -> str:
    return words.decode("utf-8", "replace") if isinstance(words, bytes) else words


def _is_final(error: Exception) -> bool:
    """5xx is no, 4xx is later (RFC 5321, 4.2.1); a server that cannot be trusted is no."""
    if isinstance(error, ssl.SSLCertVerificationError | smtplib.SMTPNotSupportedError):
        return True
    codes = _codes(error)
    return bool(codes) and all(code >= 500 for code, _ in codes)


def _words(error: Exception) -> str:
    codes = _codes(error)
    if codes:
        code, words = codes[0]
        return f"The mail server answered {code}: {words}"
    if isinstance(error, ssl.SSLCertVerificationError):
        return f"The certificate of the mail server cannot be trusted ({error.verify_message})."
    if isinstance(error, smtplib.SMTPNotSupportedError):
        return "The mail server does not offer what the settings ask for (STARTTLS or a sign-in)."
    if isinstance(error, smtplib.SMTPServerDisconnected):
        return "The mail server broke the connection off."
    if isinstance(error, TimeoutError):
        return f"The mail server has not answered within {TIMEOUT_S:.0f} s."
    if isinstance(error, OSError):
        return f"The mail server cannot be reached ({error.strerror or type(error).__name__})."
    return f"The mail could not be made ({type(error).__name__})."
