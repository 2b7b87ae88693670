"""Results are appended and pinned by signatures; every decision of a review stands in one table.

What was decided, undone and signed before is carried over: stretches and settings become decisions, steps name the decisions
they added and took away, assessments become results, and a signed conclusion a signature of the results it was signed with.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

SETTINGS = ("limit_set_id", "working_day_s", "attenuation_db")
OWN = ("working_day_s", "attenuation_db")


def upgrade() -> None:
    _make_tables()
    bind = op.get_bind()
    _carry_decisions(bind)
    _carry_results(bind)
    _carry_signatures(bind)
    op.drop_table("stretch")
    op.drop_table("assessment")
    op.drop_column("review_change", "forth")
    op.drop_column("review_change", "back")
    for column in (*SETTINGS, "accepted"):
        op.drop_column("session", column)
    op.drop_constraint("conclusion_signed_by_somebody", "conclusion")
    op.drop_column("conclusion", "signed_by")
    op.drop_column("conclusion", "signed_at")


def downgrade() -> None:
    # Refused on purpose: signatures and results have no place in the older form, and none of them may be lost.
    raise RuntimeError("what was signed cannot be put back into the older form; use a copy of the database from before")


def _make_tables() -> None:
    op.create_table(
        "decision",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("session_id", sa.Integer(), sa.ForeignKey("session.id", ondelete="CASCADE"), nullable=False),
        sa.Column("what", sa.String(10), nullable=False),
        sa.Column("key", sa.String(120), nullable=False),
        sa.Column("start_s", sa.Float()),
        sa.Column("end_s", sa.Float()),
        sa.Column("value", JSONB(none_as_null=True)),
        sa.Column("reason", sa.String(400), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint(
            "what in ('left out', 'task', 'asleep', 'dropped', 'kept', 'setting', 'accepted')", name="decision_what"
        ),
        sa.CheckConstraint(
            "(what in ('left out', 'task', 'asleep')) = (start_s is not null and end_s is not null)",
            name="decision_stretch",
        ),
        sa.CheckConstraint("end_s is null or (end_s > start_s and start_s >= 0)", name="decision_order"),
        sa.CheckConstraint(
            "what not in ('left out', 'dropped', 'accepted') or length(trim(reason)) > 0", name="decision_has_reason"
        ),
        sa.CheckConstraint("(what in ('left out', 'task', 'asleep')) = (key = '')", name="decision_key"),
    )
    op.create_index("ix_decision_session_id", "decision", ["session_id"])
    op.create_index("ix_decision_made_by", "decision", ["made_by"])
    op.create_index(
        "decision_once",
        "decision",
        ["session_id", "what", "key"],
        unique=True,
        postgresql_where=sa.text("removed_at is null and key <> ''"),
    )
    op.create_table(
        "result",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("session_id", sa.Integer(), sa.ForeignKey("session.id", ondelete="CASCADE"), nullable=False),
        sa.Column("basis", sa.String(12), nullable=False),
        sa.Column("method", sa.String(40), nullable=False),
        sa.Column("limit_set_id", sa.Integer(), sa.ForeignKey("limit_set.id", ondelete="RESTRICT"), nullable=False),
        sa.Column("limits", JSONB(), nullable=False),
        sa.Column("decisions", JSONB(), nullable=False),
        sa.Column("verdict", sa.String(30), nullable=False),
        sa.Column("content", JSONB(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("basis in ('as recorded', 'as reviewed')", name="result_basis"),
    )
    op.create_index("result_newest", "result", ["session_id", "basis", "id"])
    op.create_index("ix_result_limit_set_id", "result", ["limit_set_id"])
    op.create_table(
        "figure_value",
        sa.Column("session_id", sa.Integer(), sa.ForeignKey("session.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("basis", sa.String(12), primary_key=True),
        sa.Column("key", sa.String(80), primary_key=True),
        sa.Column("value", sa.Float()),
        sa.Column("unit", sa.String(30), nullable=False),
        sa.Column("coverage", sa.Float(), nullable=False),
        sa.Column("verdict", sa.String(30), nullable=False),
        sa.Column("method", sa.String(40), nullable=False),
    )
    op.create_index("figure_value_by_number", "figure_value", ["key", "basis", "value", "session_id"])
    op.create_table(
        "signature",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("session_id", sa.Integer(), sa.ForeignKey("session.id", ondelete="CASCADE"), nullable=False),
        sa.Column("signed_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT"), nullable=False),
        sa.Column("signed_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("recorded_id", sa.Integer(), sa.ForeignKey("result.id", ondelete="RESTRICT")),
        sa.Column("reviewed_id", sa.Integer(), sa.ForeignKey("result.id", ondelete="RESTRICT")),
        sa.Column("review_version", sa.Integer(), nullable=False),
        sa.Column("conclusion", sa.String(), nullable=False),
        sa.Column("facts", JSONB(), nullable=False),
        sa.Column("pages", JSONB(none_as_null=True)),
        sa.Column("opened_at", sa.DateTime(timezone=True)),
        sa.Column("opened_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("opened_why", sa.String(400), nullable=False),
        sa.CheckConstraint(
            "opened_at is null or (opened_by is not null and length(trim(opened_why)) > 0)", name="signature_opened_why"
        ),
    )
    for column in ("session_id", "signed_by", "recorded_id", "reviewed_id", "opened_by"):
        op.create_index(f"ix_signature_{column}", "signature", [column])
    op.create_index(
        "signature_in_force", "signature", ["session_id"], unique=True, postgresql_where=sa.text("opened_at is null")
    )
    op.add_column("session", sa.Column("figures", sa.String(10), nullable=False, server_default="waiting"))
    op.add_column("session", sa.Column("failure", sa.String(400), nullable=False, server_default=""))
    op.create_check_constraint("session_figures", "session", "figures in ('waiting', 'assessed', 'failed')")
    op.create_index(
        "session_unassessed",
        "session",
        ["id"],
        postgresql_where=sa.text("state = 'stored' and figures = 'waiting'"),
    )
    op.add_column("review_change", sa.Column("added", JSONB(), nullable=False, server_default="[]"))
    op.add_column("review_change", sa.Column("removed", JSONB(), nullable=False, server_default="[]"))
    op.alter_column("review_change", "added", server_default=None)
    op.alter_column("review_change", "removed", server_default=None)


# ---------------------------------------------------------------- decisions and their steps


class _Story:
    """The decisions of one session, made one by one while its steps are walked through, each form of them once."""

    def __init__(self, bind: sa.Connection, session: sa.Row[Any], stretches: list[sa.Row[Any]]) -> None:
        self._bind, self._session = bind, session
        self._made: dict[tuple[Any, ...], int] = {}
        self._rows = {s.id: s for s in stretches}
        self.content = {s.id: (s.start_s, s.end_s, s.label) for s in stretches}
        self.visible = {s.id for s in stretches if s.removed_at is None}
        self.settings: dict[str, Any] = {key: getattr(session, key) for key in SETTINGS}
        self.accepted: dict[str, str] = dict(session.accepted or {})

    def state(self) -> set[int]:
        """Ids of the decisions in force."""
        found = {self._stretch(i) for i in self.visible}
        found |= {self._setting(k, v) for k, v in self.settings.items() if v is not None}
        return found | {self._acceptance(k, v) for k, v in self.accepted.items()}

    def apply(self, step: Mapping[str, Any]) -> None:
        match step["op"]:
            case "show":
                self.visible.add(step["stretch"])
            case "hide":
                self.visible.discard(step["stretch"])
            case "edit":
                to = step["to"]
                self.content[step["stretch"]] = (to["start_s"], to["end_s"], to["label"])
            case "set" if step["field"] == "accepted":
                self.accepted = dict(step["to"] or {})
            case "set":
                self.settings[step["field"]] = step["to"]

    def _stretch(self, stretch_id: int) -> int:
        start, end, label = self.content[stretch_id]
        row = self._rows[stretch_id]
        return self._insert(
            ("stretch", stretch_id, start, end, label),
            {
                "what": row.what,
                "start_s": start,
                "end_s": end,
                "reason": label,
                "made_by": row.made_by,
                "made_at": row.made_at,
            },
        )

    def _setting(self, key: str, value: Any) -> int:
        return self._insert(("setting", key, value), {"what": "setting", "key": key, "value": value})

    def _acceptance(self, key: str, reason: str) -> int:
        return self._insert(("accepted", key, reason), {"what": "accepted", "key": key, "reason": reason})

    def _insert(self, form: tuple[Any, ...], values: dict[str, Any]) -> int:
        if form not in self._made:
            base = {
                "session_id": self._session.id,
                "key": "",
                "reason": "",
                "version": self._session.review_version,
                "made_at": datetime.now(UTC),
                "removed_at": datetime.now(UTC),
            }
            self._made[form] = self._bind.execute(
                sa.insert(_table("decision")).values(base | values).returning(sa.column("id"))
            ).scalar_one()
        return self._made[form]


def _table(name: str) -> sa.Table:
    return sa.Table(name, sa.MetaData(), autoload_with=op.get_bind())


def _carry_decisions(bind: sa.Connection) -> None:
    sessions = bind.execute(
        sa.text(
            "select id, review_version, limit_set_id, working_day_s, attenuation_db, accepted from session where limit_set_id "
            "is not null or working_day_s is not null or attenuation_db is not null or accepted <> '{}' or id in "
            "(select session_id from stretch) or id in (select session_id from review_change) order by id"
        )
    ).all()
    for session in sessions:
        wanted = {"id": session.id}
        stretches = bind.execute(sa.text("select * from stretch where session_id = :id order by id"), wanted).all()
        changes = bind.execute(sa.text("select * from review_change where session_id = :id order by id"), wanted).all()
        story = _Story(bind, session, list(stretches))
        # What every step led from and to: back from today through those that are done, forth through those undone.
        steps: dict[int, tuple[set[int], set[int]]] = {}
        now_in_force = story.state()
        for change in reversed([c for c in changes if not c.undone]):
            after = story.state()
            story.apply(change.back)
            steps[change.id] = (after, story.state())
        for change in changes:
            if not change.undone:
                story.apply(change.forth)
        for change in (c for c in changes if c.undone):
            before = story.state()
            story.apply(change.forth)
            steps[change.id] = (story.state(), before)
        for change_id, (after, before) in steps.items():
            bind.execute(
                sa.text("update review_change set added = :added, removed = :removed where id = :id").bindparams(
                    sa.bindparam("added", type_=JSONB()), sa.bindparam("removed", type_=JSONB())
                ),
                {"id": change_id, "added": sorted(after - before), "removed": sorted(before - after)},
            )
        if now_in_force:
            bind.execute(
                sa.text("update decision set removed_at = null where id = any(:ids)"), {"ids": sorted(now_in_force)}
            )


# ---------------------------------------------------------------- results


def _carry_results(bind: sa.Connection) -> None:
    rows = bind.execute(
        sa.text(
            "select a.*, s.kind, l.data as limits from assessment a join session s on s.id = a.session_id "
            "join limit_set l on l.id = a.limit_set_id order by a.session_id, a.basis"
        )
    ).all()
    result, value = _table("result"), _table("figure_value")
    for row in rows:
        content = _with_numbers(row.result)
        bind.execute(
            sa.insert(result).values(
                session_id=row.session_id,
                basis=row.basis,
                method=f"{row.kind} 1",
                limit_set_id=row.limit_set_id,
                limits=row.limits,
                decisions=_decisions(bind, row.session_id, row.basis),
                verdict=row.verdict,
                content=content,
                made_at=row.made_at,
            )
        )
        verdicts = {j["figure"]: j["verdict"] for j in row.result["judgements"]}
        figures = {f["key"]: f for f in row.result["figures"]}
        values = [
            {
                "session_id": row.session_id,
                "basis": row.basis,
                "key": key,
                "value": None if f["value"] is None else round(f["value"], f["decimals"]),
                "unit": f["unit"],
                "coverage": f["coverage"],
                "verdict": verdicts.get(key, ""),
                "method": f"{row.kind} 1",
            }
            for key, f in figures.items()
        ]
        if values:
            bind.execute(sa.insert(value), values)
    bind.execute(
        sa.text(
            "update session set figures = 'assessed' where id in "
            "(select session_id from result group by session_id having count(*) = 2)"
        )
    )


def _decisions(bind: sa.Connection, session_id: int, basis: str) -> dict[str, Any]:
    """The decisions in force in the form that results keep them in (core.review.Review)."""
    rows = bind.execute(
        sa.text("select * from decision where session_id = :id and removed_at is null order by start_s, id"),
        {"id": session_id},
    ).all()
    settings = {r.key: r.value for r in rows if r.what == "setting"}

    def spans(what: str) -> list[dict[str, Any]]:
        return [{"start_s": r.start_s, "end_s": r.end_s, "label": r.reason} for r in rows if r.what == what]

    return {
        "left_out": spans("left out") if basis == "as reviewed" else [],
        "tasks": spans("task"),
        **{key: settings.get(key) for key in OWN},
        "accepted": [r.key for r in rows if r.what == "accepted"],
        "dropped": [],
        "kept": [],
        "asleep": None,
        "factor": None,
        "options": {},
    }


def _with_numbers(content: dict[str, Any]) -> dict[str, Any]:
    """What had no number was kept as null; results keep it as a number that is none, where a number stands."""
    nan = {"$": "nan"}
    none = {"$": "-inf"}

    def number(value: Any, note: str = "") -> Any:
        return (none if "no energy" in note or "below the threshold" in note else nan) if value is None else value

    figures = [
        f
        | {
            "value": number(f["value"], f.get("note", "")),
            "why": f["why"] | {"numbers": [p | {"value": number(p["value"])} for p in f["why"]["numbers"]]},
        }
        for f in content["figures"]
    ]
    notes = {f["key"]: f.get("note", "") for f in content["figures"]}
    judgements = [j | {"value": number(j["value"], notes.get(j["figure"], ""))} for j in content["judgements"]]
    tables = [t | {"rows": [[number(cell) for cell in row] for row in t["rows"]]} for t in content["tables"]]
    events = [
        e | {"numbers": {k: number(v) for k, v in e.get("numbers", {}).items()}} for e in content.get("events", [])
    ]
    return content | {"figures": figures, "judgements": judgements, "tables": tables, "events": events}


# ---------------------------------------------------------------- signatures


def _carry_signatures(bind: sa.Connection) -> None:
    bind.execute(
        sa.text(
            "insert into signature (session_id, signed_by, signed_at, recorded_id, reviewed_id, review_version, conclusion, "
            "facts, opened_why) select s.id, c.signed_by, s.signed_at, "
            "(select id from result r where r.session_id = s.id and r.basis = 'as recorded'), "
            "(select id from result r where r.session_id = s.id and r.basis = 'as reviewed'), "
            "s.review_version, c.text, jsonb_build_object('person_id', s.person_id, 'signer', a.name), '' "
            "from session s join conclusion c on c.session_id = s.id join account a on a.id = c.signed_by "
            "where s.signed_at is not null and c.signed_by is not null"
        )
    )
