"""The tables. Rules that must never be broken are constraints of the database, not habits of the code."""

from __future__ import annotations

import uuid
from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    Column,
    ForeignKey,
    Index,
    LargeBinary,
    Text,
    UniqueConstraint,
    text,
)
from sqlalchemy import DateTime as SqlDateTime
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import Field, SQLModel


def now() -> datetime:
    return datetime.now(UTC)


def _time(*, nullable: bool = False, index: bool = False) -> Any:
    return Column(SqlDateTime(timezone=True), nullable=nullable, index=index)


def _json(*, nullable: bool = False) -> Any:
    return Column(JSONB(none_as_null=True), nullable=nullable)


def _to(target: str, *, delete: str = "RESTRICT", nullable: bool = True, index: bool = True) -> Any:
    return Column(ForeignKey(target, ondelete=delete), nullable=nullable, index=index)


_CLOCK = "^([01][0-9]|2[0-3]):[0-5][0-9]$"


class Account(SQLModel, table=True):
    """Somebody who signs in."""

    id: int | None = Field(default=None, primary_key=True)
    login: str = Field(unique=True, max_length=80)
    name: str = Field(max_length=120)
    password_hash: str
    role: str = Field(default="officer")
    units: list[str] = Field(default_factory=list, sa_column=Column(JSONB, nullable=False, server_default="[]"))
    """Quantities that they read in other units than what is kept (`core.readers_units`)."""
    failures: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    failed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    created_at: datetime = Field(default_factory=now, sa_column=_time())
    __table_args__ = (CheckConstraint("role in ('administrator', 'officer')", name="account_role"),)


class SignIn(SQLModel, table=True):
    """A browser that is signed in; only the hash of its token is kept."""

    __tablename__ = "sign_in"
    token_hash: str = Field(primary_key=True, max_length=64)
    account_id: int = Field(sa_column=_to("account.id", delete="CASCADE", nullable=False))
    expires_at: datetime = Field(sa_column=_time())


class Team(SQLModel, table=True):
    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(unique=True, max_length=120)


class Person(SQLModel, table=True):
    """Whose sessions are: a named person, or a place where recorders stand (`is_place`), which has nothing of what is personal.
    `number` is made from a sequence when none is given, and never used twice.

    Somebody who is kept under a code has that as `name`, so that it stands wherever a name would; the name is `real_name` then.
    """

    id: int | None = Field(default=None, primary_key=True)
    number: str = Field(unique=True, max_length=40)
    name: str = Field(max_length=200, index=True)
    is_place: bool = Field(default=False, sa_column_kwargs={"server_default": text("false")})
    team_id: int | None = Field(default=None, sa_column=_to("team.id"))
    born: date | None = None
    sex: str | None = Field(default=None, max_length=20)
    height_cm: float | None = None
    weight_kg: float | None = None
    gets_up: str | None = Field(default=None, max_length=5)
    goes_to_bed: str | None = Field(default=None, max_length=5)
    heart_rate_highest: int | None = None
    heart_rate_resting: int | None = None
    contact: str = Field(default="", max_length=400)
    notes: str = Field(default="")
    real_name: str = Field(default="", max_length=200, sa_column_kwargs={"server_default": ""})
    clinic: str = Field(default="", max_length=120, sa_column_kwargs={"server_default": ""})
    doctor: str = Field(default="", max_length=120, sa_column_kwargs={"server_default": ""})
    complaint: str = Field(default="", max_length=400, sa_column_kwargs={"server_default": ""})
    stay: str = Field(default="", max_length=12, sa_column_kwargs={"server_default": ""})
    created_at: datetime = Field(default_factory=now, sa_column=_time())
    deleted_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("length(trim(name)) > 0", name="person_has_name"),
        CheckConstraint(
            "not is_place or (born is null and sex is null and height_cm is null and weight_kg is null and gets_up is null"
            " and goes_to_bed is null and heart_rate_highest is null and heart_rate_resting is null and real_name = ''"
            " and clinic = '' and doctor = '' and complaint = '' and stay = '')",
            name="place_has_nothing_personal",
        ),
        CheckConstraint(f"gets_up ~ '{_CLOCK}'", name="person_gets_up"),
        CheckConstraint(f"goes_to_bed ~ '{_CLOCK}'", name="person_goes_to_bed"),
        CheckConstraint("stay in ('', 'in-patient', 'out-patient')", name="person_stay"),
        Index("person_by_name", text("lower(name)"), text("id desc")),
        Index(
            "person_by_words",
            "name",
            "number",
            "real_name",
            postgresql_using="gin",
            postgresql_ops={"name": "gin_trgm_ops", "number": "gin_trgm_ops", "real_name": "gin_trgm_ops"},
        ),
    )


class Medicine(SQLModel, table=True):
    """A medicine that somebody takes: which, how much, at which times of day, from when to when.

    Another dose is another row from its day on, so that what was taken on any day can be told; `since` nothing: nobody knows from when.
    A mistake is marked as removed.
    """

    id: int | None = Field(default=None, primary_key=True)
    person_id: int = Field(sa_column=_to("person.id", nullable=False))
    name: str = Field(max_length=80)
    dose: str = Field(default="", max_length=40)
    times: list[str] = Field(default_factory=list, sa_column=_json())
    since: date | None = None
    until: date | None = None
    noted_at: datetime = Field(default_factory=now, sa_column=_time())
    noted_by: int | None = Field(default=None, sa_column=_to("account.id"))
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("length(trim(name)) > 0", name="medicine_has_name"),
        CheckConstraint("until >= since", name="medicine_order"),
    )


class Recorder(SQLModel, table=True):
    """A device: what it said of itself when it was last in reach."""

    id: int | None = Field(default=None, primary_key=True)
    serial: str = Field(unique=True, max_length=64)
    kind: str = Field(max_length=40)
    token: str = Field(max_length=8, index=True)
    name: str = Field(max_length=80)
    model: str = Field(default="", max_length=80)
    firmware: str = Field(default="", max_length=40)
    keeps_one: bool = False
    host: str | None = None
    port: int | None = None
    machine: str = Field(default="", max_length=120)
    """Of one on a port or in a folder: the machine that has these."""
    in_reach: bool = False
    trouble: str = ""
    seen_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    clock_error_s: float | None = None
    clock_set_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    status: dict[str, Any] = Field(default_factory=dict, sa_column=_json())
    inventory: list[dict[str, Any]] = Field(default_factory=list, sa_column=_json())
    setup: dict[str, Any] = Field(default_factory=dict, sa_column=_json())
    setup_revision: int = 0
    __table_args__ = (Index("recorder_in_reach", "token", postgresql_where=text("in_reach")),)


