"""What a site sets for itself: declared with type and bounds, for all of it, a team or a kind; every change stays on record."""

from __future__ import annotations

import base64
import binascii
import struct
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, cast

from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session as Db
from sqlmodel import col, func, literal, select, update

from kumpel.core.names import clean_line, clean_text
from kumpel.kinds.kind import Followed, Kind, Scope, SettingWord
from kumpel.kinds.registry import KINDS
from kumpel.link.networks import THIS_MACHINE, address_words, network_words, path_words
from kumpel.reports import pages
from kumpel.services.ground import deeds, mail_address, naming
from kumpel.services.ground.days import days_words
from kumpel.services.ground.decisions import LIMIT_SET, is_finite
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.store import locks
from kumpel.store.database import tell
from kumpel.store.tables import Account, Decision, LimitSetRow, Recorder, Session, Setting, Team, metadata

MOST_PICTURE_BYTES = 100_000
MOST_LINES, LONGEST_LINE, LONGEST_TEXT = 60, 120, 600
LONGEST_LEAFLET = 1500.0
_PNG = "data:image/png;base64,"

NAME = SettingWord(
    "paper.name", "Name", "line", "", "On paper", "above every report, such as Tarnfels mine", scopes=("site", "team")
)
ADDRESS = SettingWord("paper.address", "Address", "text", "", "On paper", "under the name", scopes=("site", "team"))
LOGO = SettingWord("paper.logo", "Logo", "picture", "", "On paper", "a PNG of up to 100 kB", scopes=("site", "team"))
CLOCK = SettingWord(
    "link.clock_s", "Clock said to be wrong from", "number", 5.0, "Recorders", "", "s", 1, 3600, scopes=("site", "kind")
)
BATTERY = SettingWord(
    "link.battery", "Battery said to be low below", "number", 20.0, "Recorders", "", "%", 1, 90, scopes=("site", "kind")
)
WEAK = SettingWord(
    "link.weak", "Link said to be weak below", "number", 40.0, "Recorders", "", "%", 1, 99, scopes=("site", "kind")
)
LONG = SettingWord(
    "link.long_s",
    "How long a transfer takes is said from",
    "number",
    10.0,
    "Recorders",
    "on a weak link, before it starts",
    "s",
    1,
    3600,
    scopes=("site", "kind"),
)
NETWORKS = SettingWord(
    "link.networks",
    "Networks to look in",
    "networks",
    THIS_MACHINE,
    "Recorders",
    "one a line, such as 192.168.10.0/24; 127.0.0.0/8 is this machine",
)
ADDRESSES = SettingWord(
    "link.addresses",
    "Recorders at an address",
    "addresses",
    (),
    "Recorders",
    "one a line, such as 192.168.10.20:7400; for those that announce themselves nowhere",
)
PORTS = SettingWord(
    "link.ports",
    "Serial ports to look at",
    "paths",
    ("/dev/serial/by-id/*",),
    "Recorders",
    "one a line; nothing is ever written to any other port",
)
FOLDERS = SettingWord(
    "link.folders",
    "Folders of sticks and cards",
    "paths",
    (),
    "Recorders",
    "one a line: a folder, or /media/desk/* for those right in a place; each that holds recordings counts as a recorder, its files as sessions",
)
BY_HAND, ON_CONTACT = "by hand", "on contact"
CONTACT = SettingWord(
    "take_in.contact",
    "Take in",
    "choice",
    BY_HAND,
    "Recorders",
    "on contact: what is new comes in without a press as soon as its recorder is in reach; nothing is ever cleared by that, and a recorder that nobody handed out or took in by hand yet waits",
    scopes=("site", "kind"),
    choices=(BY_HAND, ON_CONTACT),
)
CONTACT_DOCKS = SettingWord(
    "take_in.docks",
    "On contact in these docks only",
    "lines",
    (),
    "Recorders",
    "one a line, such as Dock A; empty: wherever a recorder is in reach",
    scopes=("site", "kind"),
)
FILE_NAME = SettingWord(
    "files.name",
    "Name of files",
    "pattern",
    naming.USUAL,
    "Files",
    "of sessions fetched as a workbook or as CSV. " + naming.TOLD,
    high=naming.LONGEST,
    scopes=("site", "team", "kind"),
)
KEEPS_DELETED = SettingWord(
    "sessions.keeps_deleted",
    "Deleted sessions are removed for good after",
    "number",
    0.0,
    "Sessions",
    "0: never. What was removed cannot be brought back from here; that it was there and who deleted it stays on record, and so does whatever was signed or reported",
    "days",
    0,
    36_500,
)
MAIL_SERVER = SettingWord(
    "mail.server", "Mail server", "line", "", "E-mail", "its name and port, such as mail.tarnfels.example:587"
)
MAIL_SECURITY = SettingWord(
    "mail.security",
    "Connection",
    "choice",
    "STARTTLS",
    "E-mail",
    "how the way to the mail server is kept from being read; none: everything on it can be read, a password and the reports too",
    choices=("STARTTLS", "TLS", "none"),
)
MAIL_FROM = SettingWord("mail.from", "Sent from", "line", "", "E-mail", "the address that reports come from")
MAIL_USER = SettingWord("mail.user", "Sign-in name", "line", "", "E-mail", "empty: the server wants none")
MAIL_PASSWORD = SettingWord("mail.password", "Password", "secret", "", "E-mail", "is never shown again")
MAIL = (MAIL_SERVER, MAIL_SECURITY, MAIL_FROM, MAIL_USER, MAIL_PASSWORD)
CLOSED = SettingWord(
    "plan.closed",
    "Days without work",
    "days",
    (),
    "Plan",
    "one a line, such as 2026-12-24 to 2027-01-01, between the years; nothing is planned for them, and a week is whole without them",
)
WARNS, STAYS = "warns", "blocks"
OVERDUE = SettingWord(
    "checks.overdue",
    "A check that is overdue or failed",
    "choice",
    WARNS,
    "Recorders",
    "warns when a recorder is handed out; blocks: it goes out only once the check was made and passed",
    scopes=("site", "kind"),
    choices=(WARNS, STAYS),
)
STAND, HELD = "stand", "held"
OVERDUE_FIGURES = SettingWord(
    "checks.figures",
    "Figures recorded with such a check",
    "choice",
    STAND,
    "Recorders",
    "stand: it is said beside them and on paper; held: they are not assessable until somebody accepts them with a reason",
    scopes=("site", "kind"),
    choices=(STAND, HELD),
)
WALL_CALL = SettingWord(
    "wall.call",
    "Whom to call",
    "line",
    "",
    "The wall",
    "said when somebody's recorder sounds or falls silent, such as Ylva Stenmark at the barrier, channel 4",
    scopes=("site", "team"),
)
WALL_WORSE = SettingWord(
    "wall.worse", "If it gets worse", "line", "", "The wall", "such as rescue squad, 22 99", scopes=("site", "team")
)
OF_THE_SITE = (
    NAME,
    ADDRESS,
    LOGO,
    CLOCK,
    BATTERY,
    WEAK,
    LONG,
    NETWORKS,
    ADDRESSES,
    PORTS,
    FOLDERS,
    CONTACT,
    CONTACT_DOCKS,
    FILE_NAME,
    KEEPS_DELETED,
    CLOSED,
    OVERDUE,
    OVERDUE_FIGURES,
    WALL_CALL,
    WALL_WORSE,
    *MAIL,
)
USUAL_LIMITS = "limits.usual"
UNSHOWN = {"picture": "a picture", "secret": "a secret"}
"""What stands in the record of deeds in place of a value."""


