"""What a kind follows over the sessions of one person."""

from dataclasses import replace
from datetime import timedelta

from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services import figures, sessions
from kumpel.services.problems import NotFoundError
from kumpel.services.sessions import Filter
from kumpel.services.trends import trends_of
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Person, Session
from tests.support import DatabaseTest


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
        [found], _ = sessions.list_sessions(self.db, Filter(kind="dust"), shown=("stel", "max", "no such"))
        outcome = figures.outcome(self.db, row.id or 0)
        assert outcome is not None
        stated = {key: outcome.both.reviewed.figure(key).stated for key in ("stel", "max")}
        self.assertEqual({key: number.value for key, number in found.numbers.items()}, stated)