class Vehicle(SQLModel, table=True):
    """A vehicle that a logger is mounted in."""

    __tablename__ = "yard_vehicle"
    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(max_length=60)
    number: str = Field(default="", max_length=8)
    profile: str = Field(max_length=20)
    team_id: int | None = Field(default=None, sa_column=_to("team.id"))
    notes: str = Field(default="", max_length=400)
    derived: list[dict[str, Any]] = Field(default_factory=list, sa_column=_json())
    sensors: list[dict[str, Any]] = Field(default_factory=list, sa_column=_json())
    limit_set_id: int | None = Field(default=None, sa_column=_to("limit_set.id"))
    check_days: dict[str, int] = Field(default_factory=dict, sa_column=_json())
    looks: dict[str, Any] = Field(default_factory=dict, sa_column=_json())
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("length(trim(name)) > 0", name="vehicle_has_name"),
        Index("vehicle_once", "name", unique=True, postgresql_where=text("removed_at is null")),
    )


class Course(SQLModel, table=True):
    """A course in its plain form (docs/methods/vehicle.md). A change is a new row; the old one is marked."""

    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(max_length=80)
    plain: dict[str, Any] = Field(sa_column=_json())
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("plain->>'name' = name", name="course_name"),
        Index("course_once", "name", unique=True, postgresql_where=text("removed_at is null")),
    )


class SensorCheck(SQLModel, table=True):
    """A check of a recorder's sensor, a calibration among them. Added only, but for what `follows` from one that was not passed: the
    figures of the sessions before it are held, or accepted for a reason. The newest of its kind counts.

    `points` are (raw, true) by channel; `applied` and `read` what was given to the sensor and what it showed in the end, `before` what it
    showed before it was adjusted, `factor` by what its readings are multiplied since. the bottle has a gas and a `lot`, the sensor a `type` and a
    `serial` number. `made_by` is nobody where the recorder itself tells of it.
    """

    __tablename__ = "sensor_check"
    id: int | None = Field(default=None, primary_key=True)
    recorder_id: int = Field(sa_column=_to("recorder.id", nullable=False, index=False))
    what: str = Field(max_length=40)
    sensor: str = Field(default="", max_length=40)
    serial: str = Field(default="", max_length=40)
    points: dict[str, Any] = Field(default_factory=dict, sa_column=_json())
    applied: float | None = None
    before: float | None = None
    read: float | None = None
    factor: float | None = None
    unit: str = Field(default="", max_length=20)
    type: str = Field(default="", max_length=40, sa_column_kwargs={"server_default": ""})
    gas: str = Field(default="", max_length=20, sa_column_kwargs={"server_default": ""})
    lot: str = Field(default="", max_length=40, sa_column_kwargs={"server_default": ""})
    adjusted: bool = False
    passed: bool = True
    at: datetime = Field(sa_column=_time())
    due_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    certificate: str = Field(default="", max_length=120)
    note: str = Field(default="", max_length=400)
    follows: str = Field(default="", max_length=10, sa_column_kwargs={"server_default": ""})
    follows_why: str = Field(default="", max_length=200, sa_column_kwargs={"server_default": ""})
    follows_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    __table_args__ = (
        CheckConstraint("due_at is null or due_at > at", name="sensor_check_due"),
        CheckConstraint("follows in ('', 'held', 'accepted')", name="sensor_check_follows"),
        CheckConstraint("follows <> 'accepted' or length(trim(follows_why)) > 0", name="sensor_check_follows_why"),
        Index("sensor_check_once", "recorder_id", "what", "sensor", "at", unique=True),
    )


class DoubtDue(SQLModel, table=True):
    """A recorder of whose checks something has become known: what is doubted of its sessions since then is looked at anew.

    `again`: only once more, when the figures that were waiting then are there.
    """

    __tablename__ = "doubt_due"
    recorder_id: int = Field(sa_column=Column(ForeignKey("recorder.id", ondelete="CASCADE"), primary_key=True))
    since: datetime = Field(sa_column=_time())
    again: bool = Field(default=False, sa_column_kwargs={"server_default": text("false")})


class FilterFactor(SQLModel, table=True):
    """A factor of a recorder's readings from a filter loaded beside it: what was weighed (mg), drawn (m3) and read (mg/m3), what came of
    it with its expanded uncertainty, and the days that it holds for. Taken back by a mark."""

    __tablename__ = "filter_factor"
    id: int | None = Field(default=None, primary_key=True)
    recorder_id: int = Field(sa_column=_to("recorder.id", nullable=False))
    mass_mg: float
    blank_mg: float
    volume_m3: float
    u_mass_mg: float
    u_volume: float
    reading: float
    factor: float
    expanded: float
    since: date
    until: date | None = None
    note: str = Field(default="", max_length=200, sa_column_kwargs={"server_default": ""})
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("factor > 0 and expanded >= 0", name="filter_factor_positive"),
        CheckConstraint("until is null or until >= since", name="filter_factor_order"),
    )


class WallMark(SQLModel, table=True):
    """Something that was marked on the wall when it happened, of a recorder and who wore it, or of everybody who was out."""

    __tablename__ = "wall_mark"
    id: int | None = Field(default=None, primary_key=True)
    at: datetime = Field(default_factory=now, sa_column=_time(index=True))
    text: str = Field(max_length=120)
    recorder_id: int | None = Field(default=None, sa_column=_to("recorder.id"))
    person_id: int | None = Field(default=None, sa_column=_to("person.id"))
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    __table_args__ = (CheckConstraint("length(trim(text)) > 0", name="wall_mark_says_something"),)


class SpotNote(SQLModel, table=True):
    """What somebody read on a recorder that stored nothing: lowest, mean and highest since they began to look, as they were typed or seen."""

    __tablename__ = "spot_note"
    id: int | None = Field(default=None, primary_key=True)
    at: datetime = Field(default_factory=now, sa_column=_time(index=True))
    recorder_id: int = Field(sa_column=_to("recorder.id", nullable=False))
    place: str = Field(default="", max_length=120, sa_column_kwargs={"server_default": ""})
    what: str = Field(max_length=60)
    unit: str = Field(default="", max_length=20, sa_column_kwargs={"server_default": ""})
    lowest: float
    mean: float
    highest: float
    length_s: float
    text: str = Field(default="", max_length=400, sa_column_kwargs={"server_default": ""})
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    __table_args__ = (
        CheckConstraint("lowest <= mean and mean <= highest", name="spot_note_order"),
        CheckConstraint("length_s > 0", name="spot_note_length"),
    )


