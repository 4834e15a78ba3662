"""Papers: one layout as page and as PDF; the parts order across jobs, which ends the waits of the jobs."""

import io
import json
import unittest
from datetime import timedelta
from unittest import mock
from uuid import uuid4

from pypdf import PdfReader

from frosty_piston.job.repair.waits import open_waits
from frosty_piston.store.timestamps import now
from frosty_piston.web.job.papers import PAPERS
from tests.cases import entry, job_file, symptom, vacuum_circuit
from tests.job.test_next_step import DONE, PICKED, SURE, YES
from tests.web.test_api import WithClient

TEMPORARY = entry(
    "action",
    action="refitted",
    what="pull cable",
    temporary=True,
    come_back="2026-12-01",
    note="Pull to stop",
)
WARNING = entry("warning", text="brake line bodged", urgency="stop", place="left rear", owner="declined")
TRIM = [{"kind": "trim", "data": {"cylinder": n, "code": f"AB{n}CD", "from": "part"}} for n in (1, 2)]


class WithPapers(WithClient):
    def add(self, *entries, job_id="case"):
        self.workshop.tapes.import_file(json.dumps(job_file(*entries, job_id=job_id)).encode())

    def pdf(self, name, job="case"):
        answer = self.client.get(f"/jobs/{job}/papers/{name}.pdf")
        self.assertEqual((answer.status_code, answer.headers["content-type"]), (200, "application/pdf"))
        return PdfReader(io.BytesIO(answer.content))

    def text(self, name):
        return " ".join(" ".join(p.extract_text() for p in self.pdf(name).pages).split())

    def page(self, name):
        answer = self.client.get(f"/jobs/case/papers/{name}")
        self.assertEqual(answer.status_code, 200)
        return answer.text


class Papers(WithPapers):
    def test_each_says_the_same_on_the_page_and_in_its_pdf(self):
        self.add(*SURE, PICKED, YES, DONE, TEMPORARY, WARNING, *TRIM, vacuum_circuit())
        self.client.post(
            "/jobs/case/papers/head", data={"name": "Skerry rescue", "note": "Harbour 3, 7 to 16"}
        )
        for name, says in (
            ("owner", ["Complaint", "Done", "Stop: do not drive: brake line bodged"]),
            ("record", ["Suspects at the repair", "Tape", "pull cable"]),
            ("warning", ["brake line bodged", "left rear", "Owner or driver", "I was told"]),
            ("label", ["Pull to stop", "pull cable", "Back to the workshop by 2026-12-01"]),
            ("trim", ["AB1C D", "AB2C D", "not read back"]),
            ("circuit", ["Parts and hoses"]),
        ):
            page, paper = self.page(name).replace("&#39;", "'"), self.text(name)
            for words in ["Skerry rescue", "Harbour 3", *says]:
                with self.subTest(name=name, words=words):
                    self.assertIn(words, page)
                    self.assertIn(words, paper)
        self.assertEqual((len(self.pdf("owner").pages), len(self.pdf("label").pages)), (1, 1))
        self.assertIn("Skerry rescue", self.client.get("/jobs/case/report").text)

    def test_what_is_not_there_is_said_and_not_offered(self):
        self.add(symptom("no_start"))
        listed = self.client.get("/jobs/case/papers").text
        for name, paper in PAPERS.items():
            there = name in ("owner", "record")
            self.assertEqual(f"/jobs/case/papers/{name}.pdf" in listed, there)
            if not there:
                answer = self.client.get(f"/jobs/case/papers/{name}")
                self.assertEqual(answer.status_code, 404)
                self.assertIn(paper.empty.split(".")[0], answer.text.replace("&#39;", "'"))
        self.assertEqual(self.client.get("/jobs/case/papers/poem.pdf").status_code, 404)
        long = self.client.post("/jobs/case/papers/head", data={"name": "x" * 81, "note": ""})
        self.assertEqual((long.status_code, "x" * 81 in long.text), (422, True))


