"""Limit sets of the house: copied, changed in versions, tried before they are kept; what was signed stays."""

import unittest
from datetime import date
from typing import Any

from sqlmodel import select

from kumpel.core.assessment import Verdict
from kumpel.services.ground import figures, limits, settings
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.report import conclusions
from kumpel.services.review import deciding, own_limits
from kumpel.services.review.own_limits import Wish
from kumpel.store.tables import Deed, LimitSetRow, Result, Session
from tests.support import DatabaseTest


class OwnLimits(DatabaseTest):
    def base(self, kind: str = "noise") -> LimitSetRow:
        return limits.all_limit_sets(self.db, kind)[0]

    def wish(self, change: Any = None, base: LimitSetRow | None = None, **rest: Any) -> Wish:
        base = base or self.base()
        rules = [
            {k: r[k] for k in ("figure", "name", "parameters")} | {"steps": [dict(s) for s in r["steps"]]}
            for r in base.data["rules"]
        ]
        if change:
            change(rules)
        told = {
            "name": "Our levels",
            "issuer": "Tarnfels",
            "valid_from": date(2026, 1, 1),
            "minimum_coverage": 0.8,
        } | rest
        return Wish(base.id or 0, rules=rules, **told)

    def raised(self, by: float) -> Any:
        def change(rules: list[dict[str, Any]]) -> None:
            for rule in rules:
                for step in rule["steps"]:
                    step["value"] += by

        return change

    def test_a_copy_is_a_set_of_its_own(self) -> None:
        before = dict(self.base().data)
        row = own_limits.copied(self.db, self.wish(self.raised(30)), self.who)
        self.assertEqual((row.shipped, row.version, row.key, row.kind), (False, "version 1", "own-our-levels", "noise"))
        self.assertEqual(row.data["rules"][0]["steps"][0]["value"], before["rules"][0]["steps"][0]["value"] + 30)
        self.assertEqual(self.base().data, before)
        second = own_limits.copied(self.db, self.wish(), self.who)
        self.assertEqual(second.key, "own-our-levels-2")
        deed = self.db.exec(select(Deed).where(Deed.what == "limit set made")).first()
        assert deed is not None and deed.after is not None
        self.assertEqual((deed.who, deed.after["name"]), (self.who, "Our levels"))

    def test_a_change_is_a_new_version_and_old_results_keep_theirs(self) -> None:
        session = self.session()
        first = own_limits.copied(self.db, self.wish(), self.who)
        wish = deciding.Wish("setting", "limit_set_id", value=first.id)
        session = deciding.decide(self.db, session.id or 0, session.review_version, [wish])
        before = repr(figures.outcome(self.db, session.id or 0))
        second = own_limits.changed(self.db, first.id or 0, self.wish(self.raised(30), first), self.who)
        self.assertEqual((second.key, second.version), (first.key, "version 2"))
        self.assertEqual(repr(figures.outcome(self.db, session.id or 0)), before)
        with self.assertRaisesRegex(ConflictError, "newer version"):
            own_limits.changed(self.db, first.id or 0, self.wish(None, first), self.who)

    def test_shipped_sets_are_read_only(self) -> None:
        with self.assertRaisesRegex(ConflictError, "copy"):
            own_limits.changed(self.db, self.base().id or 0, self.wish(), self.who)
        with self.assertRaises(NotFoundError):
            own_limits.changed(self.db, 999_999, self.wish(), self.who)

    def test_what_cannot_be_a_limit_is_refused_and_nothing_is_kept(self) -> None:
        def put(rule: int, **values: Any) -> Any:
            return lambda rules: rules[rule].update(values)

        step = {"value": 80.0, "verdict": "action level reached", "name": "lower", "beyond": False}
        cases = {
            "no set of this kind": put(0, figure="co.stel"),
            "one to 6 steps": put(0, steps=[]),
            "above the one before": put(0, steps=[step, step | {"value": 80.0}]),
            "an action level lies before": put(0, steps=[step | {"verdict": "above limit"}, step | {"value": 90.0}]),
            "up or down": put(0, steps=[step, step | {"value": 90.0, "below": True}]),
            "needs a number": put(0, steps=[step | {"value": float("nan")}]),
            "a step needs a name": put(0, steps=[step | {"name": " "}]),
            "action level or a limit": put(0, steps=[step | {"verdict": "within"}]),
            "at least one": lambda rules: rules.clear(),
            "twice": lambda rules: rules.append(dict(rules[0])),
        }
        count = len(limits.all_limit_sets(self.db))
        for words, change in cases.items():
            with self.subTest(words), self.assertRaisesRegex(InvalidError, words):
                own_limits.copied(self.db, self.wish(change), self.who)
        for words, told in {"name": {"name": " "}, "minimum_coverage": {"minimum_coverage": 1.5}}.items():
            with self.subTest(words), self.assertRaisesRegex(InvalidError, words):
                own_limits.copied(self.db, self.wish(**told), self.who)
        self.db.rollback()
        self.assertEqual(len(limits.all_limit_sets(self.db)), count)

    def test_limits_can_be_tried_without_being_kept(self) -> None:
        session = self.session()
        figures.assess(self.db, session)
        self.db.commit()
        results = len(self.db.exec(select(Result)).all())
        for by, verdict in ((-60.0, Verdict.ABOVE), (200.0, Verdict.WITHIN)):
            wanted = own_limits.wished(self.db, self.wish(self.raised(by)))
            found = deciding.supposed(self.db, session, (), (), limits=wanted).reviewed
            judged = [j.verdict for j in found.judgements if j.verdict != Verdict.NOT_ASSESSABLE]
            self.assertEqual(max(judged, key=list(Verdict).index), verdict)
        self.assertEqual(len(self.db.exec(select(Result)).all()), results)
        self.assertEqual([r for r in limits.all_limit_sets(self.db, "noise") if not r.shipped], [])

    def test_the_usual_set_of_a_kind_holds_for_what_is_not_signed(self) -> None:
        signed, open_one = self.session(), self.session(length_s=7200)
        for row in (signed, open_one):
            figures.assess(self.db, row)
        self.db.commit()
        conclusions.sign(self.db, signed.id or 0, signed.review_version, self.who)
        own = own_limits.copied(self.db, self.wish(self.raised(200)), self.who)
        settings.keep(self.db, settings.USUAL_LIMITS, "kind", "noise", own.key, 0, self.who)
        self.assertEqual([self.db.get_one(Session, s.id).figures for s in (signed, open_one)], ["assessed", "waiting"])
        row, _ = limits.limits_of(self.db, "noise", None)
        self.assertEqual(row.id, own.id)
        newer = own_limits.changed(self.db, own.id or 0, self.wish(self.raised(100), own), self.who)
        self.assertEqual(limits.limits_of(self.db, "noise", None)[0].id, newer.id)


if __name__ == "__main__":
    unittest.main()