class Reference(SQLModel, table=True):
    """What sensors are held against: a bottle, a calibrator. `holds` its values by sensor, `left` for how many tests it lasts."""

    id: int | None = Field(default=None, primary_key=True)
    what: str = Field(max_length=20)
    name: str = Field(max_length=80)
    lot: str = Field(default="", max_length=40, sa_column_kwargs={"server_default": ""})
    holds: dict[str, float] = Field(sa_column=_json())
    left: int | None = None
    expires: date | None = None
    certificate: str = Field(default="", max_length=120, sa_column_kwargs={"server_default": ""})
    certificate_due: date | None = None
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint('"left" is null or "left" >= 0', name="reference_left"),
        CheckConstraint("length(trim(name)) > 0", name="reference_has_name"),
    )


class BenchRun(SQLModel, table=True):
    """A check of a recorder at the bench, sensor by sensor; `rows` says how far each is. One at work a recorder."""

    __tablename__ = "bench_run"
    id: int | None = Field(default=None, primary_key=True)
    recorder_id: int = Field(sa_column=_to("recorder.id", nullable=False))
    what: str = Field(max_length=40)
    reference_id: int | None = Field(default=None, sa_column=_to("reference.id", index=False))
    state: str = Field(default="running", max_length=10)
    rows: list[dict[str, Any]] = Field(sa_column=_json())
    trouble: str = Field(default="", max_length=400, sa_column_kwargs={"server_default": ""})
    stop: bool = Field(default=False, sa_column_kwargs={"server_default": text("false")})
    began_at: datetime = Field(default_factory=now, sa_column=_time())
    beat_at: datetime = Field(default_factory=now, sa_column=_time())
    ended_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    __table_args__ = (
        CheckConstraint("state in ('running', 'done', 'stopped', 'broken')", name="bench_run_state"),
        Index("bench_run_one", "recorder_id", unique=True, postgresql_where=text("state = 'running'")),
    )


class FirmwareKey(SQLModel, table=True):
    """A public key whose signature is trusted for images of recorders' programs."""

    __tablename__ = "firmware_key"
    id: int | None = Field(default=None, primary_key=True)
    key_id: str = Field(max_length=16)
    public: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    name: str = Field(max_length=80)
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("octet_length(public) = 32", name="firmware_key_public"),
        CheckConstraint("length(trim(name)) > 0", name="firmware_key_has_name"),
        Index("firmware_key_one", "key_id", unique=True, postgresql_where=text("removed_at is null")),
    )


class FirmwareImage(SQLModel, table=True):
    """A signed image in the catalogue (docs/firmware-image.md)."""

    __tablename__ = "firmware_image"
    id: int | None = Field(default=None, primary_key=True)
    kind: str = Field(max_length=40)
    models: list[str] = Field(sa_column=_json())
    version: str = Field(max_length=40)
    shows: str = Field(default="", max_length=200, sa_column_kwargs={"server_default": ""})
    notes: str = Field(default="", max_length=1000, sa_column_kwargs={"server_default": ""})
    size: int
    sha256: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    key_id: str = Field(max_length=16)
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("octet_length(sha256) = 32", name="firmware_image_sha256"),
        Index("firmware_image_one", "sha256", unique=True, postgresql_where=text("removed_at is null")),
    )


class FirmwareFile(SQLModel, table=True):
    """An image's file as it was added: apart from what lists read."""

    __tablename__ = "firmware_file"
    image_id: int | None = Field(
        default=None, sa_column=Column(ForeignKey("firmware_image.id", ondelete="RESTRICT"), primary_key=True)
    )
    data: bytes = Field(sa_column=Column(LargeBinary, nullable=False))


class FirmwareUpdate(SQLModel, table=True):
    """An image on its way onto a recorder. One that has not ended goes on, whatever cut it; one a recorder.

    `was` is the version before, `sent` the bytes that the recorder has, `trouble` why it does not go on just now, or how it ended;
    `locked`: the recorder asks for its passcode, which is kept nowhere.
    """

    __tablename__ = "firmware_update"
    id: int | None = Field(default=None, primary_key=True)
    recorder_id: int = Field(sa_column=_to("recorder.id", nullable=False))
    image_id: int = Field(sa_column=_to("firmware_image.id", index=False, nullable=False))
    state: str = Field(default="waits", max_length=10)
    was: str = Field(default="", max_length=40, sa_column_kwargs={"server_default": ""})
    sent: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    trouble: str = Field(default="", max_length=400, sa_column_kwargs={"server_default": ""})
    locked: bool = Field(default=False, sa_column_kwargs={"server_default": text("false")})
    stop: bool = Field(default=False, sa_column_kwargs={"server_default": text("false")})
    began_at: datetime = Field(default_factory=now, sa_column=_time())
    beat_at: datetime = Field(default_factory=now, sa_column=_time())
    ended_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    __table_args__ = (
        CheckConstraint(
            "state in ('waits', 'sends', 'starts', 'done', 'failed', 'stopped')", name="firmware_update_state"
        ),
        CheckConstraint("(ended_at is null) = (state in ('waits', 'sends', 'starts'))", name="firmware_update_ended"),
        Index("firmware_update_one", "recorder_id", unique=True, postgresql_where=text("ended_at is null")),
    )


