"""`kumpel demo`: everything up, everything down again."""

from __future__ import annotations

import shutil

from sqlmodel import Session as Db

from kumpel.config import ROOT, Config
from kumpel.demo import history
from kumpel.demo.fleet import METERS, Fleet
from kumpel.serve import say, serve, step, usable_port
from kumpel.services import limits
from kumpel.store import database
from kumpel.store.cluster import Cluster, ClusterError

FOLDER = ROOT / "var" / "demo"


def run_demo(port: int, fresh: bool) -> int:
    cluster, fleet = Cluster(FOLDER / "postgres"), Fleet(FOLDER / "standins")
    try:
        if fresh:
            cluster.stop()
            shutil.rmtree(cluster.data, ignore_errors=True)
            shutil.rmtree(FOLDER, ignore_errors=True)
        done = step("starting PostgreSQL")
        url = cluster.start()
        done()
        done = step("starting five simulated noise meters")
        fleet.launch(METERS)
        done()
        _load(url, fleet)
        where = f"http://127.0.0.1:{usable_port(port)}"
        config = Config(url, ROOT / "web" / "dist", False, True)
        text = (
            f"\n  Kumpel demo: {where}\n  sign in:     {history.LOGIN}  /  {history.PASSWORD}\n\n  stop with Ctrl-C\n"
        )
        serve(config, "127.0.0.1", int(where.rsplit(":", 1)[1]), lambda: say(text))
    except (ClusterError, RuntimeError) as error:
        say(f"\n{error}")
        return 1
    finally:
        fleet.stop()
        cluster.stop()
    say("  stopped")
    return 0


def _load(url: str, fleet: Fleet) -> None:
    database.migrate(url)
    with Db(database.engine(url), expire_on_commit=False) as db:
        limits.put_shipped(db)
        if history.is_loaded(db):
            return
        done = step("loading Tarnfels: forty people, three months of shifts")
        history.load(db)
        history.last_shift(db, fleet)
        done()
