"""Every operation of the API with values made from its own description, good ones and wrong ones: no answer is a failure of the server."""

from __future__ import annotations

import logging
import os
import unittest

import hypothesis
import schemathesis
from hypothesis import HealthCheck, Phase
from schemathesis.config import SchemathesisConfig
from schemathesis.schemas import APIOperation

from tests.support import ServerTest, recording_file

EXAMPLES = int(os.environ.get("KUMPEL_EXAMPLES", "2"))
"""A run of the suite is bounded; more of them are tried by hand: KUMPEL_EXAMPLES=200."""
LEFT_OUT = {
    ("get", "/api/events"): "an answer without end",
    ("post", "/api/recorders"): "it would ask whatever address comes to somebody's mind",
}
SIGNED_OUT_BY = ("/api/sign-out", "/api/sign-in", "/api/first-administrator")


class EveryOperation(ServerTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        self.http = self.client()
        for number in range(2):
            answer = self.http.post("/api/files", content=recording_file(1800, session=f"S-{number}"))
            self.assertEqual(answer.status_code, 201, answer.text)
        self.http.post("/api/people", json={"name": "Ida Brandvik", "team": "Mill"})

    def test_no_answer_is_a_failure(self) -> None:
        logging.getLogger("hypothesis").setLevel(logging.ERROR)
        described = self.http.get("/api/openapi.json").json()
        schema = schemathesis.openapi.from_dict(described, config=SchemathesisConfig())
        cookies = {"kumpel": self.http.cookies["kumpel"]}
        tried = 0
        for found in schema.get_all_operations():
            operation = found.ok()
            if (operation.method.lower(), operation.path) in LEFT_OUT or operation.path in SIGNED_OUT_BY:
                continue
            tried += 1
            with self.subTest(operation=f"{operation.method.upper()} {operation.path}"):
                self.one(operation, cookies)
        self.assertGreater(tried, 100)

    def one(self, operation: APIOperation, cookies: dict[str, str]) -> None:
        @hypothesis.settings(
            max_examples=EXAMPLES,
            deadline=None,
            database=None,
            derandomize=True,
            phases=(Phase.explicit, Phase.generate),
            suppress_health_check=list(HealthCheck),
        )
        @hypothesis.given(case=operation.as_strategy())
        def ask(case: schemathesis.Case) -> None:
            answer = case.call(base_url=self.address, cookies=cookies, timeout=30)
            if answer.status_code >= 500:
                asked = f"{case.method} {case.formatted_path} {case.query} {str(case.body)[:300]}"
                raise AssertionError(f"{asked}: {answer.text[:300]}")

        ask()


if __name__ == "__main__":
    unittest.main()