class RadioVisit(SQLModel, table=True):
    """A machine in the radio network that a recorder opens: what it left (`left_profile`, as its radio names it) it comes back to.

    `stays`: not only until everything is taken in. One a machine at a time; the network's key stands nowhere.
    """

    __tablename__ = "radio_visit"
    id: int | None = Field(default=None, primary_key=True)
    machine: str = Field(max_length=120)
    network: str = Field(max_length=32)
    device: str = Field(default="", max_length=40, sa_column_kwargs={"server_default": ""})
    left_profile: str = Field(default="", max_length=64, sa_column_kwargs={"server_default": ""})
    left_network: str = Field(default="", max_length=32, sa_column_kwargs={"server_default": ""})
    recorder_id: int | None = Field(default=None, sa_column=_to("recorder.id"))
    state: str = Field(default="joins", max_length=10)
    sessions: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    trouble: str = Field(default="", max_length=400, sa_column_kwargs={"server_default": ""})
    stop: bool = Field(default=False, sa_column_kwargs={"server_default": text("false")})
    stays: bool = Field(default=False, sa_column_kwargs={"server_default": text("false")})
    stay_until: datetime = Field(sa_column=_time())
    began_at: datetime = Field(default_factory=now, sa_column=_time())
    beat_at: datetime = Field(default_factory=now, sa_column=_time())
    ended_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    __table_args__ = (
        CheckConstraint("state in ('joins', 'there', 'back', 'done', 'failed')", name="radio_visit_state"),
        CheckConstraint("(ended_at is null) = (state in ('joins', 'there', 'back'))", name="radio_visit_ended"),
        Index("radio_visit_one", "machine", unique=True, postgresql_where=text("ended_at is null")),
    )


class Certificate(SQLModel, table=True):
    """What a check came to, on paper: numbered without holes, frozen as it was printed. Revoked by a mark, never deleted."""

    id: int | None = Field(default=None, primary_key=True)
    number: str = Field(max_length=20, unique=True)
    recorder_id: int = Field(sa_column=_to("recorder.id", nullable=False))
    run_id: int | None = Field(
        default=None, sa_column=Column(ForeignKey("bench_run.id", ondelete="RESTRICT"), unique=True)
    )
    title: str = Field(max_length=120)
    passed: bool
    pdf: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    sha256: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    made_at: datetime = Field(default_factory=now, sa_column=_time(index=True))
    made_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    revoked_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    revoked_by: int | None = Field(default=None, sa_column=_to("account.id", index=False))
    revoked_why: str = Field(default="", max_length=200, sa_column_kwargs={"server_default": ""})
    __table_args__ = (
        CheckConstraint("octet_length(sha256) = 32", name="certificate_sha256"),
        CheckConstraint("revoked_at is null or length(trim(revoked_why)) > 0", name="certificate_revoked_why"),
    )


class Setup(SQLModel, table=True):
    """Settings as they were written to a recorder."""

    id: int | None = Field(default=None, primary_key=True)
    kind: str = Field(max_length=40, index=True)
    name: str = Field(max_length=80)
    settings: dict[str, Any] = Field(sa_column=_json())
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))


class KeptSetup(SQLModel, table=True):
    """A named setup of one's own, for a kind and for one team or everybody. Nothing about a person is in it."""

    __tablename__ = "kept_setup"
    id: int | None = Field(default=None, primary_key=True)
    kind: str = Field(max_length=40)
    team_id: int | None = Field(default=None, sa_column=_to("team.id"))
    name: str = Field(max_length=60)
    settings: dict[str, Any] = Field(sa_column=_json())
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        Index(
            "kept_setup_once",
            "kind",
            text("coalesce(team_id, 0)"),
            "name",
            unique=True,
            postgresql_where=text("removed_at is null"),
        ),
    )


class Writing(SQLModel, table=True):
    """A hand-over that was begun: kept before the recorder is written, gone when the slip is on record. One that is left over was
    cut off in the middle; its id stands in the slip on the recorder when the settings arrived there."""

    id: uuid.UUID = Field(default_factory=uuid.uuid4, primary_key=True)
    recorder_id: int = Field(sa_column=_to("recorder.id", nullable=False))
    person_id: int = Field(sa_column=_to("person.id", nullable=False))
    setup_id: int = Field(sa_column=_to("setup.id", nullable=False))
    begun_at: datetime = Field(default_factory=now, sa_column=_time())
    begun_by: int | None = Field(default=None, sa_column=_to("account.id"))
    expected_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    tags: dict[str, str] = Field(default_factory=dict, sa_column=_json())
    instead_of: uuid.UUID | None = None


class HandOver(SQLModel, table=True):
    """The slip: recorder, person and setup, from - to. A recorder has one open hand-over at most."""

    __tablename__ = "hand_over"
    id: uuid.UUID = Field(default_factory=uuid.uuid4, primary_key=True)
    recorder_id: int = Field(sa_column=_to("recorder.id", nullable=False))
    person_id: int = Field(sa_column=_to("person.id", nullable=False))
    setup_id: int = Field(sa_column=_to("setup.id", nullable=False))
    given_at: datetime = Field(default_factory=now, sa_column=_time())
    given_by: int | None = Field(default=None, sa_column=_to("account.id"))
    expected_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    returned_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    clock_error_s: float | None = None
    tags: dict[str, str] = Field(default_factory=dict, sa_column=_json())
    instead_of: uuid.UUID | None = Field(default=None, sa_column=_to("hand_over.id", index=False))
    __table_args__ = (
        CheckConstraint("returned_at is null or returned_at >= given_at", name="hand_over_order"),
        Index("hand_over_one_open", "recorder_id", unique=True, postgresql_where=text("returned_at is null")),
    )


_LISTED = "state = 'stored' and deleted_at is null and aside = ''"
_NEWEST_FIRST = (text("started_at desc"), text("id desc"))


