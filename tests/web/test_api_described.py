"""The API is described, its description is true, and the client in the docs works as it stands."""

import re
import threading
from pathlib import Path

import uvicorn

from frosty_piston.web.frame.api_models import Assessment, Failure, JobAdded, Written
from frosty_piston.web.frame.serving import free_port
from tests.cases import entry, job_file, symptom

from . import test_api

DOCS = Path(__file__).parents[2] / "docs" / "api.md"
READING = entry("reading", test="battery_rest", value=11.2, unit="V", where={"point": "battery_1"})


class Described(test_api.WithClient):
    def setUp(self):
        super().setUp()
        self.described = self.client.get("/api/v1/openapi.json").json()

    def test_only_the_api_stands_in_it_with_tags_and_errors(self):
        tags = {tag["name"] for tag in self.described["tags"]}
        for path, methods in self.described["paths"].items():
            self.assertTrue(path.startswith("/api/v1/"), path)
            for operation in methods.values():
                self.assertLessEqual(set(operation["tags"]), tags)
                self.assertTrue(operation.get("description") or operation["summary"])
                if "{job_id}" in path:
                    self.assertEqual(
                        operation["responses"]["422"]["content"]["application/json"]["schema"],
                        {"$ref": "#/components/schemas/Failure"},
                    )
        self.assertEqual(len(self.described["paths"]), 6)

    def test_every_reference_leads_somewhere(self):
        text = self.client.get("/api/v1/openapi.json").text
        for name in set(re.findall(r'"#/components/schemas/(\w+)"', text)):
            self.assertIn(name, self.described["components"]["schemas"])
        self.assertNotIn("#/$defs/", text)

    def test_the_models_are_what_is_answered(self):
        added = self.client.post("/api/v1/jobs", json=job_file(symptom("low_power"), job_id="described"))
        self.assertEqual(JobAdded.model_validate(added.json(), strict=True).id, "described")
        written = self.client.post("/api/v1/jobs/described/entries", json={"id": "r1", **READING})
        self.assertEqual(Written.model_validate(written.json(), strict=True).written, ["r1"])
        Assessment.model_validate(self.client.get("/api/v1/jobs/described/assessment").json())
        refused = self.client.post("/api/v1/jobs/described/entries", json={"id": "r2", "kind": "nothing"})
        self.assertTrue(Failure.model_validate(refused.json()).faults)
        self.assertEqual(refused.status_code, 422)
        self.assertEqual(self.client.get("/api/v1/jobs/nowhere").status_code, 404)

    def test_the_example_is_taken(self):
        self.client.post("/api/v1/jobs", json=job_file(symptom("low_power")))
        body = self.described["paths"]["/api/v1/jobs/{job_id}/entries"]["post"]["requestBody"]
        example = body["content"]["application/json"]["example"]
        self.assertEqual(self.client.post("/api/v1/jobs/case/entries", json=example).status_code, 201)

    def test_the_page_shows_every_request(self):
        page = self.client.get("/api/docs").text
        for path, methods in self.described["paths"].items():
            for method in methods:
                self.assertIn(f"{method.upper()} {path}", page)
        self.assertNotRegex(page, r"<script(?![^>]*src=)")


class Client(test_api.WithClient):
    def test_the_client_in_the_docs_writes_a_reading_and_hears_what_is_next(self):
        self.client.post("/api/v1/jobs", json=job_file(symptom("low_power")))
        taken = free_port(0)
        server = uvicorn.Server(
            uvicorn.Config(self.client.app, log_level="error", access_log=False, lifespan="off")
        )
        running = threading.Thread(target=server.run, kwargs={"sockets": [taken]}, daemon=True)
        running.start()
        self.addCleanup(running.join, 10)
        self.addCleanup(setattr, server, "should_exit", True)
        code = re.search(r"```python\n(.*?)```", DOCS.read_text(), re.S)[1]
        lines = [line for line in code.splitlines() if line.strip() and not line.startswith("import")]
        self.assertLessEqual(len(lines), 10)
        told: dict = {}
        exec(code, told)
        base = f"http://127.0.0.1:{taken.getsockname()[1]}"
        says = told["write_reading"](base, "case", "k1", "battery_rest", 11.2, "V", point="battery_1")
        self.assertTrue(says)
        last = self.workshop.tapes.job("case").job.tape[-1]
        self.assertEqual((last.id, last.data.value), ("k1", 11.2))
