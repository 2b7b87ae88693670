"""What a kind follows over the sessions of one person."""

from dataclasses import replace
from datetime import timedelta

import numpy as np

from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures
from kumpel.services.ground.problems import NotFoundError
from kumpel.services.register import session_list, sessions
from kumpel.services.register.session_list import Filter
from kumpel.services.review.spread import spread
from kumpel.services.review.trends import trends_of
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Person, Session
from tests.support import DatabaseTest, small_file


class Trends(DatabaseTest):
    def of(self, kind: str, seed: int, person: Person, start_shift_s: float = 0) -> Session:
        made = SIGNALS[kind](seed).recording
        recording = replace(made, start=made.start + start_shift_s)
        return self.stored(krec.write_recording(recording), person)

    def test_oldest_first_what_two_sessions_have(self) -> None:
        person, other = self.person("Emil Farkas"), self.person("Ada Holt")
        late = self.of("oximetry", 2, person, 86_400)
        early = self.of("oximetry", 3, person)
        self.of("dust", 2, person)
        self.of("oximetry", 4, other)
        found = trends_of(self.db, person.id or 0)
        self.assertEqual(
            [(t.kind, t.figure) for t in found],
            [("oximetry", f) for f in KINDS["oximetry"].trends],
            "one session of dust is no trend, and nobody else's session is in it",
        )
        for trend in found:
            with self.subTest(figure=trend.figure.figure):
                self.assertEqual([p.session_id for p in trend.points], [early.id, late.id])
                for point, row in zip(trend.points, (early, late), strict=True):
                    outcome = figures.outcome(self.db, row.id or 0)
                    assert outcome is not None
                    stated = outcome.both.reviewed.figure(trend.figure.figure).stated
                    self.assertEqual(point.number.value, stated)
                self.assertEqual(trend.points[1].started_at - trend.points[0].started_at, timedelta(days=1))
        sessions.delete_session(self.db, early.id or 0)
        self.assertEqual(trends_of(self.db, person.id or 0), [])
        with self.assertRaises(NotFoundError):
            trends_of(self.db, 999)

    def test_a_list_brings_the_figures_it_is_asked_for(self) -> None:
        row = self.of("dust", 2, self.person("Emil Farkas"))
        [found], _ = session_list.list_sessions(self.db, Filter(kind="dust"), shown=("stel", "max", "no such"))
        outcome = figures.outcome(self.db, row.id or 0)
        assert outcome is not None
        stated = {key: outcome.both.reviewed.figure(key).stated for key in ("stel", "max")}
        self.assertEqual({key: number.value for key, number in found.numbers.items()}, stated)


class SpreadOfAChannel(DatabaseTest):
    def test_seconds_at_each_value_over_the_last_sessions_and_nothing_of_others(self) -> None:
        ida, leila = self.person("Ida Brandvik"), self.person("Leila Haddad")
        # 100 s at 60, 50 s at 61 (60.6), 30 s not measured; then 40 s at 60 in a later session of hers.
        first = np.concatenate((np.full(100, 60.0), np.full(50, 60.6), np.full(30, np.nan)))
        for who, values in ((ida, first), (ida, np.full(40, 60.0)), (leila, np.full(500, 60.0))):
            row = self.stored(small_file(values), who)
            row.aside = ""
            self.db.add(row)
        self.db.commit()
        found = spread(self.db, ida.id or 0, "leq.1")
        self.assertEqual((found.sessions, found.values, found.seconds), (2, [60, 61], [140.0, 50.0]))
        self.assertEqual(spread(self.db, ida.id or 0, "heart_rate").sessions, 0)
        self.assertEqual(spread(self.db, leila.id or 0, "leq.1", 1).seconds, [500.0])