def reasons_key(what: str) -> str:
    """The setting that holds what is offered when something is marked: "reasons.left out"."""
    return f"reasons.{what}"


def tag_key(key: str) -> str:
    return f"tags.{key}"


def leaflet_word(kind: Kind) -> SettingWord:
    """What the wearer of a recorder of this kind is told on paper."""
    return SettingWord(
        "leaflet.words",
        "What to do",
        "text",
        kind.leaflet,
        "Leaflet",
        "a line each; printed for the wearer at hand-out",
        high=LONGEST_LEAFLET,
        scopes=("kind",),
    )


SPANS_FROM = SettingWord(
    "spans.from",
    "Source of these spans",
    "line",
    "",
    "From one day to another",
    "a study, or own repeated recordings; without one they prove nothing",
    scopes=("kind",),
)


def span_words(kind: Kind) -> list[tuple[SettingWord, Followed]]:
    """For each figure that is compared: by how much it differs from one day to another without a reason. Ships empty: no number without a
    source."""
    return [
        (
            SettingWord(
                f"spans.{followed.figure}",
                followed.label,
                "number",
                "",
                SPANS_FROM.group,
                "differs by so much without a reason; counts where a person has fewer than three earlier recordings",
                low=0.1,
                high=200,
                scopes=("kind",),
            ),
            followed,
        )
        for followed in (kind.compares.figures if kind.compares else ())
    ]


