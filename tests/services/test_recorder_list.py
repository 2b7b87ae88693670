"""The register of recorders: what narrows it, what it is sorted by, and its pages."""

from __future__ import annotations

from datetime import timedelta

from kumpel.services.register.recorder_list import Wanted, list_recorders
from kumpel.store.tables import HandOver, Recorder, Setup, now
from tests.support import DatabaseTest


class Register(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.add("N-01", "Noise meter 1", battery=0.4, here=True)
        self.add("N-02", "Noise meter 2", seen_days=3, to="Ida Brandvik")
        self.add("N-03", "Noise meter 3", seen_days=400)
        self.add("B-01", "50 % belt", kind="training", battery=0.9, here=True, to="Arne Skogheim")
        self.add("B-02", "Belt 2", kind="training")

    def add(
        self, token: str, name: str, kind: str = "noise", battery: float | None = None, here: bool = False,
        seen_days: float | None = None, to: str = "",
    ) -> None:  # fmt: skip
        row = Recorder(serial=f"S-{token}", kind=kind, token=token, name=name, in_reach=here)
        row.status = {} if battery is None else {"battery": battery}
        row.seen_at = None if seen_days is None else now() - timedelta(days=seen_days)
        setup = Setup(kind=kind, name="As it was", settings={})
        self.db.add_all((row, setup))
        self.db.flush()
        if to:
            person = self.person(to)
            ids = {"recorder_id": row.id or 0, "person_id": person.id or 0, "setup_id": setup.id or 0}
            # What came back long ago is with nobody any more.
            self.db.add(HandOver(**ids, given_at=now() - timedelta(days=9), returned_at=now() - timedelta(days=8)))
            self.db.add(HandOver(**ids, given_at=now()))
        self.db.commit()

    def tokens(self, wanted: Wanted, limit: int = 100, offset: int = 0) -> list[str]:
        return [row.token for row in list_recorders(self.db, wanted, limit, offset)[0]]

    def test_where_they_are_and_who_has_them(self) -> None:
        self.assertEqual(self.tokens(Wanted()), ["B-01", "B-02", "N-01", "N-02", "N-03"])
        self.assertEqual(self.tokens(Wanted(where="here")), ["B-01", "N-01"])
        self.assertEqual(self.tokens(Wanted(where="out")), ["B-01", "N-02"])
        self.assertEqual(self.tokens(Wanted(where="away")), ["B-02", "N-03"])
        self.assertEqual(self.tokens(Wanted(where="away", kind="noise")), ["N-03"])

    def test_words_are_taken_literally_and_find_whoever_has_it(self) -> None:
        self.assertEqual(self.tokens(Wanted(search="%")), ["B-01"])
        self.assertEqual(self.tokens(Wanted(search=" brandvik ")), ["N-02"])
        self.assertEqual(self.tokens(Wanted(search="s-n-0")), ["N-01", "N-02", "N-03"])
        self.assertEqual(self.tokens(Wanted(search="nothing")), [])

    def test_sorted_with_what_is_not_known_last_both_ways(self) -> None:
        self.assertEqual(self.tokens(Wanted(sort="battery")), ["N-01", "B-01", "B-02", "N-02", "N-03"])
        self.assertEqual(self.tokens(Wanted(sort="battery", falling=True)), ["B-01", "N-01", "B-02", "N-02", "N-03"])
        self.assertEqual(self.tokens(Wanted(sort="seen", falling=True)), ["B-01", "N-01", "N-02", "N-03", "B-02"])
        self.assertEqual(self.tokens(Wanted(sort="holder"))[:2], ["B-01", "N-02"])
        self.assertEqual(self.tokens(Wanted(sort="name"))[0], "B-01")

    def test_pages_meet_and_the_whole_is_counted(self) -> None:
        rows, total = list_recorders(self.db, Wanted(), 2, 2)
        self.assertEqual(([row.token for row in rows], total), (["N-01", "N-02"], 5))
        self.assertEqual(list_recorders(self.db, Wanted(), 2, 6), ([], 5))


if __name__ == "__main__":
    import unittest

    unittest.main()
