"""Every route and every form with what may be sent to it, usable and not: no server error, and all pages."""

import functools
import os
import sys
import tempfile
import unittest
from collections import Counter
from uuid import uuid4

from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st

from frosty_piston.job.entries import KINDS
from frosty_piston.job.tape.schema import job_file_schema
from frosty_piston.store.database import open_database
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.app import create_app
from tests.cases import entry, job_file, symptom
from tests.invented import Schema, filled, forms_of, hostile
from tests.made import demo_into
from tests.web import test_api
from tests.web.test_hostile import PAGES

KINDS_A_JOB = 1 if os.environ.get("PISTON_LONG") else 8
LONG = 120 if os.environ.get("PISTON_LONG") else 1
SEED = int(os.environ.get("PISTON_SEED", "20261126"))
LEAST_ACCEPTED = 0.3


def rounds(times):
    """So many examples from the seed, each looked at once; `--long` makes 120 times as many."""
    quiet = settings(
        max_examples=times * LONG,
        deadline=None,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    return lambda test: seed(SEED)(quiet(test))


class Fuzz(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.workshop = Workshop(open_database(demo_into(folder.name)))
        cls.addClassCleanup(cls.workshop.close)
        app = create_app(cls.workshop)
        cls.client = test_api.Reader(app, raise_server_exceptions=False, follow_redirects=False)
        cls.k, cls.schema = cls.workshop.knowledge, job_file_schema()
        cls.jobs = [row.id for row in cls.workshop.yard.jobs()]
        cls.paths = app.openapi()["paths"]
        cls.said = Counter()

    def answered(self, method, path, **sent):
        answer = self.client.request(method, path, **sent)
        self.said[answer.status_code] += 1
        self.assertLess(answer.status_code, 500, (method, path, sent))
        return answer

    def all_pages(self, job):
        for page in PAGES:
            self.answered("GET", f"/jobs/{job}/{page}")
        self.answered("GET", f"/api/v1/jobs/{job}/assessment")

    def tell(self, what, accepted=None):
        share = "" if accepted is None else f", {100 * accepted:.0f} % accepted"
        print(f"fuzz, {what}: {sum(self.said.values())} requests, 0 server errors{share}", file=sys.stderr)
        self.said.clear()

    def test_every_route_of_the_document(self):
        asked = [
            (path, inner["get"].get("parameters", ())) for path, inner in self.paths.items() if "get" in inner
        ]
        known = {
            "job_id": self.jobs,
            "bench": ["glow", "egr"],
            "test": list(self.k.tests),
            "fault": list(self.k.faults),
            "name": ["battery"],
            "entry_id": ["none"],
            "vehicle_id": ["1"],
            "trace_id": ["none"],
            "exercise_id": [self.an_exercise()],
            "number": ["2", "34"],
            "repair": ["glow_plugs"],
        }

        @rounds(110)
        @given(st.data())
        def asks(data):
            path, parameters = data.draw(st.sampled_from(asked))
            query = {}
            for one in parameters:
                usable = st.sampled_from(known.get(one["name"], ["1"]))
                value = data.draw(st.integers(0, 3).flatmap(lambda n, u=usable: hostile() if n == 0 else u))
                if one["in"] == "path":
                    path = path.replace("{" + one["name"] + "}", test_api.quoted(value) or "-")
                elif value:
                    query[one["name"]] = value
            if data.draw(st.integers(0, 9)) == 0:
                query[data.draw(hostile()) or "x"] = data.draw(hostile())
            self.answered("GET", path, params=query)

        asks()
        self.tell("routes")

    def an_exercise(self):
        begun = self.client.post("/training/number", data={"number": "34", "help": "on_request"})
        return begun.headers["location"].removeprefix("/training/")

    def test_every_form_of_every_page(self):
        jobs = self.jobs[:6]
        pages = [f"/jobs/{job}/{page}" for job in jobs for page in (*PAGES, "did")]
        exercise = self.an_exercise()
        pages += ["/", "/shelf/codes", "/shelf/patterns", "/training", f"/training/{exercise}"]
        pages += [f"/training/{exercise}/part?repair=glow_plugs", "/training/new?number=2&help=off"]
        forms = {}
        for page in pages:
            answer = self.client.get(page)
            if answer.status_code == 200:
                for form in forms_of(answer.text):
                    forms.setdefault((form[0], *(x.get("name") for x in form[1])), form)
        by_act = {}
        for form in forms.values():
            by_act.setdefault(form[0].rsplit("/", 2)[-1], []).append(form)
        self.assertGreater(len(by_act), 25)
        accepted = Counter()

        @rounds(140)
        @given(st.data())
        def presses(data):
            act = data.draw(st.sampled_from(sorted(by_act)))
            form = data.draw(st.sampled_from(by_act[act]))
            sent = data.draw(filled(form))
            if "entry_id" in sent and data.draw(st.integers(0, 9)):
                sent["entry_id"] = [str(uuid4())]
            scripted = {"HX-Request": "true"} if data.draw(st.booleans()) else {}
            answer = self.answered("POST", form[0], data=sent, headers=scripted)
            accepted[answer.status_code in (200, 303)] += 1
            self.assertNotIn("<script>alert(1)", answer.text)

        presses()
        share = accepted[True] / accepted.total()
        for job in jobs:
            self.all_pages(job)
            self.comes_in_again(job)
        self.tell(f"{len(forms)} forms", share)
        self.assertGreaterEqual(share, LEAST_ACCEPTED)

    def comes_in_again(self, job):
        exported = self.client.get(f"/api/v1/jobs/{job}").json()
        exported["job"]["id"] = f"again-{uuid4()}"
        answer = self.client.post("/api/v1/jobs", json=exported)
        self.assertEqual(answer.status_code, 201, answer.text[:400])

    def entries(self, extreme):
        maker, made = Schema(self.schema, self.k, extreme), {}
        for one in self.schema["properties"]["entries"]["items"]["oneOf"]:
            kind = one["properties"]["kind"]["const"]
            suited = functools.partial(maker.suited, kind)
            made[kind] = maker.value(one["properties"]["data"]).map(suited)
        return made

    def test_entries_of_every_kind(self):
        made, accepted = self.entries(extreme=False), Counter()
        self.assertEqual(set(made), set(KINDS))
        job = self.jobs[-1]

        @rounds(110)
        @given(st.data())
        def writes(data):
            kind = data.draw(st.sampled_from(sorted(made)))
            sent = {"id": str(uuid4()), "kind": kind, "data": data.draw(made[kind])}
            answer = self.answered("POST", f"/api/v1/jobs/{job}/entries", json=sent)
            accepted[answer.status_code == 201] += 1
            if answer.status_code == 422:
                self.assertTrue(all(f["says"] for f in answer.json()["faults"]), sent)

        writes()
        self.all_pages(job)
        self.comes_in_again(job)
        self.tell("entries", accepted[True] / accepted.total())
        self.assertGreaterEqual(accepted[True] / accepted.total(), LEAST_ACCEPTED)

    def test_extreme_but_valid_entries_then_every_page(self):
        made, taken = self.entries(extreme=True), Counter()
        kinds = sorted(made)
        for group in (kinds[n : n + KINDS_A_JOB] for n in range(0, len(kinds), KINDS_A_JOB)):
            job = f"extreme-{group[0]}".replace("_", "-")
            ticks = [entry("tick", caution=caution) for caution in self.k.cautions]
            self.client.post("/api/v1/jobs", json=job_file(symptom("no_start"), *ticks, job_id=job))
            for kind in group:
                self.extremes(kind, job, made[kind], taken)
            self.all_pages(job)
            self.comes_in_again(job)
        self.answered("GET", "/")
        self.tell(f"extreme entries, {sum(n > 0 for n in taken.values())} of {len(made)} kinds taken")
        self.assertGreater(sum(n > 0 for n in taken.values()), len(made) * 0.6)

    def extremes(self, kind, job, values, taken):
        @rounds(4)
        @given(values)
        def writes(value):
            sent = {"id": str(uuid4()), "kind": kind, "data": value}
            answer = self.answered("POST", f"/api/v1/jobs/{job}/entries", json=sent)
            taken[kind] += answer.status_code == 201

        writes()


if __name__ == "__main__":
    unittest.main()