BLOCKS = SettingWord(
    "conclusion.blocks",
    "Text blocks for the conclusion",
    "lines",
    (),
    "Review",
    "one a line, in your own words; offered beside the conclusion, never put there by itself",
    scopes=("kind",),
)


def words_of(kind: Kind) -> tuple[SettingWord, ...]:
    """What can be set for a kind: its usual limits, what is offered as reasons and as tags, the words of its leaflet."""
    return (
        SettingWord(
            USUAL_LIMITS,
            "Usual limits",
            "limit set",
            "",
            "Review",
            "of sessions that have none of their own and are not signed",
            scopes=("kind",),
        ),
        *(
            SettingWord(
                reasons_key(s.what),
                f"Offered to {s.label}",
                "lines",
                s.reasons,
                "Review",
                "one a line",
                scopes=("kind",),
            )
            for s in kind.stretches
            if s.reasons
        ),
        *(
            SettingWord(
                tag_key(t.key),
                f"Offered as {t.label.lower()}",
                "lines",
                t.suggestions,
                "Tags",
                "one a line",
                scopes=("kind",),
            )
            for t in kind.tags
        ),
        BLOCKS,
        leaflet_word(kind),
        *(word for word, _ in span_words(kind)),
        *((SPANS_FROM,) if kind.compares else ()),
    )


@dataclass(frozen=True)
class InForce:
    """A setting as it holds for a scope: who set it and when; `version` is the row, 0 when nobody ever did."""

    word: SettingWord
    scope: Scope
    of: str
    value: Any
    version: int
    by: str
    at: datetime | None


def word_of(key: str, scope: str, of: str) -> SettingWord:
    """The declaration of a setting for a scope. NotFoundError when there is none."""
    known = [*OF_THE_SITE, *(words_of(KINDS[of]) if scope == "kind" and of in KINDS else ())]
    word = next((w for w in known if w.key == key and scope in w.scopes), None)
    if word is None:
        raise NotFoundError(f"There is no setting “{key}” for this {scope}.")
    return word


Chosen = Mapping[tuple[str, str, str], Any]
"""What somebody set and holds: the value by key, scope and whose."""


def chosen(db: Db, key: str | None = None) -> Chosen:
    """Everything that somebody set (of a key), read at once."""
    place = (col(Setting.key), col(Setting.scope), col(Setting.of))
    newest = select(func.max(Setting.id)).group_by(*place)
    if key is not None:
        newest = newest.where(Setting.key == key)
    rows = db.exec(select(Setting).where(col(Setting.id).in_(newest))).all()
    return {(row.key, row.scope, row.of): row.value for row in rows if row.value is not None}


def value_in(found: Chosen, word: SettingWord, *, kind: str = "", team: str = "") -> Any:
    """What holds: what was set for the kind, else for the team, else for the site, else what is shipped."""
    for scope, of in (("kind", kind), ("team", team), ("site", "")):
        value = found.get((word.key, scope, of)) if scope in word.scopes and (of or scope == "site") else None
        if value is not None:
            return value
    return list(word.default) if isinstance(word.default, tuple) else word.default


def value_of(db: Db, word: SettingWord, *, kind: str = "", team: str = "") -> Any:
    """As `value_in`, read for this word alone."""
    return value_in(chosen(db, word.key), word, kind=kind, team=team)


def _newest(db: Db, key: str, scope: str, of: str) -> Setting | None:
    mine = select(Setting).where(Setting.key == key, Setting.scope == scope, Setting.of == of)
    return db.exec(mine.order_by(col(Setting.id).desc()).limit(1)).first()


def all_kept(db: Db) -> list[InForce]:
    """Every setting that somebody set and that holds, with who and when."""
    place = (col(Setting.key), col(Setting.scope), col(Setting.of))
    newest = select(func.max(Setting.id)).group_by(*place)
    rows = db.exec(
        select(Setting, Account.name)
        .outerjoin(Account, col(Account.id) == Setting.made_by)
        .where(col(Setting.id).in_(newest))
        .order_by(col(Setting.id))
    ).all()
    found = []
    for row, by in rows:
        try:
            word = word_of(row.key, row.scope, row.of)
        except NotFoundError:
            continue  # A kind that is no longer here; its settings wait for it.
        scope = cast("Scope", row.scope)  # the table allows no other
        found.append(InForce(word, scope, row.of, row.value, row.id or 0, by or "", row.made_at))
    return found