class Session(SQLModel, table=True):
    """One recording. Invisible while `state` is arriving; the step to stored is one transaction."""

    __tablename__ = "session"
    id: int | None = Field(default=None, primary_key=True)
    serial: str = Field(max_length=64)
    recorder_session: str = Field(max_length=64)
    sha256: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    recorder_id: int | None = Field(default=None, sa_column=_to("recorder.id"))
    kind: str = Field(max_length=40)
    state: str = Field(default="arriving", max_length=10)
    person_id: int | None = Field(default=None, sa_column=_to("person.id"))
    hand_over_id: uuid.UUID | None = Field(default=None, sa_column=_to("hand_over.id"))
    started_at: datetime = Field(sa_column=_time(index=True))
    utc_offset_min: int = 0
    length_s: float = 0
    size: int = Field(default=0, sa_column=Column(BigInteger, nullable=False))
    received: int = Field(default=0, sa_column=Column(BigInteger, nullable=False))
    trouble: str = ""
    wish: dict[str, Any] = Field(default_factory=dict, sa_column=_json())
    aside: str = Field(default="", max_length=120)
    clock_error_s: float | None = None
    clock_shift_s: float = 0
    note: str = ""
    head: dict[str, Any] = Field(default_factory=dict, sa_column=_json())
    taken_in_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    taken_in_by: int | None = Field(default=None, sa_column=_to("account.id"))
    deleted_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    review_version: int = 0
    figures: str = Field(default="waiting", max_length=10, sa_column_kwargs={"server_default": "waiting"})
    failure: str = Field(default="", max_length=400, sa_column_kwargs={"server_default": ""})
    begun: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    """How often its figures were begun without coming to an end, good or bad: the process ended meanwhile."""
    verdict: str = Field(default="", max_length=30)
    verdict_step: str = Field(default="", max_length=80, sa_column_kwargs={"server_default": ""})
    key_figure: str = Field(default="", max_length=80)
    course: str = Field(default="", max_length=80, sa_column_kwargs={"server_default": ""})
    """The course of the register that it was driven on; empty where it was none."""
    signed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    reported_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    """When its last report was issued; kept by the database itself."""
    purged_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    """When everything of it but this row was removed for good."""
    words: str = Field(default="", sa_column=Column(Text, nullable=False, server_default=""))
    """What it is found by: whose, on what, its tags; kept by the database itself."""
    __table_args__ = (
        UniqueConstraint("serial", "recorder_session", "sha256", name="session_once"),
        CheckConstraint("state in ('arriving', 'stored')", name="session_state"),
        CheckConstraint("figures in ('waiting', 'assessed', 'failed')", name="session_figures"),
        CheckConstraint("octet_length(sha256) = 32", name="session_sha256"),
        CheckConstraint("length_s >= 0", name="session_length"),
        CheckConstraint("purged_at is null or deleted_at is not null", name="session_purged"),
        Index("session_deleted", "deleted_at", postgresql_where=text("deleted_at is not null and purged_at is null")),
        Index(
            "session_waiting",
            "signed_at",
            "started_at",
            postgresql_where=text("state = 'stored' and deleted_at is null and aside = ''"),
        ),
        Index("session_course", "course", "started_at", postgresql_where=text("course <> ''")),
        Index("session_unassessed", "id", postgresql_where=text("state = 'stored' and figures = 'waiting'")),
        Index("session_arriving", "id", postgresql_where=text("state = 'arriving'")),
        Index("session_of_kind", "kind", "id", postgresql_where=text("state = 'stored' and figures = 'assessed'")),
        Index("session_by_words", "words", postgresql_using="gin", postgresql_ops={"words": "gin_trgm_ops"}),
        Index("session_listed", *_NEWEST_FIRST, postgresql_where=text(_LISTED)),
        Index("session_by_length", "length_s", "id", postgresql_where=text(_LISTED)),
        Index("session_by_verdict", "verdict", "id", postgresql_where=text(_LISTED)),
        Index("session_urgent", "verdict", "started_at", postgresql_where=text(f"{_LISTED} and signed_at is null")),
        Index(
            "session_by_kind", "kind", *_NEWEST_FIRST, postgresql_include=["person_id"], postgresql_where=text(_LISTED)
        ),
        Index("session_of_person", "person_id", *_NEWEST_FIRST, postgresql_where=text(_LISTED)),
        Index(
            "session_unreported",
            "started_at",
            postgresql_where=text(
                f"{_LISTED} and signed_at is not null and (reported_at is null or reported_at < signed_at)"
            ),
        ),
    )


class Channel(SQLModel, table=True):
    session_id: int = Field(sa_column=Column(ForeignKey("session.id", ondelete="CASCADE"), primary_key=True))
    index: int = Field(primary_key=True)
    key: str = Field(max_length=60)
    name: str = Field(max_length=120)
    unit: str = Field(max_length=30)
    interval_s: float
    samples: int = Field(sa_column=Column(BigInteger, nullable=False))
    __table_args__ = (
        UniqueConstraint("session_id", "key", name="channel_key_once"),
        CheckConstraint("interval_s > 0", name="channel_interval"),
    )


class Block(SQLModel, table=True):
    """An item of the recording file, verbatim; in the order of `at` they are the file, bit for bit."""

    session_id: int = Field(sa_column=Column(ForeignKey("session.id", ondelete="CASCADE"), primary_key=True))
    at: int = Field(sa_column=Column(BigInteger, primary_key=True))
    what: str = Field(max_length=5)
    channel: int | None = None
    first: int | None = Field(default=None, sa_column=Column(BigInteger))
    count: int | None = None
    item: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    __table_args__ = (
        CheckConstraint("what in ('head', 'block', 'event', 'tail')", name="block_what"),
        CheckConstraint("(what = 'block') = (channel is not null)", name="block_channel"),
        Index("block_by_channel", "session_id", "channel", "first"),
    )


class Pyramid(SQLModel, table=True):
    """Minimum, maximum and mean of runs of 16^level samples, float32, up to 4,096 cells a row."""

    session_id: int = Field(sa_column=Column(ForeignKey("session.id", ondelete="CASCADE"), primary_key=True))
    channel: int = Field(primary_key=True)
    level: int = Field(primary_key=True)
    first: int = Field(primary_key=True)
    cells: bytes = Field(sa_column=Column(LargeBinary, nullable=False))


class Decision(SQLModel, table=True):
    """One thing a reviewer decided. Taken away by a mark, so that it can come back.

    `what`: a stretch (left out, task, asleep) has `start_s` and `end_s`; an event dropped or kept has its name in `key`, as has
    one that was given a type or an edge, with that in `value`; a
    setting has its name in `key` and a `value`; an accepted finding its code in `key`. `reason` says why, or names the task.
    `version` is the version of the review that it made.
    """

    id: int | None = Field(default=None, primary_key=True)
    session_id: int = Field(sa_column=_to("session.id", delete="CASCADE", nullable=False))
    what: str = Field(max_length=10)
    key: str = Field(default="", max_length=120)
    start_s: float | None = None
    end_s: float | None = None
    value: Any = Field(default=None, sa_column=_json(nullable=True))
    reason: str = Field(default="", max_length=400)
    version: int
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint(
            "what in ('left out', 'task', 'asleep', 'dropped', 'kept', 'edge', 'type', 'setting', 'accepted')",
            name="decision_what",
        ),
        CheckConstraint(
            "(what in ('left out', 'task', 'asleep')) = (start_s is not null and end_s is not null)",
            name="decision_stretch",
        ),
        CheckConstraint("end_s is null or (end_s > start_s and start_s >= 0)", name="decision_order"),
        CheckConstraint(
            "what not in ('left out', 'dropped', 'accepted') or length(trim(reason)) > 0", name="decision_has_reason"
        ),
        CheckConstraint("(what in ('left out', 'task', 'asleep')) = (key = '')", name="decision_key"),
        Index(
            "decision_once",
            "session_id",
            "what",
            "key",
            unique=True,
            postgresql_where=text("removed_at is null and key <> ''"),
        ),
    )


