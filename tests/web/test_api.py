"""The JSON door."""

import json
import re
import tempfile
import unittest
from pathlib import Path
from unittest import mock
from urllib.parse import quote
from uuid import uuid4

from fastapi.testclient import TestClient

import frosty_piston.web
from frosty_piston.job.tape.jobfile import canonical, chain_of
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.app import create_app
from tests.cases import entry, job_file, meter, plugs, reading, symptom
from tests.made import empty_into


class Reader(TestClient):
    """A client that reads a page as people do: a space that never parts, and a new line, are a space."""

    def request(self, *args, **kwargs):
        answer = super().request(*args, **kwargs)
        if answer.headers.get("content-type", "").startswith("text/html"):
            answer._text = re.sub(r"\s+", " ", answer.text)
        return answer


def quoted(text):
    """A text as one part of an address."""
    return quote(text.encode("utf-8", "replace"), safe="")


class WithClient(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.workshop = Workshop(empty_into(folder.name))
        self.addCleanup(self.workshop.close)
        self.workshop.day.search_s, self.workshop.day.rest_s = 0.1, 0.0
        self.client = Reader(create_app(self.workshop), raise_server_exceptions=False, follow_redirects=False)


class Api(WithClient):
    def add(self, *entries, job_id="case"):
        return self.client.post("/api/v1/jobs", json=job_file(*entries, job_id=job_id))

    def test_a_job_goes_in_and_comes_out(self):
        answer = self.add(symptom("no_start"))
        self.assertEqual((answer.status_code, answer.json()), (201, {"id": "case"}))
        given, written = job_file(symptom("no_start")), self.client.get("/api/v1/jobs/case")
        self.assertEqual(written.text, canonical({**given, "chain": chain_of(given["entries"])}))
        self.assertEqual(self.add(symptom("no_start")).status_code, 200)
        self.assertEqual(self.add(symptom("slow_crank")).status_code, 409)

    def test_entries_one_or_many_new_or_known(self):
        self.add(symptom("hard_start_cold"))
        one = {"id": "n", **entry("note", text="x")}
        self.assertEqual(self.client.post("/api/v1/jobs/case/entries", json=one).status_code, 201)
        self.assertEqual(self.client.post("/api/v1/jobs/case/entries", json=one).status_code, 200)
        many = [{"id": f"p{i}", **e} for i, e in enumerate([meter(), *plugs([1.0, "OL", 1.0, 1.0])])]
        self.assertEqual(self.client.post("/api/v1/jobs/case/entries", json=[one, *many]).status_code, 201)
        result = self.client.get("/api/v1/jobs/case/assessment").json()
        self.assertEqual(result["suspects"][0]["fault"], "glow_plugs_open")
        self.assertEqual(
            self.client.post(
                "/api/v1/jobs/case/entries", json={"id": "n", **entry("note", text="y")}
            ).status_code,
            409,
        )

    def typed(self, value, unit="rpm", test="crank_speed"):
        return self.client.post(
            "/jobs/case/measure/cell",
            data={
                "test": test,
                "unit": unit,
                "value": value,
                "bench": "battery",
                "entry_id": f"{test}{value}",
            },
        ).status_code

    def sent(self, *entries):
        raws = [{"id": str(uuid4()), **e} for e in entries]
        return self.client.post("/api/v1/jobs/case/entries", json=raws)

    def test_every_door_refuses_what_no_instrument_can_show(self):
        self.add()
        for value, allowed in ((20_000.0, True), (20_001.0, False), (99_999.0, False)):
            one = reading("crank_speed", value, "rpm")
            file = self.client.post("/api/v1/jobs", json=job_file(one, job_id=f"file{value:.0f}")).status_code
            wanted = {True: (303, 201, 201), False: (422, 422, 422)}[allowed]
            self.assertEqual((self.typed(f"{value:.0f}"), self.sent(one).status_code, file), wanted, value)
        speed = {"rpm": 99_999.0, "bar": 2.0}
        self.assertEqual(self.sent(entry("outcome", test="oil_pressure", figures=speed)).status_code, 422)

    def test_every_door_keeps_what_a_vehicle_cannot_do_and_judges_it(self):
        self.add()
        self.assertEqual(self.typed("38", "V", "battery_rest"), 303)
        self.sent(reading("crank_speed", 1001.0, "rpm"))
        verdicts = self.client.get("/api/v1/jobs/case/assessment").json()["verdicts"]
        self.assertEqual({v["verdict"] for v in verdicts}, {"implausible"})

    def test_ticks_are_asked_of_requests_and_never_of_files(self):
        drive = entry("drive", distance_km=20, codes_read=True)
        self.assertEqual(self.add(drive).status_code, 201)
        answer = self.sent(drive)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("tick the caution first", answer.json()["faults"][0]["says"])
        self.assertEqual(self.sent(entry("tick", caution="road_test"), drive).status_code, 201)
        heated = entry("outcome", test="glow_bench_heat", where={"cylinder": 1}, outcome="red_tip")
        self.assertEqual(self.sent(heated).status_code, 422)

    def test_faults_carry_their_paths(self):
        self.add()
        answer = self.client.post(
            "/api/v1/jobs/case/entries",
            json=[{"id": "a", **reading("crank_speed", "fast", "rpm")}, {"id": "b", **entry("wut")}],
        )
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(
            {f["path"] for f in answer.json()["faults"]}, {"entries[0].data.value", "entries[1].kind"}
        )

    def test_what_is_not_there(self):
        for path in ("/api/v1/jobs/nope", "/api/v1/jobs/nope/assessment", "/api/v1/nope"):
            answer = self.client.get(path)
            self.assertEqual(answer.status_code, 404, path)
            self.assertTrue(answer.json()["error"])
        self.assertEqual(self.client.post("/api/v1/jobs/nope/entries", json=[{"id": "a"}]).status_code, 404)

    def test_bodies_nobody_should_send(self):
        for body in (
            b"",
            b"[]",
            b"null",
            b'"x"',
            b"{}",
            b"\xff",
            b"[" * 10_000,
            b'{"format":' * 10_000,
            b'{"a":NaN}',
            b'{"id":1}',
        ):
            for path in ("/api/v1/jobs", "/api/v1/jobs/case/entries"):
                self.assertIn(self.client.post(path, content=body).status_code, (404, 422), (path, body[:20]))
        self.assertEqual(self.workshop.yard.jobs(), [])

    def test_a_hundred_megabytes_are_refused_before_they_are_read(self):
        def endless():
            for _ in range(100):
                yield b" " * 1_000_000

        self.assertEqual(self.client.post("/api/v1/jobs", content=endless()).status_code, 413)

    def test_the_schema_is_served(self):
        self.assertEqual(
            self.client.get("/api/v1/schema/job").json()["properties"]["format"],
            {"const": "frosty-piston/job"},
        )


SPRITE = (Path(frosty_piston.web.__file__).parent / "static" / "marks.svg").read_text("utf-8")


def signs_missing(page):
    """The signs that a page draws and that stand nowhere: neither on it nor in the file of marks."""
    drawn = re.findall(r'<use href="([^"#]*)#([^"]+)"', page)
    return [name for file, name in drawn if f'id="{name}"' not in (SPRITE if file else page)]


class Guarded(WithClient):
    def test_headers_and_other_sites(self):
        answer = self.client.get("/")
        self.assertIn("script-src 'self'", answer.headers["content-security-policy"])
        self.assertNotIn("unsafe", answer.headers["content-security-policy"])
        self.assertTrue(answer.headers["x-request-id"])
        self.assertEqual(
            self.client.post("/jobs", headers={"origin": "http://elsewhere.example"}).status_code, 403
        )
        self.assertEqual(self.client.get("/", headers={"host": "elsewhere.example"}).status_code, 400)

    def test_a_page_that_is_not_there_says_so(self):
        answer = self.client.get("/nope")
        self.assertEqual(answer.status_code, 404)
        self.assertIn("There is no such page", answer.text)
        self.assertEqual(self.client.get("/jobs/nope/arrive").status_code, 404)

    def test_no_page_loads_anything_from_outside(self):
        self.workshop.tapes.import_file(
            json.dumps(job_file(symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0]))).encode()
        )
        for path in (
            "/",
            *(
                f"/jobs/case/{s}"
                for s in (
                    "arrive",
                    "vehicle",
                    "narrow",
                    "measure",
                    "measure/glow",
                    "measure/relay",
                    "measure/battery",
                    "decide",
                    "fit",
                    "prove",
                    "tape",
                    "report",
                )
            ),
        ):
            text = self.client.get(path).text
            self.assertNotRegex(text, r'(src|href|action)="https?:', path)
            self.assertNotRegex(text, r"<script(?![^>]*src=)", path)
            self.assertNotRegex(text, r'\sstyle="', path)
            self.assertEqual(signs_missing(text), [], path)


class Failing(WithClient):
    """Every answer, whatever went wrong, carries the same headers and leaves a line in the log."""

    def test_every_error_page(self):
        wanted = ("content-security-policy", "x-content-type-options", "x-frame-options", "x-request-id")
        yard, elsewhere = "frosty_piston.web.workshop.yard.render", {"origin": "http://elsewhere.test"}
        for status, ask in (
            (500, lambda: self.client.get("/")),
            (404, lambda: self.client.get("/nothing")),
            (404, lambda: self.client.get("/jobs/nope/arrive")),
            (405, lambda: self.client.delete("/shelf")),
            (403, lambda: self.client.post("/look", headers=elsewhere)),
            (413, lambda: self.client.post("/look", headers={"content-length": "9000000"})),
        ):
            with mock.patch(yard, side_effect=RuntimeError), self.assertLogs("frosty_piston.web") as log:
                answer = ask()
            self.assertEqual(answer.status_code, status)
            for name in wanted:
                self.assertIn(name, answer.headers, status)
            self.assertIn(answer.headers["x-request-id"], log.output[-1])
            self.assertIn(f'"status": {status}', log.output[-1])