def keep(db: Db, key: str, scope: str, of: str, value: Any, version: int, who: int | None = None) -> None:
    """Set something; None: as shipped. ConflictError when somebody was faster, InvalidError says what is wrong."""
    whom = Whom("setting", f"{key} {scope} {of}".strip()[:64])
    deeds.ask(db, "setting changed", whom)
    word = word_of(key, scope, of)
    if scope == "site" and of:
        raise InvalidError(f"{word.label}: what is set for the whole site is set for nobody in particular.", field="of")
    if scope == "team" and db.exec(select(Team.id).where(Team.name == of)).first() is None:
        raise NotFoundError(f"There is no team “{of}”.")
    good = None if value is None else _checked(db, word, value, of)
    locks.wait_for_transaction(db, locks.SETTINGS)
    before = _newest(db, key, scope, of)
    if (before.id if before else 0) != version:
        raise ConflictError(
            f"Somebody else has changed “{word.label}” since you looked. It was read again; please repeat your change.",
            code="stale-setting",
        )
    db.add(Setting(key=key, scope=scope, of=of, value=good, made_by=who))
    if key == USUAL_LIMITS:
        wait_for_usual(db, of)
    if key == OVERDUE_FIGURES.key:
        _doubt_anew(db, of)
    shown = {"value": UNSHOWN[word.type] if word.type in UNSHOWN and good else good}
    deeds.keep(db, "setting changed", whom, {"value": _shown(word, before)}, shown, who)
    tell(db, "settings")
    db.commit()


def _doubt_anew(db: Db, kind: str) -> None:
    """What is doubted of sessions because of checks is looked at anew, of every recorder (of a kind)."""
    recorders = select(col(Recorder.id), literal(datetime.fromtimestamp(0, UTC)))
    if kind:
        recorders = recorders.where(Recorder.kind == kind)
    table = metadata.tables["doubt_due"]
    due = insert(table).from_select(["recorder_id", "since"], recorders)
    db.connection().execute(
        due.on_conflict_do_update(index_elements=["recorder_id"], set_={"since": due.excluded.since, "again": False})
    )


def wait_for_usual(db: Db, kind: str, since: datetime | None = None) -> None:
    """Sessions (that began since then) that are not signed and have no limit set of their own are held against the new one."""
    begun = () if since is None else (col(Session.started_at) >= since,)
    own = select(Decision.session_id).where(Decision.key == LIMIT_SET, col(Decision.removed_at).is_(None))
    db.exec(
        update(Session)
        .where(
            col(Session.kind) == kind,
            col(Session.figures) == "assessed",
            col(Session.signed_at).is_(None),
            col(Session.id).not_in(own),
            *begun,
        )
        .values(figures="waiting")
    )


def _shown(word: SettingWord, row: Setting | None) -> Any:
    return None if row is None else UNSHOWN[word.type] if word.type in UNSHOWN and row.value else row.value


def _checked(db: Db, word: SettingWord, value: Any, of: str) -> Any:
    if word.type == "number":
        low, high = word.low or 0.0, float("inf") if word.high is None else word.high
        if not is_finite(value) or not low <= value <= high:
            raise InvalidError(f"{word.label}: a number from {low:g} to {high:g} {word.unit}".rstrip() + " is needed.")
        return float(value)
    if word.type == "lines":
        return _lines(word, value)
    if word.type == "networks":
        return _each(word, value, network_words, "is no network. Write it like 192.168.10.0/24, or fd00:10::/64")
    if word.type == "days":
        return _each(word, value, days_words, "is no day. Write it like 2026-12-24, or 2026-12-24 to 2027-01-01")
    if word.type == "addresses":
        return _each(
            word, value, address_words, "is no address. Write it like 192.168.10.20:7400, or [fd00:10::5]:7400"
        )
    if word.type == "paths":
        return _each(word, value, path_words, "is no path. Write it like /dev/serial/by-id/*, from the root on")
    if not isinstance(value, str):
        raise InvalidError(f"{word.label}: a text is needed.")
    if word.key == MAIL_FROM.key and value.strip():
        return mail_address.address(value, word.key)
    if word.key == MAIL_SERVER.key and value.strip():
        mail_address.server_parts(value)
    if word.type == "picture":
        size = _png_size(word, value)
        if not pages.prints(_svg(value, size)):
            raise InvalidError(f"{word.label}: the picture is damaged and cannot be printed.")
        return value
    if word.type == "choice":
        if value not in word.choices:
            raise InvalidError(f"{word.label}: {', '.join(word.choices[:-1])} or {word.choices[-1]}.")
        return value
    if word.type == "secret":
        if not 0 < len(value) <= LONGEST_LINE or any(ord(sign) < 32 for sign in value):
            raise InvalidError(f"{word.label}: one line of up to {LONGEST_LINE} characters.")
        return value
    if word.type == "limit set":
        known = db.exec(select(LimitSetRow.id).where(LimitSetRow.key == value, LimitSetRow.kind == of)).first()
        if known is None:
            raise InvalidError(f"{word.label}: this limit set is not on record for this kind.")
        return value
    if word.type == "pattern":
        value = _pattern(word, value)
    good = clean_line(value) if word.type in ("line", "pattern") else clean_text(value).strip()
    most = LONGEST_LINE if word.type in ("line", "pattern") else round(word.high or LONGEST_TEXT)
    if len(good) > most:
        raise InvalidError(f"{word.label}: at most {most} characters.")
    return good