class Event(SQLModel, table=True):
    id: int | None = Field(default=None, primary_key=True)
    session_id: int = Field(sa_column=_to("session.id", delete="CASCADE", nullable=False))
    at_s: float
    code: str = Field(max_length=40)
    text: str = ""
    data: dict[str, Any] = Field(default_factory=dict, sa_column=_json())


class Tag(SQLModel, table=True):
    session_id: int = Field(sa_column=Column(ForeignKey("session.id", ondelete="CASCADE"), primary_key=True))
    key: str = Field(primary_key=True, max_length=30)
    value: str = Field(max_length=200, index=True)
    __table_args__ = (CheckConstraint("length(trim(value)) > 0", name="tag_value"),)


class Intervention(SQLModel, table=True):
    """Something that was changed on a day, for one person, one team, or at one place; a mistake is marked as removed."""

    id: int | None = Field(default=None, primary_key=True)
    day: date
    words: str = Field(max_length=120)
    person_id: int | None = Field(default=None, sa_column=_to("person.id"))
    team_id: int | None = Field(default=None, sa_column=_to("team.id"))
    place: str = Field(default="", max_length=200)
    noted_at: datetime = Field(default_factory=now, sa_column=_time())
    noted_by: int | None = Field(default=None, sa_column=_to("account.id"))
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("length(trim(words)) > 0", name="intervention_has_words"),
        CheckConstraint(
            "(person_id is not null)::int + (team_id is not null)::int + (place <> '')::int = 1",
            name="intervention_of_one",
        ),
    )


class LimitSetRow(SQLModel, table=True):
    """A version of a limit set: it holds for what starts on its day or later. Shipped ones are read-only."""

    __tablename__ = "limit_set"
    id: int | None = Field(default=None, primary_key=True)
    key: str = Field(max_length=60)
    kind: str = Field(max_length=40, index=True)
    name: str = Field(max_length=120)
    issuer: str = Field(max_length=120)
    version: str = Field(max_length=60)
    valid_from: date
    shipped: bool = True
    data: dict[str, Any] = Field(sa_column=_json())
    why: str = Field(default="", max_length=200, sa_column_kwargs={"server_default": ""})
    __table_args__ = (UniqueConstraint("key", "version", name="limit_set_version_once"),)


class LookoutTerm(SQLModel, table=True):
    """Which lookout leads, for the networks (`area` empty) and for the ports and folders of each machine (its name): the number of its
    term, the machine, since when; where its channel is, and the secret that opens it; what it sees where ports and folders are looked for."""

    __tablename__ = "lookout_term"
    area: str = Field(default="", primary_key=True, max_length=120)
    term: int = Field(sa_column=Column(BigInteger, nullable=False))
    machine: str = Field(default="", max_length=120)
    since: datetime = Field(default_factory=now, sa_column=_time())
    exchange: str = Field(default="", max_length=120)
    secret: str = Field(default="", max_length=64)
    sees: list[dict[str, Any]] = Field(default_factory=list, sa_column=_json())


class Setting(SQLModel, table=True):
    """A setting of the site, of a team or of a kind as somebody set it; the newest row counts, null is as shipped. Never changed."""

    id: int | None = Field(default=None, primary_key=True)
    key: str = Field(max_length=80)
    scope: str = Field(max_length=8)
    of: str = Field(default="", max_length=120)
    value: Any = Field(default=None, sa_column=Column(JSONB(none_as_null=True)))
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    __table_args__ = (
        CheckConstraint("scope in ('site', 'team', 'kind')", name="setting_scope"),
        CheckConstraint("(scope = 'site') = (of = '')", name="setting_of"),
        Index("setting_newest", "key", "scope", "of", "id"),
    )


class Result(SQLModel, table=True):
    """An assessment on one basis, with everything it came from. Appended; the newest of a basis counts.

    `content` is the assessment, `limits` and `decisions` what it was made with, in their full form: a figure can be recomputed
    years later, whatever has become of the limit set.
    """

    id: int | None = Field(default=None, primary_key=True)
    session_id: int = Field(sa_column=_to("session.id", delete="CASCADE", nullable=False, index=False))
    basis: str = Field(max_length=12)
    method: str = Field(max_length=40)
    limit_set_id: int = Field(sa_column=_to("limit_set.id", nullable=False))
    limits: dict[str, Any] = Field(sa_column=_json())
    decisions: dict[str, Any] = Field(sa_column=_json())
    verdict: str = Field(max_length=30)
    content: dict[str, Any] = Field(sa_column=_json())
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    __table_args__ = (
        CheckConstraint("basis in ('as recorded', 'as reviewed')", name="result_basis"),
        Index("result_newest", "session_id", "basis", "id"),
    )


class FigureValue(SQLModel, table=True):
    """The figures of the newest reviewed results as numbers, for lists, trends and groups; null where not measured."""

    __tablename__ = "figure_value"
    session_id: int = Field(sa_column=Column(ForeignKey("session.id", ondelete="CASCADE"), primary_key=True))
    key: str = Field(primary_key=True, max_length=80)
    value: float | None = None
    unit: str = Field(max_length=30)
    coverage: float
    projected: bool = Field(default=False, sa_column_kwargs={"server_default": text("false")})
    """Whether it stands for more than was measured."""
    verdict: str = Field(default="", max_length=30)
    method: str = Field(max_length=40)
    kind: str = Field(max_length=40)
    __table_args__ = (
        Index("figure_value_by_number", "key", "value", "session_id"),
        Index("figure_value_by_kind", "key", "kind", "value", "session_id", postgresql_include=["verdict", "coverage"]),
    )


class Change(SQLModel, table=True):
    """One step of a review: the decisions it added and those it took away. `undone` steps can be done again."""

    __tablename__ = "review_change"
    id: int | None = Field(default=None, primary_key=True)
    session_id: int = Field(sa_column=_to("session.id", delete="CASCADE", nullable=False))
    text: str
    added: list[int] = Field(default_factory=list, sa_column=_json())
    removed: list[int] = Field(default_factory=list, sa_column=_json())
    undone: bool = False
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    made_at: datetime = Field(default_factory=now, sa_column=_time())


