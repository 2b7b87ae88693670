"""The API as a browser or a script meets it: signing in, problems, faults caused on purpose."""

import json
import re
import threading
import time

import httpx

from kumpel.demo.ensemble import StandIn
from tests import support
from tests.support import ServerTest, recording_file


class SigningIn(ServerTest):
    watch = "0"

    def test_nothing_without_signing_in(self) -> None:
        paths = json.loads(httpx.get(f"{self.address}/api/openapi.json", verify=False, timeout=60).text)["paths"]
        open_to_all = {"/api/state", "/api/sign-in", "/api/sign-out", "/api/first-administrator"}
        open_to_all.add("/api/calendar/{word}.ics")  # opened by its word: tests/services/test_plan.py
        open_to_all |= {"/api/wall/screen", "/api/wall/screen/stream"}  # the same: tests/web/test_wall.py
        for path, operations in paths.items():
            for method in operations:
                if path in open_to_all:
                    continue
                url = path
                for name in ("person_id", "recorder_id", "session_id", "stretch_id", "report_id"):
                    url = url.replace("{" + name + "}", "1")
                url = url.replace("{hand_over_id}", "00000000-0000-0000-0000-000000000000").replace("{kind}", "noise")
                with self.subTest(path=path, method=method):
                    answer = httpx.request(method.upper(), self.address + url, json={})
                    self.assertEqual(answer.status_code, 401, answer.text[:200])
                    self.assertEqual(answer.headers["content-type"], "application/problem+json")

    def test_wrong_password_and_unknown_name_sound_the_same(self) -> None:
        answers = [
            httpx.post(f"{self.address}/api/sign-in", json={"login": login, "password": "wrong wrong"})
            for login in ("officer", "nobody")
        ]
        self.assertEqual(answers[0].json(), answers[1].json())
        self.assertEqual(answers[0].status_code, 401)

    def test_the_first_administrator_is_made_once(self) -> None:
        wish = {"login": "x", "password": "long enough too", "name": "X"}
        self.assertEqual(
            httpx.post(f"{self.address}/api/first-administrator", json=wish, verify=False).status_code, 409
        )

    def test_the_cookie_is_closed_to_scripts_and_other_sites(self) -> None:
        cookie = (
            self.client()
            .post("/api/sign-in", json={"login": "officer", "password": "long enough"})
            .headers["set-cookie"]
        )
        self.assertIn("HttpOnly", cookie)
        self.assertIn("SameSite=strict", cookie)

    def test_another_site_cannot_change_anything(self) -> None:
        answer = self.client().post("/api/people", json={"name": "X"}, headers={"Origin": "http://elsewhere.test"})
        self.assertEqual((answer.status_code, answer.json()["code"]), (403, "other-origin"))

    def test_signing_out_ends_the_session_on_the_server(self) -> None:
        client = self.client()
        token = client.cookies["kumpel"]
        client.post("/api/sign-out")
        self.assertEqual(
            httpx.get(f"{self.address}/api/line", cookies={"kumpel": token}, verify=False).status_code, 401
        )


