"""Every route that exists, by every method, with what may be sent there: forms, files, bundles, backups,
JSON, usable and damaged. No server error, and the list of what was asked is held against the router."""

import functools
import io
import json
import re
import sys
import tempfile
import unittest
import zipfile
from collections import Counter
from uuid import uuid4

from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from frosty_piston.bundles import write_bundle
from frosty_piston.store.database import open_database
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.app import create_app
from tests.cases import entry
from tests.invented import filled, forms_of, hostile
from tests.made import demo_into
from tests.web import test_api
from tests.web.test_fuzz import rounds
from tests.web.test_hostile import PAGES

LEAD, PASSPHRASE = "Ylva", "heron kettle walnut ladder"
PLAIN = ("/", "/day", "/day/setup", "/orders", "/people", "/me", "/shelf", "/shelf/own", "/shelf/codes")
SHELVES = ("/shelf/patterns", "/training", "/alarms", "/pocket", "/year", "/search?q=van")
PER_ROUTE = 1


def routes_of(router):
    """Every method and path that a router answers, whatever it includes."""
    found = set()
    for route in router.routes:
        inner = getattr(route, "original_router", None) or getattr(route, "app", None)
        if hasattr(inner, "routes"):
            found |= routes_of(inner)
        elif hasattr(route, "methods") and hasattr(route, "path"):
            found |= {(method, route.path) for method in route.methods - {"HEAD", "OPTIONS"}}
    return found


