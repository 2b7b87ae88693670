"""What no browser would send: odd numbers, odd letters, odd bodies. Every answer is a problem, never a failure."""

import itertools
import json
import random
import re

from tests.support import ServerTest, recording_file

NUMBERS = (-1, 0, 2**31, 2**63, 10**30)
TEXTS = ("\x00", "a\x00b", "💥" * 50, "'; drop table person; --", "%", "\\", "x" * 100_000, "\ud800", "")


class Hostile(ServerTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        self.http = self.client()
        self.session_id = self.http.post("/api/files", content=recording_file(3600)).json()["id"]

    def good(self, method: str, path: str, **rest: object) -> None:
        """Anything but a server error, and problem details if it is an error."""
        answer = self.http.request(method, path, **rest)  # the server must not fail, whatever comes
        self.assertLess(answer.status_code, 500, f"{method} {path[:100]} {str(rest)[:150]}: {answer.text[:200]}")
        if answer.status_code >= 400:
            self.assertEqual(answer.headers["content-type"], "application/problem+json", path[:100])

    def paths(self) -> dict[str, dict[str, dict[str, object]]]:
        return self.http.get("/api/openapi.json").json()["paths"]

    def test_numbers_in_every_path(self) -> None:
        for (path, operations), number in itertools.product(self.paths().items(), NUMBERS):
            if "{" not in path:
                continue
            url = path
            for name in re.findall(r"{(\w+)}", path):
                url = url.replace("{" + name + "}", str(number))
            for method in operations:
                with self.subTest(method=method, url=url):
                    self.good(
                        method.upper(),
                        url + ("?version=0&channel=leq.1" if method in ("get", "delete") else ""),
                        json={},
                    )

    def test_texts_wherever_there_are_texts(self) -> None:
        for words in TEXTS:
            body = json.dumps({"name": words, "number": words, "team": words, "notes": words})
            wishes = [
                ("POST", "/api/people", body),
                ("POST", "/api/sign-in", json.dumps({"login": words, "password": words})),
                (
                    "PATCH",
                    f"/api/sessions/{self.session_id}",
                    json.dumps({"note": words, "tags": {"place": words, words: "x"}}),
                ),
                ("PUT", f"/api/sessions/{self.session_id}/conclusion", json.dumps({"text": words})),
                (
                    "POST",
                    f"/api/sessions/{self.session_id}/decisions",
                    json.dumps({"version": 0, "add": [{"what": "task", "start_s": 0, "end_s": 5, "reason": words}]}),
                ),
                ("POST", f"/api/sessions/{self.session_id}/report-pages", json.dumps({"parts": [words]})),
                ("POST", "/api/take-in", json.dumps({"sessions": [{"recorder_id": 1, "recorder_session": words}]})),
            ]
            for method, path, content in wishes:
                with self.subTest(words=words[:10], path=path):
                    self.good(method, path, content=content.encode(), headers={"content-type": "application/json"})
            if "\ud800" not in words:
                for path in ("/api/people", "/api/sessions", "/api/reports"):
                    self.good("GET", path, params={"search": words[:2000]})
                self.good("GET", "/api/find", params={"words": words[:2000]})

    def test_bodies_that_are_no_bodies(self) -> None:
        bodies = (
            b"",
            b"{",
            b"[]",
            b"null",
            b"7",
            b'"x"',
            b"\xff\xfe",
            b"{" * 20_000,
            b'{"a":' * 5_000,
            b'{"name": NaN}',
            b'{"name": 1e999}',
        )
        for (path, operations), body in itertools.product(self.paths().items(), bodies):
            for method in operations:
                if method == "get" or "{" in path or path in ("/api/sign-out", "/api/files"):
                    continue
                with self.subTest(method=method, path=path, body=body[:12]):
                    self.good(method.upper(), path, content=body, headers={"content-type": "application/json"})

    def decide(self, wish: object) -> None:
        path = f"/api/sessions/{self.session_id}"
        version = self.http.get(f"{path}/review").json()["version"]
        body = json.dumps({"version": version, "add": [wish]})
        self.good("POST", f"{path}/decisions", content=body, headers={"content-type": "application/json"})
        self.good("POST", f"{path}/preview", content=json.dumps({"add": [wish]}))

    def test_values_that_a_review_cannot_take(self) -> None:
        for key, value in itertools.product(
            ("limit_set_id", "working_day_s", "attenuation_db", "accepted"),
            (None, -1, 0, 1e400, 2**70, "x", [], {}, {"coverage": ""}, {"coverage": 5}, True, "\x00"),
        ):
            with self.subTest(key=key, value=value):
                self.decide({"what": "setting", "key": key, "value": value})
                self.good("GET", f"/api/sessions/{self.session_id}/review")

    def test_stretches_at_odd_times(self) -> None:
        for start, end in itertools.product((-1e9, 0, 5, 1e308, 3600.0), (-1, 0, 5.0000001, 1e308, 4000)):
            with self.subTest(start=start, end=end):
                self.decide({"what": "left out", "start_s": start, "end_s": end, "reason": "x"})

    def test_events_that_are_none(self) -> None:
        for key in ("", "@", "x@", "@1", "lap@nan", "lap@1e400", "reading@1+2+3", "reading@1+-5", "a" * 119 + "@1"):
            with self.subTest(key=key):
                self.decide({"what": "dropped", "key": key, "reason": "x", "value": 1e300})

    def test_random_bytes_as_files(self) -> None:
        rng = random.Random(4)
        good = recording_file(3600, seed=9)
        for _ in range(60):
            data = bytearray(good if rng.random() < 0.7 else rng.randbytes(rng.randrange(1, 5000)))
            for _ in range(rng.randrange(1, 6)):
                data[rng.randrange(len(data))] = rng.randrange(256)
            del data[rng.randrange(len(data)) :]
            self.good("POST", "/api/files", content=bytes(data))
        self.assertEqual(self.http.get("/api/sessions").json()["total"], 1)

    def test_queries_out_of_range(self) -> None:
        for query in (
            "limit=501",
            "limit=-1",
            "offset=-1",
            f"offset={2**70}",
            "since=yesterday",
            "since=9999-12-31T23:59:59Z",
            "until=0001-01-01T00:00:00Z",
            "sort=hats",
            "standing=all&falling=maybe",
            f"person_id={2**40}",
            "person_id=x",
        ):
            with self.subTest(query=query):
                self.good("GET", f"/api/sessions?{query}")
        for query in (
            f"points={2**40}",
            "points=0",
            "bin_s=0",
            "bin_s=-1",
            "bin_s=nan",
            "start_s=nan",
            "end_s=inf",
            "start_s=-inf",
            "start_s=1e300",
        ):
            with self.subTest(query=query):
                self.good("GET", f"/api/sessions/{self.session_id}/view?channel=leq.1&{query}")
        self.good("GET", f"/api/sessions/{self.session_id}/view?" + "&".join(["channel=leq.1"] * 9))
        self.good("GET", f"/api/sessions/{self.session_id}/review?limit_set_id={2**40}")