class Conclusion(SQLModel, table=True):
    """What a person concluded, while it is being written. What was signed stands in the signature."""

    session_id: int = Field(sa_column=Column(ForeignKey("session.id", ondelete="CASCADE"), primary_key=True))
    text: str = ""
    version: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    written_by: int | None = Field(default=None, sa_column=_to("account.id"))
    written_at: datetime = Field(default_factory=now, sa_column=_time())


class Signature(SQLModel, table=True):
    """A sign-off: who, when, and just what was signed. Kept when the session is opened again, with the reason for that.

    `recorded_id` and `reviewed_id` are the results that were signed, `facts` the person, tags and times as they were
    named then, `pages` every part of the report as it stood.
    """

    id: int | None = Field(default=None, primary_key=True)
    session_id: int = Field(sa_column=_to("session.id", delete="CASCADE", nullable=False))
    signed_by: int = Field(sa_column=_to("account.id", nullable=False))
    signed_at: datetime = Field(default_factory=now, sa_column=_time())
    recorded_id: int | None = Field(default=None, sa_column=_to("result.id"))
    reviewed_id: int | None = Field(default=None, sa_column=_to("result.id"))
    review_version: int
    conclusion: str = ""
    facts: dict[str, Any] = Field(default_factory=dict, sa_column=_json())
    pages: dict[str, Any] | None = Field(default=None, sa_column=_json(nullable=True))
    opened_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    opened_by: int | None = Field(default=None, sa_column=_to("account.id"))
    opened_why: str = Field(default="", max_length=400)
    __table_args__ = (
        CheckConstraint(
            "opened_at is null or (opened_by is not null and length(trim(opened_why)) > 0)", name="signature_opened_why"
        ),
        Index("signature_in_force", "session_id", unique=True, postgresql_where=text("opened_at is null")),
    )


class MeasuredGroup(SQLModel, table=True):
    """A group of people whose measurements of a kind are looked at together; who and which, its versions say. The conclusion is kept here
    while it is written."""

    __tablename__ = "measured_group"
    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(max_length=120)
    kind: str = Field(max_length=40)
    conclusion: str = Field(default="", sa_column=Column(Text, nullable=False, server_default=""))
    conclusion_version: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("length(trim(name)) > 0", name="measured_group_has_name"),
        Index("measured_group_once", "name", unique=True, postgresql_where=text("removed_at is null")),
    )


class MeasuredGroupVersion(SQLModel, table=True):
    """Who is in a group, which of their measurements count and against what; the highest number holds."""

    __tablename__ = "measured_group_version"
    id: int | None = Field(default=None, primary_key=True)
    group_id: int = Field(sa_column=_to("measured_group.id", delete="CASCADE", nullable=False))
    number: int
    wish: dict[str, Any] = Field(sa_column=_json())
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    __table_args__ = (UniqueConstraint("group_id", "number", name="measured_group_version_once"),)


class GroupSignature(SQLModel, table=True):
    """A group's conclusion as it was signed: with the version of the group, each value that counted, and every part of its page."""

    __tablename__ = "group_signature"
    id: int | None = Field(default=None, primary_key=True)
    group_id: int = Field(sa_column=_to("measured_group.id", nullable=False))
    number: int
    conclusion: str = Field(sa_column=Column(Text, nullable=False))
    frozen: dict[str, Any] = Field(sa_column=_json())
    signed_at: datetime = Field(default_factory=now, sa_column=_time())
    signed_by: int = Field(sa_column=_to("account.id", nullable=False))
    opened_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    opened_by: int | None = Field(default=None, sa_column=_to("account.id"))
    opened_why: str = Field(default="", max_length=400, sa_column_kwargs={"server_default": ""})
    __table_args__ = (
        CheckConstraint(
            "opened_at is null or (opened_by is not null and length(trim(opened_why)) > 0)",
            name="group_signature_opened_why",
        ),
        Index("group_signature_in_force", "group_id", unique=True, postgresql_where=text("opened_at is null")),
    )


class ReportSession(SQLModel, table=True):
    """Which sessions stand in a report."""

    __tablename__ = "report_session"
    report_id: int = Field(sa_column=Column(ForeignKey("report.id", ondelete="CASCADE"), primary_key=True))
    session_id: int = Field(
        sa_column=Column(ForeignKey("session.id", ondelete="RESTRICT"), primary_key=True, index=True)
    )


class Report(SQLModel, table=True):
    """An issued report: frozen with its bytes, hash, document and limits. `session_id` is its (first) session; one of a group has none."""

    id: int | None = Field(default=None, primary_key=True)
    number: str = Field(unique=True, max_length=30)
    session_id: int | None = Field(default=None, sa_column=_to("session.id"))
    group_id: int | None = Field(default=None, sa_column=_to("measured_group.id"))
    person_id: int | None = Field(default=None, sa_column=_to("person.id"))
    title: str = Field(max_length=300)
    document: dict[str, Any] = Field(sa_column=_json())
    limits: dict[str, Any] = Field(sa_column=_json())
    pages: int
    pdf: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    sha256: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    issued_at: datetime = Field(default_factory=now, sa_column=_time())
    issued_by: int | None = Field(default=None, sa_column=_to("account.id"))
    __table_args__ = (
        CheckConstraint("sha256(pdf) = sha256", name="report_frozen"),
        CheckConstraint("session_id is not null or group_id is not null", name="report_of_something"),
        Index("report_newest", text("issued_at desc"), text("id desc")),
        Index(
            "report_by_words",
            "title",
            "number",
            postgresql_using="gin",
            postgresql_ops={"title": "gin_trgm_ops", "number": "gin_trgm_ops"},
        ),
    )


class Counter(SQLModel, table=True):
    """The last number given of what is numbered without holes; its row is locked by whoever takes the next."""

    name: str = Field(primary_key=True, max_length=40)
    value: int = Field(sa_column=Column(BigInteger, nullable=False))
    __table_args__ = (CheckConstraint("value >= 0", name="counter_value"),)