class Routes(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.workshop = Workshop(open_database(demo_into(folder.name)))
        cls.addClassCleanup(cls.workshop.close)
        cls.workshop.day.search_s, cls.workshop.day.rest_s = 0.05, 0.0
        cls.workshop.people.set_passphrase(LEAD, PASSPHRASE)
        cls.workshop.people.set_passphrase("Odd", "badger lantern pebble crane")
        cls.app = create_app(cls.workshop, signing_in=True)
        cls.client = test_api.Reader(cls.app, raise_server_exceptions=False, follow_redirects=False)
        cls.client.__enter__()
        cls.addClassCleanup(cls.client.__exit__, None, None, None)
        cls.seal = ""
        cls.sign_in()
        cls.jobs = [row.id for row in cls.workshop.yard.jobs()]
        cls.routes = sorted(routes_of(cls.app.router))
        cls.known = cls.known_values()
        cls.forms = cls.forms_by_route()

    @classmethod
    def sign_in(cls):
        cls.app.state.tries.__init__()
        cls.client.post("/enter", data={"name": LEAD, "passphrase": PASSPHRASE})
        found = re.search(r'data-seal="(\w+)"', cls.client.get("/").text)
        cls.seal = found[1] if found else ""

    @classmethod
    def known_values(cls):
        k = cls.workshop.knowledge
        begun = cls.client.post(
            "/training/number", data={"number": "34", "help": "on_request", "seal": cls.seal}
        )
        traced = next(job for job in cls.jobs if cls.workshop.recordings.of_job(job))
        cls.jobs = [traced, *cls.jobs[:5]]
        return {
            "job_id": cls.jobs,
            "trace_id": [t.id for t in cls.workshop.recordings.of_job(traced)],
            "bench": ["glow", "egr", "vacuum", "injectors"],
            "test": list(k.tests),
            "fault": list(k.faults),
            "plan": list(k.reset_plans),
            "entry_id": [x.id for x in cls.workshop.tapes.job(traced).job.tape],
            "vehicle_id": ["1", "2"],
            "number": ["1", "2"],
            "exercise_id": [begun.headers["location"].removeprefix("/training/")],
            "code": ["P1662"],
        }

    @classmethod
    def forms_by_route(cls):
        """The forms of the pages, by the route that takes them."""
        exercise = cls.known["exercise_id"][0]
        pages = [*PLAIN, *SHELVES, f"/training/{exercise}", f"/training/{exercise}/part?repair=glow_plugs"]
        pages += [f"/jobs/{job}/{page}" for job in cls.jobs for page in (*PAGES, "did", "shift", "papers")]
        patterns = [
            (re.compile(re.sub(r"\{\w+\}", "[^/]+", path) + "$"), path)
            for method, path in cls.routes
            if method == "POST"
        ]
        forms = {}
        for page in pages:
            answer = cls.client.get(page)
            if answer.status_code != 200:
                continue
            for form in forms_of(answer.text):
                action = (form[0] or page).split("?")[0]
                route = next((path for pattern, path in patterns if pattern.match(action)), None)
                forms.setdefault(route, []).append(form)
        return forms

    @functools.cached_property
    def files(self):
        """What may be brought in, whole."""
        picture, archive = io.BytesIO(), io.BytesIO()
        Image.effect_noise((60, 40), 90).convert("RGB").save(picture, "JPEG")
        with zipfile.ZipFile(archive, "w") as made:
            made.writestr("job.fpjob.json", "{}")
        job = self.client.get(f"/api/v1/jobs/{self.jobs[1]}").content
        return [
            b"time,rpm,boost\n0,800,100\n1,810,101\n",
            picture.getvalue(),
            archive.getvalue(),
            write_bundle(self.workshop, self.jobs[0]),
            job,
            (self.workshop.folder / "workshop.db").read_bytes()[:40_000],
            b"",
        ]

    def bytes_of(self, draw):
        """A file as it is, or damaged."""
        data = bytearray(draw(st.sampled_from(self.files)))
        if draw(st.booleans()) and data:
            for _ in range(draw(st.integers(1, 4))):
                data[draw(st.integers(0, len(data) - 1))] = draw(st.integers(0, 255))
            if draw(st.integers(0, 3)) == 0:
                del data[draw(st.integers(0, len(data) - 1)) :]
        return bytes(data)

    def address(self, draw, path):
        for name in re.findall(r"\{(\w+)\}", path):
            usable = st.sampled_from(self.known.get(name, ["x", "note", "add", "step", "1"]))
            value = draw(st.integers(0, 4).flatmap(lambda n, u=usable: hostile() if n == 0 else u))
            path = path.replace("{" + name + "}", test_api.quoted(value) or "-")
        return path

    def body(self, draw, path):
        """What is posted: a form of the page, a form of anything, a file, JSON, or bytes."""
        kind = draw(st.sampled_from(("form", "form", "form", "file", "json", "bytes")))
        if kind == "form":
            if path in self.forms and draw(st.integers(0, 5)):
                form = draw(st.sampled_from(self.forms[path]))
                return draw(st.just(form[0]) | st.none()), {"data": draw(filled(form))}
            names = st.sampled_from(("name", "text", "job", "what", "value", "right", "file", "piece", "x"))
            return None, {"data": draw(st.dictionaries(names, hostile(), max_size=5))}
        if kind == "file":
            fields = draw(
                st.dictionaries(st.sampled_from(("entry_id", "shows", "note")), hostile(), max_size=2)
            )
            return None, {"data": fields, "files": {"file": ("a.csv", self.bytes_of(draw))}}
        if kind == "json":
            value = draw(
                st.recursive(
                    st.none() | st.booleans() | st.integers() | st.floats() | hostile(),
                    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(hostile(), inner, max_size=3),
                    max_leaves=8,
                )
                | st.just({"id": str(uuid4()), **entry("note", text="x")})
            )
            return None, {"content": json.dumps(value), "headers": {"content-type": "application/json"}}
        kinds = ("application/json", "application/zip", "text/plain", "multipart/form-data; boundary=x")
        return None, {
            "content": self.bytes_of(draw),
            "headers": {"content-type": draw(st.sampled_from(kinds))},
        }

    def test_every_route(self):
        said, asked = Counter(), Counter()

        def ask(method, path, draw):
            sent, where = {}, self.address(draw, path)
            if method == "POST":
                action, sent = self.body(draw, path)
                where = action or where
            elif draw(st.integers(0, 5)) == 0:
                sent = {"params": {draw(hostile()) or "x": draw(hostile())}}
            headers = {"x-seal": self.seal, **sent.pop("headers", {})}
            answer = self.client.request(method, where, headers=headers, **sent)
            said[answer.status_code] += 1
            asked[(method, path)] += 1
            self.assertLess(answer.status_code, 500, (method, where, sent))
            if answer.status_code == 401 or answer.headers.get("location", "").startswith("/enter"):
                self.sign_in()

        def asks_of(method, path):
            return rounds(PER_ROUTE)(given(st.data())(lambda data: ask(method, path, data.draw)))

        for method, path in self.routes:
            asks_of(method, path)()
        self.assertEqual(set(asked), routes_of(self.app.router))
        counts = ", ".join(f"{n} of {status}" for status, n in sorted(said.items()))
        print(f"fuzz, {len(self.routes)} routes: {said.total()} requests ({counts})", file=sys.stderr)
        for job in self.jobs[:2]:
            for page in PAGES:
                self.assertLess(self.client.get(f"/jobs/{job}/{page}").status_code, 500, page)


if __name__ == "__main__":
    unittest.main()
