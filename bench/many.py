"""A database as after years: so many sessions with what belongs to them, seeded. `./kumpel bench scale` measures on it.

A few real sessions of each kind are taken in and assessed; all others are copies of one of these with their own person, recorder, times,
numbers and tags, made by the database itself (`insert ... select`, which writes as COPY does and sends nothing over a wire). A few
hundred have their samples; results of the others lack their long tables, and issued reports their pages.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from pathlib import Path

import psycopg
from sqlmodel import Session as Db

from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.serve import say
from kumpel.services.ground import accounts, figures, limits
from kumpel.services.take_in import take_in
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.signals import SIGNALS
from kumpel.store import database
from kumpel.store.cluster import Cluster
from kumpel.store.database import plain_url
from kumpel.store.tables import metadata

LOGIN, PASSWORD = "bench", "bench-bench-1"
EACH = 3
"""Real sessions of each kind that the others are copies of."""
WITH_SAMPLES = 300
WEIGHTS = {
    "noise": 30, "gas": 20, "blood_pressure": 12, "training": 10, "dust": 8, "oximetry": 8, "vehicle": 6, "jaw_muscle": 4, "resuscitation": 2,
}  # fmt: skip
"""Of a hundred sessions, so many are of each kind."""
YEARS = 5
PER_PERSON, PER_RECORDER = 20, 500
WAITING = 0.02
"""Share of sessions that nobody has signed: the newest."""
UNREPORTED = 0.01
SLOW_TO_KEEP = (
    "session",
    "figure_value",
    "event",
    "tag",
    "result",
    "report",
    "deed",
    "signature",
    "hand_over",
    "person",
)
"""Tables whose indexes are built when everything is in them."""
KEPT_TABLES = ("figures", "judgements", "findings", "key_figures")


def _recording(kind: str, seed: int) -> bytes:
    if kind == "jaw_muscle":
        made = make_night(Night(seed, 900.0, groups=usual_groups(seed, 900.0, 20)))
    else:
        made = SIGNALS[kind](seed)
    return krec.write_recording(made.recording, f"T-{kind}-{seed}")


def _templates(url: str) -> None:
    database.migrate(url)
    with Db(database.engine(url), expire_on_commit=False) as db:
        limits.put_shipped(db)
        accounts.create_account(db, LOGIN, "Bench", PASSWORD, "administrator")
        for kind in KINDS:
            for seed in range(1, EACH + 1):
                row = take_in.from_file(
                    db, _recording(kind, seed), None, {"tags": {"shift": "early", "place": f"hall {seed}"}}
                )
                figures.refresh(db, row)
                db.commit()


class Many:
    """Fills the database, by the url of who keeps its cluster (foreign keys are put aside), with `count` sessions."""

    def __init__(self, url: str, count: int) -> None:
        self.count = count
        self.people, self.recorders = max(count // PER_PERSON, 50), max(count // PER_RECORDER, 100)
        self._db = psycopg.connect(plain_url(url), autocommit=True)

    def run(self, sql: str, **about: object) -> None:
        self._db.execute(sql, about)  # type: ignore[arg-type]

    def make(self) -> None:
        # Neither foreign keys nor triggers are asked row by row; what triggers would write is written here.
        self.run("set session_replication_role = replica")
        self.run("set maintenance_work_mem = '512MB'")
        self.run("set work_mem = '256MB'")
        indexes = self._db.execute(
            "select indexname, indexdef from pg_indexes where schemaname = 'public' and tablename = any(%s) "
            "and indexname not in (select conname from pg_constraint)",
            (list(SLOW_TO_KEEP),),
        ).fetchall()
        for name, _ in indexes:
            self.run(f"drop index {name}")
        for what, work in self._steps():
            began = time.perf_counter()
            work()
            say(f"  {what:<40} {time.perf_counter() - began:6.1f} s")
        began = time.perf_counter()
        for _, definition in indexes:
            self.run(definition)
        say(f"  {'indexes':<40} {time.perf_counter() - began:6.1f} s")
        for table, column in (("session", "id"), ("person", "id"), ("recorder", "id"), ("team", "id"), ("setup", "id")):
            self.run(
                f"select setval(pg_get_serial_sequence('{table}', '{column}'), (select max({column}) from {table}))"
            )
        self.run("drop table plan, pattern, own, brief, newest")
        self.run("vacuum analyze")
        self._db.close()

    def _steps(self) -> list[tuple[str, Callable[[], None]]]:
        return [
            ("people, recorders", self._people),
            ("who wore what when", self._plan),
            ("hand-overs", self._hand_overs),
            ("sessions", self._sessions),
            ("tags, events, channels", self._parts),
            ("figures as numbers", self._figures),
            ("results", self._results),
            ("conclusions, signatures, reports, deeds", self._papers),
            ("samples of a few hundred", self._samples),
        ]

    def _people(self) -> None:
        self.run("insert into team (id, name) select 1000 + g, 'Team ' || g from generate_series(1, 200) g")
        self.run(
            "insert into person (id, number, name, team_id, contact, notes, real_name, clinic, doctor, complaint, stay, created_at) "
            "select 1000 + g, 'P-' || g, (array['Ida','Oskar','Leila','Tomas','Noor','Emil','Asha','Kofi','Marit','Goran'])[1 + hashint4(g) %% 5 + 4] || ' ' "
            "|| initcap(translate(md5(g::text), '0123456789', 'aeioulnrst'))::varchar(9), 1001 + (hashint4(g + 7) & 2147483647) %% 200, "
            "'', '', '', '', '', '', '', now() from generate_series(1, %(people)s) g",
            people=self.people,
        )
        self.run("create temp table kinds (kind text, first int, before int)")
        before = 0
        for kind, weight in WEIGHTS.items():
            self.run(
                "insert into kinds values (%(kind)s, %(first)s, %(before)s)",
                kind=kind,
                first=before,
                before=before + weight,
            )
            before += weight
        self.run(
            "insert into recorder (id, serial, kind, token, name, model, firmware, keeps_one, in_reach, trouble, seen_at, status, inventory, setup, setup_revision) "
            "select 1000 + g, 'MANY-' || g, k.kind, upper(left(k.kind, 1)) || '-' || lpad(g::text, 5, '0'), initcap(k.kind) || ' ' || g, 'M-1', '1.0', false, false, '', "
            "now() - make_interval(hours => g), '{}', '[]', '{}', 1 from generate_series(1, %(recorders)s) g join kinds k on g * 37 %% 100 >= k.first and g * 37 %% 100 < k.before",
            recorders=self.recorders,
        )
        self.run(
            "insert into setup (id, kind, name, settings, made_at) select 1000 + row_number() over (), kind, 'Full shift', '{}', now() from kinds"
        )

    def _plan(self) -> None:
        """One row a session: which it is a copy of, whose, when; the newest have the highest number."""
        self.run(
            "create unlogged table made as select 1000000 + g as id, g, k.kind, 1001 + (hashint4(g) & 2147483647) %% %(people)s as person_id, "
            "gen_random_uuid() as given, "
            "now() - make_interval(secs => %(years)s * 31557600.0 * (%(count)s - g + 0.5) / %(count)s) as started_at, "
            "(hashint4(g + 3) & 2147483647) %% %(each)s as turn "
            "from generate_series(1, %(count)s) g join kinds k on (hashint4(g + 5) & 2147483647) %% 100 >= k.first and (hashint4(g + 5) & 2147483647) %% 100 < k.before",
            people=self.people, years=YEARS, count=self.count, each=EACH,
        )  # fmt: skip
        self.run(
            "create unlogged table pattern as select id as template, kind, (row_number() over (partition by kind order by id) - 1)::int as turn, "
            "(select string_agg(value, chr(10) order by key) from tag where session_id = session.id) as said from session where id < 1000000"
        )
        self.run(
            "create unlogged table own as select array_agg(id order by id) as ids, kind from recorder where id > 1000 group by kind"
        )
        self.run(
            "create unlogged table plan as select m.*, p.template, p.said, o.ids[1 + (hashint4(m.g + 11) & 2147483647) %% array_length(o.ids, 1)] as recorder_id, "
            "m.g <= %(signed)s as signed, m.g <= %(signed)s and m.g %% 100 > 0 as reported from made m join pattern p using (kind, turn) join own o using (kind) order by m.id",
            signed=int(self.count * (1 - WAITING)),
        )
        self.run("drop table made")
        self.run("alter table plan add primary key (id)")
        self.run("analyze plan")

    def _copied(self, table: str, own: Mapping[str, str], source: str) -> None:
        """Insert a row of `table` for each of `source` (in which `t` is the row it is a copy of), `own` columns made anew."""
        names = [c.name for c in metadata.tables[table].columns if c.name not in ("id",) or "id" in own]
        found = ", ".join(f'"{name}"' for name in names)
        values = ", ".join(own.get(name, f't."{name}"') for name in names)
        self.run(f'insert into "{table}" ({found}) select {values} from {source}')

    def _hand_overs(self) -> None:
        self.run(
            "insert into hand_over (id, recorder_id, person_id, setup_id, given_at, given_by, expected_at, returned_at, tags) "
            "select p.given, recorder_id, person_id, s.id, started_at - interval '10 min', 1, started_at + interval '8 h', started_at + interval '9 h', '{}' "
            "from plan p join setup s on s.kind = p.kind and s.id > 1000"
        )

    def _sessions(self) -> None:
        signed = "case when p.signed then p.started_at + interval '2 days' end"
        own = {
            "id": "p.id", "serial": "'MANY-' || p.recorder_id", "recorder_session": "'S-' || p.id", "sha256": "sha256(p.id::text::bytea)",
            "recorder_id": "p.recorder_id", "person_id": "p.person_id", "hand_over_id": "p.given", "started_at": "p.started_at",
            "taken_in_at": "p.started_at + interval '1 day'", "taken_in_by": "1", "signed_at": signed,
            "reported_at": "case when p.reported then p.started_at + interval '3 days' end",
            "words": "concat_ws(chr(10), w.name, w.number, r.token, p.said)",
        }  # fmt: skip
        self._copied(
            "session",
            own,
            "plan p join session t on t.id = p.template join person w on w.id = p.person_id join recorder r on r.id = p.recorder_id order by p.id",
        )

    def _parts(self) -> None:
        for table, most in (("tag", None), ("channel", None), ("event", 20)):
            rows = (
                table
                if most is None
                else f"(select * from (select *, row_number() over (partition by session_id order by id) as n from {table} where session_id < 1000000) e where n <= {most})"
            )
            self._copied(
                table, {"session_id": "p.id"}, f"plan p join {rows} t on t.session_id = p.template order by p.id"
            )

    def _figures(self) -> None:
        value = "round((t.value * (0.9 + 0.2 * ((hashint4(p.g + 17) & 65535) / 65536.0)))::numeric, 2)"
        self._copied(
            "figure_value",
            {"session_id": "p.id", "value": value},
            "plan p join figure_value t on t.session_id = p.template order by p.id",
        )

    def _results(self) -> None:
        """Without what is long in them."""
        self.run(
            "create unlogged table brief as select r.*, (select jsonb_object_agg(key, case when key = any(%(kept)s) or length(value::text) < 1500 then value "
            "when jsonb_typeof(value) = 'array' then '[]'::jsonb else '{}'::jsonb end) from jsonb_each(r.content)) as short from result r where r.session_id < 1000000",
            kept=list(KEPT_TABLES),
        )
        own = {"session_id": "p.id", "made_at": "p.started_at + interval '1 day'", "content": "t.short"}
        self._copied("result", own, "plan p join brief t on t.session_id = p.template order by p.id")

    def _papers(self) -> None:
        self.run(
            "insert into conclusion (session_id, text, version, written_at) select id, 'Within the limits.', 1, started_at + interval '2 days' from plan where signed"
        )
        self.run(
            "insert into signature (session_id, signed_by, signed_at, review_version, conclusion, facts, opened_why) "
            "select id, 1, started_at + interval '2 days', 0, 'Within the limits.', '{}', '' from plan where signed"
        )
        self.run(
            "insert into report (number, session_id, person_id, title, document, limits, pages, pdf, sha256, issued_at, issued_by) "
            "select 'M-' || id, id, person_id, 'Report', '{}', '{}', 2, convert_to('M-' || id, 'UTF8'), sha256(convert_to('M-' || id, 'UTF8')), started_at + interval '3 days', 1 from plan where reported"
        )
        self.run(
            "insert into deed (at, who, what, on_what, on_id) select started_at + interval '1 day', 1, 'taken in', 'session', id::text from plan "
            "union all select started_at + interval '2 days', 1, 'signed', 'session', id::text from plan where signed"
        )

    def _samples(self) -> None:
        self.run(
            "create unlogged table newest as select * from plan order by id desc limit %(most)s", most=WITH_SAMPLES
        )
        for table in ("block", "pyramid"):
            self._copied(table, {"session_id": "p.id"}, f"newest p join {table} t on t.session_id = p.template")


def filled(folder: Path, count: int) -> Cluster:
    """A running cluster in `folder` with so many sessions: made when it is not there yet."""
    cluster = Cluster(folder / "postgres")
    mark = folder / "made"
    url = cluster.start()
    if not mark.exists():
        began = time.perf_counter()
        _templates(url)
        Many(cluster.keeper_url.rsplit("/", 1)[0] + "/kumpel", count).make()
        took_s = time.perf_counter() - began
        mark.touch()
        say(f"  {count:,} sessions made in {took_s:.0f} s")
    return cluster
