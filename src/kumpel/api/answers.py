"""Rows of the store as the API's schemas."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import cache

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.api import schemas
from kumpel.core.assessment import Assessment
from kumpel.core.recording import POINT
from kumpel.kinds.kind import Kind, StretchWord
from kumpel.kinds.over_people import over_people
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import decisions, doubts, sensor_checks, settings
from kumpel.services.ground.as_json import for_screen
from kumpel.services.ground.limits import limits_of
from kumpel.services.ground.people import PersonRow
from kumpel.services.ground.recordings import recorder_words
from kumpel.services.ground.wall import wall_day
from kumpel.services.hand_out import hand_out
from kumpel.services.recorders import bays, wall_marks
from kumpel.services.recorders.reaching import is_elsewhere, is_folder
from kumpel.services.register.session_list import Listed, listed
from kumpel.services.report import conclusions, issued
from kumpel.services.review import deciding
from kumpel.services.review.comparison import Compared
from kumpel.store import tables

OF_RECORDER = (
    "id",
    "serial",
    "kind",
    "token",
    "name",
    "model",
    "firmware",
    "keeps_one",
    "in_reach",
    "trouble",
    "seen_at",
    "clock_error_s",
    "clock_set_at",
)
OF_PERSON = tuple(tables.Person.model_fields.keys() & schemas.Person.model_fields.keys())
"""Columns that answers take as they are: dumping a whole row takes as long as all else of it."""


def person(row: PersonRow) -> schemas.Person:
    return schemas.Person(
        **{key: getattr(row.person, key) for key in OF_PERSON},
        team=row.team,
        sessions=row.sessions,
        last_session_at=row.last_session_at,
        has_recorder=row.has_recorder,
    )


def recorders(
    db: Db, rows: Sequence[tables.Recorder], not_taken_in: Mapping[str, int] | None = None
) -> list[schemas.Recorder]:
    """Recorders with what they hold that was not taken in (by serial number, where that is known already), asked for all at once."""
    new = bays.not_taken_in(db, rows) if not_taken_in is None else not_taken_in
    overdue, slips = sensor_checks.overdue(db, rows), hand_out.open_slips(db, rows)
    return [
        _recorder(row, new[row.serial], overdue[row.id or 0], *slips.get(row.id or 0, (None, None))) for row in rows
    ]


def recorder(db: Db, row: tables.Recorder) -> schemas.Recorder:
    return recorders(db, [row])[0]


def _recorder(
    row: tables.Recorder,
    new_sessions: int,
    overdue: Sequence[str],
    slip: tables.HandOver | None,
    holder: tables.Person | None,
) -> schemas.Recorder:
    kind, folder = KINDS.get(row.kind), is_folder(row)
    return schemas.Recorder(
        **{key: getattr(row, key) for key in OF_RECORDER},
        sets_up=not folder,
        battery=None if folder else row.status.get("battery"),
        memory_used=row.status.get("memory_used"),
        mode=row.status.get("mode", ""),
        place=", ".join(filter(None, (row.status.get("place", ""), row.machine if is_elsewhere(row) else ""))),
        press=row.status.get("press", ""),
        lasts_h=row.status.get("lasts_h"),
        mode_left_s=row.status.get("mode_left_s"),
        can=row.status.get("can", []),
        **{key: row.status.get("link", {}).get(key) for key in ("over", "quality", "bytes_per_s")},
        holder=holder.name if holder else "",
        holder_id=holder.id if holder else None,
        since=slip.given_at if slip else None,
        expected_at=slip.expected_at if slip else None,
        new_sessions=new_sessions,
        check_list=list(kind.check_list) if kind else [],
        overdue=list(overdue),
        calibrates=bool(kind and kind.sensors) and "calibrations" in row.status.get("can", []),
    )


def all_bays(db: Db, found: Sequence[bays.Bay]) -> list[schemas.Bay]:
    left = {bay.recorder.serial: bay.not_taken_in for bay in found}
    told = recorders(db, [bay.recorder for bay in found], left)
    return [
        schemas.Bay(
            recorder=recorder,
            utc_offset_min=bay.recorder.status.get("utc_offset_min", 0),
            tags=bay.tags,
            sessions=[schemas.Found.model_validate(s) for s in bay.sessions],
        )
        for bay, recorder in zip(found, told, strict=True)
    ]


def slip(given: tables.HandOver, recorder: tables.Recorder, person: tables.Person) -> schemas.HandOver:
    return schemas.HandOver(
        id=given.id,
        recorder_id=given.recorder_id,
        token=recorder.token,
        kind=recorder.kind,
        recorder_name=recorder.name,
        person_id=given.person_id,
        person=person.name,
        given_at=given.given_at,
        expected_at=given.expected_at,
        returned_at=given.returned_at,
        clock_error_s=given.clock_error_s,
        in_reach=recorder.in_reach,
        tags=given.tags,
    )


def session(row: Listed) -> schemas.Session:
    # Made here of columns that the database has checked: nothing to look at once more.
    numbers = {key: schemas.Number.model_validate(value) for key, value in row.numbers.items()}
    return schemas.Session.model_construct(**row.facts, tags=row.tags, report=row.report, numbers=numbers)


def assessment(found: Assessment) -> schemas.Assessment:
    data = for_screen(found)
    for event, made in zip(data["events"], found.events, strict=True):
        event["key"] = made.key
    return schemas.Assessment.model_validate(data)


def kind(held: settings.Chosen, known: Kind, said: Mapping[str, Sequence[str]]) -> schemas.Kind:
    """A kind with its words; what is offered is what the site set (`held`), and as tags what was said lately."""
    offered = {word.key: settings.value_in(held, word, kind=known.key) for word in settings.words_of(known)}

    def of_stretch(word: StretchWord) -> schemas.StretchWord:
        reasons = offered.get(settings.reasons_key(word.what), list(word.reasons))
        return schemas.StretchWord.model_validate(for_screen(word) | {"reasons": reasons})

    return _as_shipped(known.key).model_copy(
        update={
            "blocks": list(offered[settings.BLOCKS.key]),
            "stretches": [of_stretch(s) for s in known.stretches],
            "tags": [
                schemas.TagWord.model_validate(
                    for_screen(t)
                    | {"suggestions": list(dict.fromkeys([*offered[settings.tag_key(t.key)], *said.get(t.key, ())]))}
                )
                for t in known.tags
            ],
        }
    )


@cache
def _as_shipped(key: str) -> schemas.Kind:
    """What of a kind no site changes, made once."""
    known = KINDS[key]
    return schemas.Kind(
        key=known.key,
        name=known.name,
        reaches=known.reaches,
        patient=known.patient,
        compares=known.compares is not None,
        stands=known.stands,
        groups=[schemas.Followed(figure=figure, label=label) for figure, label in over_people(known)],
        blocks=[],
        recorder_name=known.recorder_name,
        main_channel=known.main_channel,
        method=known.method,
        channels=[schemas.ChannelWord.model_validate(c) for c in known.channels],
        readings=list(known.readings),
        reading_code=known.reading_code,
        reading_bars=[schemas.ReadingBar(low=low, high=high) for low, high in known.reading_bars],
        decisions=[
            schemas.DecisionWord(
                **for_screen(d)
                | {
                    key: [schemas.Choice(value=value, words=words) for value, words in listed]
                    for key, listed in (("choices", d.choices), ("offers", d.offers))
                }
            )
            for d in known.decisions
        ],
        stretches=[],
        events=[schemas.EventWord.model_validate(e) for e in known.events],
        checks=[schemas.CheckWord.model_validate(c) for c in known.checks],
        tags=[],
        sensors=[schemas.SensorName.model_validate(s) for s in known.sensors],
        registers=[schemas.Followed.model_validate(f) for f in known.registers],
        trends=[schemas.Followed.model_validate(f) for f in known.trends],
        report_parts=known.report_parts,
        one_page=list(known.one_page),
        one_table=list(known.one_table),
        exports=list(known.exports),
    )


def comparison(made: Compared) -> schemas.Comparison:
    found = made.found
    return schemas.Comparison(
        before=made.before.id or 0,
        after=made.after.id or 0,
        limit_set_id=made.limit_set_id,
        changes=[schemas.FigureChange.model_validate(for_screen(each)) for each in found.changes],
        questions=[schemas.CompareQuestion.model_validate(each) for each in found.questions],
        differing=[schemas.Differing(what=what, before=a, after=b) for what, a, b in found.differing],
        medicines=[schemas.TakenBoth.model_validate(each) for each in made.medicines],
        changed_on=made.changed_on,
        why_not=found.why_not,
        in_words=found.in_words,
        spans_from=made.spans_from,
    )


def all_settings(db: Db) -> schemas.Settings:
    words = [(w, "") for w in settings.OF_THE_SITE]
    words += [(w, known.key) for known in KINDS.values() for w in settings.words_of(known)]
    return schemas.Settings(
        words=[schemas.SettingWord.model_validate(for_screen(w) | {"kind": of}) for w, of in words],
        kept=[
            schemas.KeptSetting(
                key=k.word.key,
                scope=k.scope,
                of=k.of,
                value="set" if k.word.type == "secret" and k.value else k.value,
                version=k.version,
                by=k.by,
                at=k.at,
            )
            for k in settings.all_kept(db)
        ],
    )


def full_review(db: Db, found: tables.Session, limit_set_id: int | None = None) -> schemas.Review:
    assert found.id is not None
    standing = conclusions.standing(db, found)
    limits, both = (
        (standing.limit_set_id, standing.both)
        if standing
        else (limits_of(db, found.kind, None, wall_day(found), found.head.get("setup", {}))[0].id, None)
    )
    if limit_set_id is not None and both is not None:
        limits, both = limit_set_id, deciding.supposed(db, found, (), (), limit_set_id)
    undo, redo = deciding.next_steps(db, found.id)
    conclusion = conclusions.conclusion_of(db, found.id)
    writer = db.get(tables.Account, conclusion.written_by) if conclusion and conclusion.written_by else None
    rows = decisions.of_session(db, found.id)
    gone = {row.id for row in decisions.lost(rows, both.recorded)} if both else set()
    history = [signature(db, found, each) for each in conclusions.signatures(db, found.id)]
    events = db.exec(
        select(tables.Event)
        .where(tables.Event.session_id == found.id, tables.Event.code != POINT)
        .order_by(col(tables.Event.at_s))
    ).all()
    channels = db.exec(
        select(tables.Channel).where(tables.Channel.session_id == found.id).order_by(col(tables.Channel.index))
    ).all()
    return schemas.Review(
        session=session(listed(db, found.id)),
        recorded_by=recorder_words(found),
        unchecked=doubts.only_said(db, found, both),
        version=found.review_version,
        figures=found.figures,
        failure=found.failure,
        limit_set_id=limits,
        recorded=assessment(both.recorded) if both else None,
        reviewed=assessment(both.reviewed) if both else None,
        decisions=[
            schemas.Decision(
                **row.model_dump(exclude={"session_id", "version", "made_by", "removed_at"}), lost=row.id in gone
            )
            for row in rows
        ],
        events=[schemas.Event.model_validate(e) for e in events],
        marks=[schemas.MarkBeside.model_validate(m) for m in wall_marks.beside(db, found)],
        channels=[schemas.Channel.model_validate(c) for c in channels],
        main_channel=KINDS[found.kind].main_channel,
        undo=undo,
        redo=redo,
        conclusion=conclusion.text if conclusion else "",
        conclusion_version=conclusion.version if conclusion else 0,
        conclusion_by=writer.name if writer else "",
        signature=next((s for s in history if s.opened_at is None), None),
        earlier=[s for s in history if s.opened_at is not None],
    )


def signature(db: Db, session: tables.Session, row: tables.Signature) -> schemas.Signature:
    opener = db.get(tables.Account, row.opened_by) if row.opened_by else None
    return schemas.Signature(
        by=row.facts.get("signer") or db.get_one(tables.Account, row.signed_by).name,
        at=row.signed_at,
        conclusion=row.conclusion,
        differs=conclusions.would_differ(db, session, row) if row.opened_at is None else [],
        opened_by=opener.name if opener else "",
        opened_at=row.opened_at,
        opened_why=row.opened_why,
    )


def report(row: tables.Report, by: str, started: datetime | None) -> schemas.Report:
    return schemas.Report(
        id=row.id or 0,
        number=row.number,
        title=row.title,
        session_id=row.session_id,
        group_id=row.group_id,
        session_started_at=started,
        pages=row.pages,
        sha256=row.sha256.hex(),
        issued_at=row.issued_at,
        issued_by=by,
        named=issued.is_named(row),
    )
