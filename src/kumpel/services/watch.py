"""Keeps an eye on the recorders in reach: who appears, who leaves, what changed on them."""

from __future__ import annotations

import logging
import queue
import threading

import procrastinate
import psycopg
from sqlalchemy.exc import SQLAlchemyError
from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.link.discovery import Announcement, Watch
from kumpel.services import recorders
from kumpel.services.jobs import Jobs
from kumpel.store.database import engine
from kumpel.store.tables import Recorder

log = logging.getLogger("kumpel.watch")
EVERY_S = 2.0


class Lookout(threading.Thread):
    """One thread that listens for announcements and asks every recorder in reach again every two seconds."""

    def __init__(self, url: str, jobs: Jobs) -> None:
        super().__init__(name="lookout", daemon=True)
        self._url, self._jobs = url, jobs
        self._news: queue.Queue[Announcement | str] = queue.Queue()
        self._known: dict[str, Announcement] = {}
        self._ending = threading.Event()

    def run(self) -> None:
        watch = Watch(self._news.put, self._news.put)
        try:
            while not self._ending.is_set():
                try:
                    self._round()
                except (SQLAlchemyError, psycopg.Error, procrastinate.exceptions.ConnectorException) as error:
                    log.warning(
                        "the database did not answer (%s); looking again in %s s", type(error).__name__, EVERY_S
                    )
                    self._ending.wait(EVERY_S)
        finally:
            watch.close()

    def stop(self) -> None:
        self._ending.set()
        self.join(timeout=5)

    def _round(self) -> None:
        """Take one piece of news, or ask all the known ones when there is none for a while."""
        try:
            news: Announcement | str | None = self._news.get(timeout=EVERY_S)
        except queue.Empty:
            news = None
        with Db(engine(self._url)) as db:
            if isinstance(news, str):
                self._known.pop(news, None)
                recorders.gone(db, news)
            elif news is not None:
                self._known[news.serial] = news
                self._heard(db, news)
            else:
                self._ask_all(db)

    def _ask_all(self, db: Db) -> None:
        self._jobs.go_on(db, stopped_too=False)  # a worker may have died at it
        for announcement in list(self._known.values()):
            if self._ending.is_set():
                return
            self._heard(db, announcement)

    def _heard(self, db: Db, announcement: Announcement) -> None:
        known = db.exec(select(Recorder).where(Recorder.serial == announcement.serial)).first()
        was_in_reach = known is not None and known.in_reach
        recorder = (
            recorders.heard(db, announcement)
            if known is None or not was_in_reach
            else self._again(db, known, announcement)
        )
        if recorder.in_reach and not was_in_reach:
            self._jobs.go_on(db, recorder.serial)

    @staticmethod
    def _again(db: Db, recorder: Recorder, announcement: Announcement) -> Recorder:
        if (recorder.host, recorder.port) != (announcement.host, announcement.port):
            return recorders.heard(db, announcement)
        return recorders.refresh(db, recorder)