class Request(SQLModel, table=True):
    """Something that a browser asked for under a key of its own, and what was answered: asked again, it is not done again."""

    key: str = Field(primary_key=True, max_length=64)
    at: datetime = Field(default_factory=now, sa_column=_time(index=True))
    status: int | None = None
    answer: dict[str, Any] | None = Field(default=None, sa_column=_json(nullable=True))


class Deed(SQLModel, table=True):
    """Who did what, on whom, before and after. Added only: a trigger refuses every change."""

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    at: datetime = Field(default_factory=now, sa_column=_time())
    who: int | None = Field(default=None, sa_column=_to("account.id"))
    what: str = Field(max_length=40)
    on_what: str = Field(max_length=20)
    on_id: str = Field(max_length=64)
    before: dict[str, Any] | None = Field(default=None, sa_column=_json(nullable=True))
    after: dict[str, Any] | None = Field(default=None, sa_column=_json(nullable=True))
    __table_args__ = (Index("deed_on", "on_what", "on_id", "id"),)


metadata = SQLModel.metadata


class Mail(SQLModel, table=True):
    """A report on its way by e-mail, or that went: to whom, as what, when; what the mail server said where it did not take it."""

    __tablename__ = "mail"
    id: int | None = Field(default=None, primary_key=True)
    report_id: int = Field(sa_column=_to("report.id", nullable=False))
    recipient: str = Field(max_length=254)
    forms: list[str] = Field(sa_column=_json())
    note: str = Field(default="", max_length=4000)
    size: int = 0
    message_id: str = Field(max_length=200)
    state: str = Field(default="waiting", max_length=10)
    tries: int = 0
    problem: str = Field(default="", max_length=400)
    asked_at: datetime = Field(default_factory=now, sa_column=_time())
    asked_by: int | None = Field(default=None, sa_column=_to("account.id"))
    next_at: datetime = Field(default_factory=now, sa_column=_time())
    sent_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("state in ('waiting', 'sent', 'refused')", name="mail_state"),
        CheckConstraint("(state = 'sent') = (sent_at is not null)", name="mail_sent"),
        Index("mail_waiting", "next_at", postgresql_where=text("state = 'waiting'")),
    )


class ReportBatch(SQLModel, table=True):
    """Reports for many in one go: what was wished, by whom, how far it is. `stopped` ones go on when somebody wishes it."""

    __tablename__ = "report_batch"
    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(max_length=200)
    wish: dict[str, Any] = Field(sa_column=_json())
    state: str = Field(default="going", max_length=10)
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    ended_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (CheckConstraint("state in ('going', 'stopped', 'done')", name="report_batch_state"),)


class ReportBatchItem(SQLModel, table=True):
    """One report of a batch, in their order: of one or several sessions of somebody, or of a group; what became of it, and of its mail."""

    __tablename__ = "report_batch_item"
    id: int | None = Field(default=None, primary_key=True)
    batch_id: int = Field(sa_column=_to("report_batch.id", delete="CASCADE", nullable=False))
    at: int
    who: str = Field(max_length=200)
    sessions: list[int] = Field(default_factory=list, sa_column=_json())
    group_id: int | None = Field(default=None, sa_column=_to("measured_group.id"))
    recipient: str = Field(default="", max_length=254)
    state: str = Field(default="waiting", max_length=10)
    problem: str = Field(default="", max_length=400)
    report_id: int | None = Field(default=None, sa_column=_to("report.id"))
    mail_id: int | None = Field(default=None, sa_column=_to("mail.id"))
    __table_args__ = (
        UniqueConstraint("batch_id", "at", name="report_batch_item_order"),
        CheckConstraint("state in ('waiting', 'issued', 'failed')", name="report_batch_item_state"),
        CheckConstraint("(state = 'issued') = (report_id is not null)", name="report_batch_item_issued"),
    )


class PlanRule(SQLModel, table=True):
    """Who is to be measured how often: each of a team, or one person, `count` recordings of a kind every `every_days`; or once so many days
    `after` a change of medicine. `starts`: before that day nobody is late."""

    __tablename__ = "plan_rule"
    id: int | None = Field(default=None, primary_key=True)
    kind: str = Field(max_length=40)
    team_id: int | None = Field(default=None, sa_column=_to("team.id"))
    person_id: int | None = Field(default=None, sa_column=_to("person.id"))
    count: int = 1
    every_days: int
    after: str = Field(default="", max_length=20)
    starts: date
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (
        CheckConstraint("(team_id is not null)::int + (person_id is not null)::int = 1", name="plan_rule_of_one"),
        CheckConstraint("count between 1 and 100", name="plan_rule_count"),
        CheckConstraint("every_days between 1 and 4000", name="plan_rule_every"),
        CheckConstraint("after in ('', 'medicine')", name="plan_rule_after"),
    )


class PlanDay(SQLModel, table=True):
    """The day that somebody chose for a person under a rule; it holds until that measurement is done, or the day is over."""

    __tablename__ = "plan_day"
    rule_id: int = Field(sa_column=Column(ForeignKey("plan_rule.id", ondelete="CASCADE"), primary_key=True))
    person_id: int = Field(sa_column=Column(ForeignKey("person.id", ondelete="CASCADE"), primary_key=True, index=True))
    day: date
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))


class PersonAway(SQLModel, table=True):
    """Days on which somebody is away, both ends counted; taken back by a mark."""

    __tablename__ = "person_away"
    id: int | None = Field(default=None, primary_key=True)
    person_id: int = Field(sa_column=_to("person.id", delete="CASCADE", nullable=False))
    since: date
    until: date
    why: str = Field(default="", max_length=80)
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    made_by: int | None = Field(default=None, sa_column=_to("account.id"))
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (CheckConstraint("until >= since", name="person_away_order"),)


class Token(SQLModel, table=True):
    """A secret word that opens one thing without a sign-in, such as a calendar feed; only its hash is kept."""

    __tablename__ = "token"
    id: int | None = Field(default=None, primary_key=True)
    hash: bytes = Field(sa_column=Column(LargeBinary, nullable=False, unique=True))
    what: str = Field(max_length=20)
    named: bool = False
    name: str = Field(default="", max_length=120)
    account_id: int = Field(sa_column=_to("account.id", nullable=False))
    made_at: datetime = Field(default_factory=now, sa_column=_time())
    used_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    removed_at: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    until: datetime | None = Field(default=None, sa_column=_time(nullable=True))
    __table_args__ = (CheckConstraint("octet_length(hash) = 32", name="token_hash"),)