class Problems(ServerTest):
    watch = "0"

    def test_every_error_is_problem_details(self) -> None:
        client = self.client()
        for method, path, body, status in (
            ("GET", "/api/sessions/999", None, 404),
            ("GET", "/api/nowhere", None, 404),
            ("POST", "/api/people", {"name": ""}, 422),
            ("POST", "/api/people", {}, 422),
            ("GET", "/api/sessions?limit=0", None, 422),
            ("GET", "/api/sessions/abc", None, 422),
            ("POST", "/api/take-in", {"sessions": [{"recorder_id": 1, "recorder_session": "x"}]}, 404),
            ("DELETE", "/api/line", None, 405),
            ("POST", "/api/files", None, 422),
            ("GET", "/api/report-parts/hats", None, 404),
        ):
            with self.subTest(path=path):
                answer = client.request(method, path, json=body)
                self.assertEqual(answer.status_code, status, answer.text)
                self.assertEqual(answer.headers["content-type"], "application/problem+json")
                named = {"field"} if status == 422 and path != "/api/files" else set()
                self.assertEqual(set(answer.json()), {"type", "title", "status", "detail", "code"} | named)

    def test_the_description_is_complete(self) -> None:
        described = httpx.get(f"{self.address}/api/openapi.json", verify=False, timeout=60).json()
        ids = [o["operationId"] for p in described["paths"].values() for o in p.values()]
        self.assertEqual(len(ids), len(set(ids)))
        for path, operations in described["paths"].items():
            for method, operation in operations.items():
                with self.subTest(path=path, method=method):
                    self.assertIn("4XX", operation["responses"])
                    good = next(v for k, v in operation["responses"].items() if k.startswith("2"))
                    if (
                        "204" not in operation["responses"]
                        and not {
                            "application/pdf",
                            "application/zip",
                            "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
                            "text/calendar",
                            "application/fhir+json",
                            "application/gpx+xml",
                            "text/event-stream",
                            "application/octet-stream",
                        }
                        & good.get("content", {}).keys()
                        and "original" not in path
                    ):
                        self.assertIn("$ref", json.dumps(good["content"]["application/json"]["schema"]))

    def test_every_body_has_an_example(self) -> None:
        described = httpx.get(f"{self.address}/api/openapi.json", verify=False, timeout=60).json()
        for path, operations in described["paths"].items():
            for operation in operations.values():
                if "requestBody" not in operation:
                    continue
                [content] = operation["requestBody"]["content"].values()
                if content["schema"].get("format") == "binary":
                    continue
                schema = described["components"]["schemas"][content["schema"]["$ref"].rsplit("/", 1)[1]]
                with self.subTest(path=path):
                    self.assertIn("example", json.dumps(schema))

    def test_the_original_file_and_hostile_files(self) -> None:
        client = self.client()
        data = recording_file(3600)
        made = client.post("/api/files", content=data)
        self.assertEqual(made.status_code, 201, made.text)
        self.assertEqual(client.get(f"/api/sessions/{made.json()['id']}/original").content, data)
        again = client.post("/api/files", content=data)
        self.assertEqual((again.status_code, again.json()["code"]), (409, "conflict"))
        cut = client.post("/api/files", content=recording_file(3600, seed=9)[:-9])
        self.assertEqual(cut.status_code, 422)
        self.assertRegex(cut.json()["detail"], r"byte \d+.*Nothing was stored")

    def test_the_interface_is_small_and_kept_by_the_browser(self) -> None:
        page = httpx.get(self.address, verify=False)
        self.assertIn("no-cache", page.headers["cache-control"])
        scripts = re.findall(r'/assets/[^"]+\.js', page.text)
        self.assertTrue(scripts)
        sizes = []
        for script in scripts:
            with httpx.stream(
                "GET", self.address + script, headers={"Accept-Encoding": "gzip"}, verify=False
            ) as answer:
                self.assertIn("immutable", answer.headers["cache-control"])
                sizes.append(sum(len(part) for part in answer.iter_raw()))
                # What is smaller than a packet is sent as it is.
                self.assertTrue(answer.headers.get("content-encoding") == "gzip" or sizes[-1] < 1000, script)
        self.assertLess(sum(sizes), 300_000)

    def test_views_do_not_break_on_odd_spans(self) -> None:
        client = self.client()
        made = client.post("/api/files", content=recording_file(3600)).json()
        for query in (
            "start_s=0&end_s=0",
            "start_s=5000&end_s=9000",
            "start_s=100&end_s=50",
            "points=1",
            "bin_s=86400",
            "start_s=-50",
        ):
            with self.subTest(query=query):
                answer = client.get(f"/api/sessions/{made['id']}/view?channel=leq.1&{query}")
                self.assertEqual(answer.status_code, 200, answer.text[:300])
        self.assertEqual(client.get(f"/api/sessions/{made['id']}/view?channel=nose").status_code, 404)