class Ordering(WithPapers):
    def setUp(self):
        super().setUp()
        self.add(*SURE, PICKED, YES, job_id="plugs")
        self.add(symptom("no_start"), entry("code_scan"), job_id="weak")

    def want(self, job="plugs", what="glow plug", **more):
        sent = {"entry_id": str(uuid4()), "job": job, "what": what, "count": "2", **more}
        return self.client.post("/orders/want", data=sent)

    def post(self, name, order, **more):
        return self.client.post(f"/orders/{name}", data={"id": order.id, **more})

    def due(self, days):
        return f"{(now() + timedelta(days=days)).astimezone():%Y-%m-%dT%H:%M}"

    def open_parts(self, job="plugs"):
        record = self.workshop.tapes.job(job)
        return [x for x in open_waits(record.job) if x.data.wait == "parts"]

    def test_what_is_ordered_makes_the_job_wait_and_what_arrives_ends_it(self):
        self.want()
        order = self.workshop.orders.all()[0]
        self.assertEqual((order.state, order.count, self.open_parts()), ("wanted", 2, []))
        self.post("ordered", order, due=self.due(2))
        wait = self.open_parts()[0]
        self.assertAlmostEqual((wait.data.until - now()).total_seconds() / 3600, 48, delta=0.1)
        self.assertIn("on the way", self.client.get("/orders").text.lower())
        self.post("arrived", order)
        self.assertEqual(self.open_parts(), [])
        ended = self.workshop.tapes.job("plugs").job.live[-1].data
        self.assertEqual((ended.state, ended.seen), ("ended", "arrived: 2 × glow plug"))
        self.post("arrived", order)
        self.assertIn("glow plug", self.client.get("/orders").text)

    def test_a_job_waits_for_the_last_of_its_parts(self):
        self.want()
        self.want(what="seal")
        plug, seal = self.workshop.orders.all()
        self.post("ordered", plug, due=self.due(2))
        self.post("ordered", seal, due=self.due(1))
        self.assertEqual(len(self.open_parts()), 1)
        self.assertAlmostEqual(
            (self.open_parts()[0].data.until - now()).total_seconds() / 3600, 48, delta=0.1
        )
        self.post("arrived", plug)
        self.assertEqual(len(self.open_parts()), 1)
        self.want(what="paste")
        paste = next(o for o in self.workshop.orders.all() if o.what == "paste")
        self.post("ordered", paste, due=self.due(5))
        self.assertAlmostEqual(
            (self.open_parts()[0].data.until - now()).total_seconds() / 3600, 120, delta=0.1
        )
        for order in (seal, paste):
            self.post("arrived", order)
        self.assertEqual(self.open_parts(), [])

    def test_a_wait_that_was_ended_by_hand_stays_ended(self):
        self.want()
        order = self.workshop.orders.all()[0]
        self.post("ordered", order, due=self.due(2))
        ended = {"wait": "parts", "what": "x", "state": "ended", "ends": self.open_parts()[0].id}
        self.workshop.tapes.write("plugs", [{"id": "by-hand", "kind": "wait", "data": ended}], None)
        before = len(self.workshop.tapes.job("plugs").job.tape)
        self.assertEqual(self.post("arrived", order).status_code, 303)
        self.assertEqual(len(self.workshop.tapes.job("plugs").job.tape), before)

    def test_what_the_picked_work_takes_is_offered_until_it_is_on_the_order(self):
        page = self.client.get("/orders?job=plugs").text
        self.assertIn("The picked work takes", page)
        self.want(what="", take=["1 × glow plugs", "3 × seal"])
        self.assertEqual(
            [(o.count, o.what) for o in self.workshop.orders.all()], [(1, "glow plugs"), (3, "seal")]
        )
        self.assertNotIn('value="1 × glow plugs"', self.client.get("/orders?job=plugs").text)

    def test_a_job_beyond_the_end_of_the_list_can_order_too_a_closed_one_not(self):
        self.add(symptom("no_start"), entry("handover", to="Owner"), job_id="gone")
        with mock.patch("frosty_piston.web.workshop.orders.LISTED", 0):
            page = self.client.get("/orders?job=plugs").text
            self.assertIn("The picked work takes", page)
            self.assertIn('<option value="plugs" selected', page)
            self.assertEqual(self.want().status_code, 303)
            self.assertEqual(self.want(job="gone").status_code, 422)

    def test_the_same_press_orders_once_and_what_is_wrong_is_said(self):
        key = str(uuid4())
        for _ in range(2):
            self.want(entry_id=key)
        order = self.workshop.orders.all()[0]
        self.assertEqual(len(self.workshop.orders.all()), 1)
        for answer, status, says in (
            (self.want(what=""), 422, "say what is wanted"),
            (self.want(job="none"), 422, "choose one of"),
            (self.want(count="0"), 422, "out of reach"),
            (self.want(price="dear"), 422, "is no amount"),
            (self.post("ordered", order, due=""), 422, "say when it should be here"),
            (self.client.post("/orders/arrived", data={"id": "none"}), 404, "no such line"),
            (self.client.post("/orders/dance"), 404, "no such form"),
        ):
            with self.subTest(says):
                self.assertEqual(answer.status_code, status)
                self.assertIn(says, answer.text)
        self.post("ordered", order, due=self.due(1))
        self.assertEqual(self.post("drop", order).status_code, 409)
        self.assertIn("stays on the list until it is here", self.post("drop", order).text)

    def test_the_order_as_a_paper(self):
        self.want(supplier="Island parts", price="1 250,50")
        page = self.client.get("/orders/paper").text
        text = " ".join(
            p.extract_text()
            for p in PdfReader(io.BytesIO(self.client.get("/orders/paper.pdf").content)).pages
        )
        for words in ("To order", "glow plug", "Island parts"):
            self.assertIn(words, page)
            self.assertIn(words, text)
        self.post("drop", self.workshop.orders.all()[0])
        self.assertIn("Nothing is on the order", self.client.get("/orders/paper").text)


if __name__ == "__main__":
    unittest.main()