def _pattern(word: SettingWord, value: str) -> str:
    try:
        return naming.checked(value)
    except ValueError as error:
        raise InvalidError(f"{word.label}: {error}.") from error


def _lines(word: SettingWord, value: Any) -> list[str]:
    if not isinstance(value, list) or not all(isinstance(each, str) for each in value):
        raise InvalidError(f"{word.label}: a list of short texts is needed.")
    found = list(dict.fromkeys(line for each in value if (line := clean_line(each))))
    if len(found) > MOST_LINES or any(len(line) > LONGEST_LINE for line in found):
        raise InvalidError(f"{word.label}: at most {MOST_LINES} lines of {LONGEST_LINE} characters.")
    return found


def _each(word: SettingWord, value: Any, words_of_one: Callable[[str], str], wrong: str) -> list[str]:
    """Lines that each have to be something, in its usual words and once."""
    found = []
    for line in _lines(word, value):
        try:
            found.append(words_of_one(line))
        except ValueError as error:
            raise InvalidError(f"{word.label}: “{line}” {wrong}.") from error
    return list(dict.fromkeys(found))


def add_line(db: Db, word: SettingWord, line: str, who: int | None = None) -> None:
    """A line more in a list of the site; one that is there already changes nothing."""
    before = _newest(db, word.key, "site", "")
    lines = list(value_of(db, word))
    if line not in lines:
        keep(db, word.key, "site", "", [*lines, line], (before.id or 0) if before else 0, who)


def _png_size(word: SettingWord, value: str) -> tuple[int, int]:
    """Width and height of a PNG given as a data URL. InvalidError when it is none, or too large."""
    try:
        data = base64.b64decode(value.removeprefix(_PNG), validate=True)
    except (binascii.Error, ValueError):
        data = b""
    if not value.startswith(_PNG) or data[:8] != b"\x89PNG\r\n\x1a\n" or data[12:16] != b"IHDR" or len(data) < 45:
        raise InvalidError(f"{word.label}: this is no PNG picture.")
    if len(data) > MOST_PICTURE_BYTES:
        raise InvalidError(f"{word.label}: {len(data) // 1000} kB; {MOST_PICTURE_BYTES // 1000} kB are possible.")
    width, height = struct.unpack(">II", data[16:24])
    if not (0 < width <= 4000 and 0 < height <= 4000):
        raise InvalidError(f"{word.label}: {width} x {height} points; up to 4,000 x 4,000 are possible.")
    return width, height


def logo_id(db: Db, team: str) -> int:
    """The row that holds the logo of a team, else of the site; 0 without one. Rows never change, so it stays what it is."""
    for scope, of in (("team", team), ("site", "")):
        row = _newest(db, LOGO.key, scope, of) if of or scope == "site" else None
        if row is not None and row.value:
            return row.id or 0
    return 0


def logo_svg(db: Db, setting_id: int) -> str:
    """The logo of a row as an SVG picture; empty for 0."""
    row = db.get(Setting, setting_id) if setting_id else None
    if row is None:
        return ""
    return _svg(row.value, _png_size(LOGO, row.value))


def _svg(png: str, size: tuple[int, int]) -> str:
    width, height = size
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 {width} {height}" '
        f'width="{width}" height="{height}"><image width="{width}" height="{height}" xlink:href="{png}"/></svg>'
    )