class Faults(ServerTest):
    """The server with real recorders beside it, and things going wrong."""

    def ready(self, client: httpx.Client, length_s: int = 28_800) -> tuple[support.Running, dict[str, object]]:
        ensemble = self.launch(StandIn("N-07", "NM-000107", "Noise meter 7", auto_start=False))
        meter = ensemble.running["N-07"]
        meter.tell("record", start=time.time() - length_s - 60, length_s=length_s, seed=5)
        self.eventually(lambda: any(b["sessions"] for b in client.get("/api/take-in").json()))
        [bay] = client.get("/api/take-in").json()
        wish = {"recorder_id": bay["recorder"]["id"], "recorder_session": bay["sessions"][0]["recorder_session"]}
        return meter, wish

    def standing(self, client: httpx.Client) -> str:
        [bay] = client.get("/api/take-in").json()
        return str(bay["sessions"][0]["standing"])

    def test_recorders_show_by_themselves_and_a_cut_transfer_goes_on_by_itself(self) -> None:
        client = self.client()
        meter, wish = self.ready(client)
        meter.tell("vanish", after_bytes=150_000)
        client.post("/api/take-in", json={"sessions": [wish]})
        self.eventually(
            lambda: client.get("/api/take-in").json() == [] and not client.get("/api/recorders").json()[0]["in_reach"]
        )
        self.assertEqual(client.get("/api/sessions").json()["total"], 0)
        meter.tell("come back")
        self.eventually(lambda: self.standing(client) == "stored", 15)
        self.assertEqual(client.get("/api/sessions").json()["total"], 1)

    def test_a_killed_server_goes_on_where_it_was(self) -> None:
        client = self.client()
        meter, wish = self.ready(client)
        meter.tell("slow", bytes_per_s=120_000)
        client.post("/api/take-in", json={"sessions": [wish]})
        time.sleep(0.8)
        self.server.kill()
        self.server.wait()
        meter.tell("slow", bytes_per_s=None)
        self.start_server()
        self.eventually(lambda: self.standing(client) == "stored", 20)
        self.assertEqual(client.get("/api/sessions").json()["total"], 1)

    def test_a_restarted_database_is_survived(self) -> None:
        client = self.client()
        meter, wish = self.ready(client)
        meter.tell("slow", bytes_per_s=200_000)
        client.post("/api/take-in", json={"sessions": [wish]})
        time.sleep(0.5)
        self.db.close()
        support.cluster().restart()
        meter.tell("slow", bytes_per_s=None)
        self.eventually(lambda: client.get("/api/line").status_code == 200, 15)
        self.eventually(lambda: self.standing(client) == "stored", 30)
        self.assertEqual(client.get("/api/sessions").json()["total"], 1)

    def test_changes_are_told_to_every_browser(self) -> None:
        client = self.client()
        notes: list[dict[str, object]] = []

        def listen() -> None:
            with client.stream("GET", "/api/events") as stream:
                for line in stream.iter_lines():
                    # A sign of life has nothing behind its "data:".
                    if line.startswith("data:") and line[5:].strip():
                        notes.append(json.loads(line[5:]))
                    if any(n["what"] == "stored" for n in notes):
                        return

        thread = threading.Thread(target=listen, daemon=True)
        thread.start()
        other = self.client()
        _, wish = self.ready(other)
        other.post("/api/take-in", json={"sessions": [wish]})
        thread.join(15)
        kinds = {str(n["what"]) for n in notes}
        self.assertTrue({"everything", "recorders", "take-in", "arriving", "stored"} <= kinds, kinds)

    def test_two_browsers_reviewing_the_second_is_told(self) -> None:
        first, second = self.client(), self.client()
        made = first.post("/api/files", content=recording_file(7200)).json()
        mark = {"version": 0, "add": [{"what": "left out", "start_s": 0.0, "end_s": 60.0, "reason": "knock"}]}
        url = f"/api/sessions/{made['id']}/decisions"
        answers = [c.post(url, json=mark) for c in (first, second)]
        self.assertEqual([a.status_code for a in answers], [200, 409])
        self.assertEqual(answers[1].json()["code"], "stale-review")
        self.assertEqual(len(first.get(f"/api/sessions/{made['id']}/review").json()["decisions"]), 1)
