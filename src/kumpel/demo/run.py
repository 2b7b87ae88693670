"""`kumpel demo`: everything up, everything down again."""

from __future__ import annotations

import shutil
from collections.abc import Callable

from sqlmodel import Session as Db

from kumpel.config import DEMO, ROOT, Config
from kumpel.demo import first_screen, post
from kumpel.demo.begun import loaded_mark
from kumpel.demo.ensemble import Ensemble
from kumpel.demo.loading import Loading
from kumpel.demo.people import LOGIN, PASSWORD
from kumpel.serve import say, serve, step, usable_port
from kumpel.store import database
from kumpel.store.cluster import Cluster, ClusterError


def run_demo(port: int, ensemble: Ensemble, check: bool = False) -> int:
    """Serve the demo; `ensemble` is starting already, beside everything else.

    With `check`, load the first screen once and stop: 0 when it was all there, else 1 and the reason.
    """
    cluster = Cluster(DEMO / "postgres")
    reasons: list[str] = []
    mail: post.PostOffice | None = None
    loading: Loading | None = None
    then: Callable[[], None] | None
    try:
        done = step("starting PostgreSQL")
        url = _filled_or_empty(cluster)
        done()
        done = step("waiting for the simulated recorders")
        ensemble.wait()
        done()
        if not loaded_mark(DEMO).exists():
            done = step("loading Tarnfels: forty people, their recorders")
            loading = Loading(url, ensemble, loaded_mark(DEMO))
            loading.first()
            done()
        mail = post.PostOffice(DEMO / "mail")
        with Db(database.engine(url)) as db:
            post.use(db, mail.port)
        where = f"http://127.0.0.1:{usable_port(port)}"
        config = Config(url, ROOT / "web" / "dist", False, True)
        text = f"\n  Kumpel demo: {where}\n  sign in:     {LOGIN}  /  {PASSWORD}\n  N-06 asks for its passcode before it is changed: 2718\n  V-04 opens a radio network of its own (Recorders, networks of recorders), its key: service-road\n  mail:        every mail is kept in {mail.folder}\n\n  stop with Ctrl-C\n"
        number = int(where.rsplit(":", 1)[1])
        if check:
            reasons.append("the server did not start")
            ready, then = reasons.clear, lambda: reasons.extend(_missing(where, loading))
        else:
            ready, then = lambda: say(text), None
        serve(config, "127.0.0.1", number, lambda: _ready(ready, loading), then)
    except (ClusterError, RuntimeError) as error:
        say(f"\n{error}")
        return 1
    finally:
        if loading is not None:
            loading.stop()
        ensemble.stop()
        if mail is not None:
            mail.stop()
        cluster.stop()
    for reason in reasons:
        say(f"  not right: {reason}")
    if check and not reasons:
        say("  the first screen was loaded, with everything on it")
    say("  stopped")
    return 1 if reasons else 0


def _filled_or_empty(cluster: Cluster) -> str:
    """The database with the whole demo in it, or an empty one: what was loaded by halves is thrown away."""
    if not loaded_mark(DEMO).exists():
        cluster.stop()
        shutil.rmtree(cluster.data, ignore_errors=True)
    return cluster.start()


def throw_away() -> None:
    """Everything the demo ever made."""
    cluster = Cluster(DEMO / "postgres")
    cluster.stop()
    shutil.rmtree(cluster.data.parent, ignore_errors=True)
    shutil.rmtree(DEMO, ignore_errors=True)


def _ready(say_so: Callable[[], None], loading: Loading | None) -> None:
    say_so()
    if loading is not None:
        loading.go_on()


def _missing(where: str, loading: Loading | None) -> list[str]:
    """What the first screen lacks while everything else is still loaded, and whether all of it comes."""
    reasons = first_screen.missing(where)
    if loading is not None and not loading.wait():
        reasons.append("the three months behind the first screen were not loaded")
    return reasons
