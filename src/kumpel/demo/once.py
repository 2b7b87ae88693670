"""`kumpel demo --once`: the whole job without a browser, on a database of its own; the smoke test."""

from __future__ import annotations

import csv
import json
import shutil
import time
from pathlib import Path

from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.kinds.noise import NoiseSetup
from kumpel.kinds.registry import KINDS
from kumpel.link.client import RecorderLink
from kumpel.link.discovery import Announcement
from kumpel.serve import say, step
from kumpel.services.ground import accounts, figures, limits, people
from kumpel.services.ground.as_json import for_screen
from kumpel.services.ground.decisions import LEFT_OUT, Wish
from kumpel.services.ground.recordings import recording_of
from kumpel.services.hand_out import drafts, hand_out
from kumpel.services.recorders import recorders
from kumpel.services.register import sessions
from kumpel.services.report import conclusions, reports
from kumpel.services.review import deciding
from kumpel.services.take_in import take_in
from kumpel.store import database
from kumpel.store.cluster import Cluster
from kumpel.store.tables import Session

FOLDER = ROOT / "var" / "once"
PATIENT_S = 20.0
"""Making eight hours at once, the simulated meter answers when it comes to it."""
METER = StandIn("N-07", "NM-000107", "Noise meter 7", clock_error_s=-250.0, auto_start=False)


def run_once(out: Path) -> int:
    """Hand out, record, take in, assess, review, report. 0 when everything agrees."""
    cluster, ensemble = Cluster(FOLDER / "postgres", durable=False), Ensemble(FOLDER / "standins", time_factor=7200)
    cluster.stop()
    shutil.rmtree(cluster.data, ignore_errors=True)
    shutil.rmtree(FOLDER / "standins", ignore_errors=True)
    out.mkdir(parents=True, exist_ok=True)
    try:
        done = step("PostgreSQL, migrations, one simulated noise meter")
        url = cluster.start()
        database.migrate(url)
        ensemble.launch((METER,), announce=False)
        done()
        with Db(database.engine(url), expire_on_commit=False) as db:
            return _job(db, ensemble, out)
    finally:
        ensemble.stop()
        cluster.stop()


def _job(db: Db, ensemble: Ensemble, out: Path) -> int:
    limits.put_shipped(db)
    officer = accounts.create_account(db, "officer", "Runa Halvorsen", "tarnfels-demo", "administrator")
    assert officer.id is not None
    ida = people.create_person(db, "Ida Brandvik", team="Crusher hall")
    meter = recorders.heard(db, Announcement(METER.serial, "127.0.0.1", ensemble.running["N-07"].link))

    done = step(f"handing {meter.token} out to {ida.name}")
    draft = drafts.draft(db, meter.id or 0, ida.id)
    settings = NoiseSetup().model_dump(mode="json")
    slip = hand_out.Slip(meter.id or 0, ida.id or 0, settings, draft.revision, tags={"place": "crusher hall"})
    given = hand_out.hand_out(db, slip, officer.id)
    done()
    say(f"    clock was {given.clock_error_s:+.1f} s off and was set; settings read back and equal")

    done = step("recording eight hours (7200 times faster)")
    with RecorderLink(meter.host or "", meter.port or 0, call_s=PATIENT_S) as link:
        link.start()
        while link.status().mode == "recording":
            time.sleep(0.1)
    recorders.refresh(db, meter)
    done()

    done = step("taking in")
    wishes = [take_in.Wish(meter.id or 0, s["id"]) for s in meter.inventory]
    ids = take_in.begin(db, wishes, officer.id, lambda session_id: None)
    engine = database.engine(db.get_bind().engine.url.render_as_string(hide_password=False))
    stored = [take_in.run(engine, session_id) for session_id in ids]
    done()
    db.expire_all()
    session = db.exec(select(Session)).one()
    assert session.id is not None and all(stored) and session.person_id == ida.id

    done = step("review: one stretch left out, signed")
    before = figures.outcome(db, session.id)
    assert before is not None
    for suggestion in before.both.reviewed.suggestions[:1]:
        knocked = Wish(LEFT_OUT, start_s=suggestion.start_s, end_s=suggestion.end_s, reason="meter knocked")
        deciding.decide(db, session.id, session.review_version, [knocked], who=officer.id)
    words = "The loud task brings most of the day's dose. Repeat with a damped tool."
    conclusions.conclude(db, session.id, words, officer.id)
    conclusions.sign(db, session.id, session.review_version, officer.id)
    signed = conclusions.standing(db, session)
    assert signed is not None
    used, both = signed.limits, signed.both
    done()

    done = step("report")
    report = reports.issue(db, session.id, reports.Options(KINDS["noise"].one_page), officer.id)
    (out / f"{report.number}.pdf").write_bytes(report.pdf)
    (out / "session.krec").write_bytes(b"".join(sessions.original(engine, session.id)))
    (out / "assessment.json").write_text(json.dumps(for_screen(both), indent=1, ensure_ascii=False))
    _write_levels(db, session, out / "levels.csv")
    done()
    say(f"\n  {ida.name}, {session.length_s / 3600:.2f} h, {used.name} ({used.version})")
    for key in (*both.reviewed.key_figures, "setup2.twa", "setup3.projected_dose"):
        figure = both.reviewed.figure(key)
        say(f"    {figure.name:<62} {figure.stated:>z8.{figure.decimals}f} {figure.unit}")
    say(f"    verdict: {both.reviewed.verdict.value}, {both.reviewed.words}")
    say(f"  written: {', '.join(sorted(p.name for p in out.iterdir()))} in {out}/")
    return 0


def _write_levels(db: Db, session: Session, path: Path) -> None:
    recording = recording_of(db, session)
    with path.open("w", newline="") as file:
        rows = csv.writer(file)
        rows.writerow(["time [s]", *(f"{c.name} [{c.unit}]" for c in recording.channels.values())])
        columns = [c.values for c in recording.channels.values()]
        for i, values in enumerate(zip(*columns, strict=True)):
            rows.writerow([i, *("" if v != v else f"{v:.2f}" for v in values)])
