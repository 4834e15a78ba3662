"""What no technician types: an answer in a sentence, never a broken page, every page works after."""

import json
import sys
import unittest
from uuid import uuid4

from sqlalchemy import text

from tests.cases import entry
from tests.web import test_forms
from tests.web.test_forms import WithJob

HARD = (
    "²",
    "9" * 5000,
    "1.5.5",
    "1e308",
    "-1e308",
    "1e-300",
    "\x7f",
    "\ufffe",
    "\x00",
    "٣",
    "NaN",
    "inf",
    "0x10",
    "1_000",
    "∞",
    "½",
    "-0",
)
CELL = test_forms.EveryField.FORMS["measure/cell"]
PAGES = (
    *("arrive", "narrow", "plan", "measure", "decide", "fit", "prove", "report", "tape", "vehicle", "traces"),
    *(f"measure/{bench}" for bench in ("glow", "relay", "battery", "egr", "turbo", "boost", "flaps")),
    *("why/glow_plugs_open", "measure/test/vacuum_hold"),
)
# Entries that are well-formed and strange: kept and judged implausible, or refused with the way to the fault.
STRANGE = (
    entry("reading", test="glow_resistance", where={"cylinder": 2**70}, value=1, unit="ohm"),
    entry("reading", test="injector_leakoff", where={"cylinder": 1}, value=1e-300, unit="ml"),
    entry("reading", test="rail_pressure_crank", value=1e308, unit="bar"),
    entry("reading", test="battery_rest", where={"point": "battery_1"}, value=38, unit="V"),
    entry("condition", name="ambient", value=50, unit="percent"),
    entry("condition", name="altitude", value=1e12, unit="m"),
    entry("condition", name="odometer", value=20, unit="degC"),
    entry("wait", wait="cool", what="x", until="9999-12-31T23:59:59Z"),
    entry("deadline", until="9999-12-31T23:59:59+00:00"),
    entry("note", text="a\x7fb"),
    entry("note", text="a\ufffeb"),
    entry("drive", distance_km=1e300),
    entry(
        "outcome",
        test="vacuum_hold",
        where={"node": "stop_line"},
        figures={"start_kpa": 60, "end_kpa": 59, "seconds": 1e-300},
    ),
    {**entry("note", text="t"), "at": "0001-01-01T00:00:00Z"},
)


class Hostile(WithJob):
    def answered(self, method, path, **sent):
        self.asked += 1
        answer = self.client.request(method, path, **sent)
        self.assertLess(answer.status_code, 500, (path, sent))
        return answer

    def setUp(self):
        super().setUp()
        self.asked, self.exports = 0, True

    def tearDown(self):
        for page in PAGES:
            self.answered("GET", f"/jobs/case/{page}")
        exported = self.client.get("/api/v1/jobs/case").json()
        exported["job"]["id"] = "again"
        taken = self.client.post("/api/v1/jobs", json=exported).status_code
        self.assertEqual(taken, 201 if self.exports else 422)
        print(f"hostile inputs: {self.asked} requests, 0 server errors", file=sys.stderr)
        super().tearDown()

    def test_cells_and_their_judging(self):
        for key in CELL:
            for hard in HARD:
                sent = {**CELL, key: hard}
                self.answered("POST", "/jobs/case/measure/cell", data={**sent, "entry_id": str(uuid4())})
                self.answered("GET", "/jobs/case/measure/judge", params=sent)
        for test in ("glow_on_time", "vacuum_hold", "injector_leakoff", "glow_bench_heat", "nonsense"):
            for key in ("point", "cylinder", "node", "channel", "after_s", "soaked_h", "unit", "part_c"):
                for hard in HARD[::2]:
                    self.answered(
                        "GET", "/jobs/case/measure/judge", params={"test": test, "value": "1", key: hard}
                    )

    def test_entries(self):
        for strange in STRANGE:
            answer = self.answered("POST", "/api/v1/jobs/case/entries", json={"id": str(uuid4()), **strange})
            self.assertIn(answer.status_code, (201, 422), strange)
            if answer.status_code == 422:
                self.assertTrue(answer.json()["faults"], strange)
        kind = self.answered(
            "POST",
            "/api/v1/jobs/case/entries",
            json={"id": "c", **entry("condition", name="ambient", value=5, unit="bar")},
        )
        self.assertIn("measures no ambient", kind.text)

    def test_what_an_older_program_let_in_is_shown_as_unreadable_and_the_rest_works(self):
        old = (
            {"id": "x1", "kind": "condition", "data": {"name": "ambient", "value": 50, "unit": "percent"}},
            {"id": "x2", "kind": "reading", "data": {"test": "battery_rest", "value": {"a": 1}}},
            {"id": "x3", "kind": "of_another_time", "data": {}},
        )
        with self.workshop.engine.execution_options(writing=True).begin() as connection:
            for raw in old:
                connection.execute(
                    text("INSERT INTO entries (job_id, id, raw, written_at) VALUES ('case', :id, :raw, :at)"),
                    {"id": raw["id"], "raw": json.dumps(raw), "at": "2026-01-01 10:00:00"},
                )
        self.workshop.tapes.forget()
        shown = self.answered("GET", "/jobs/case/tape").text
        self.assertEqual(shown.count("Unreadable here, kept as it is"), 3)
        self.post("tape/note", text="and on it goes")
        self.assertEqual(self.tape()[-1][0], "note")
        kept = {x["id"]: x for x in self.client.get("/api/v1/jobs/case").json()["entries"]}
        self.assertEqual([kept[raw["id"]] for raw in old], list(old))
        self.exports = False

    def test_addresses(self):
        big = str(2**70)
        for path in (
            f"/jobs/case/vehicle?copy={big}",
            f"/jobs/case/vehicle?copy=-{big}",
            "/jobs/case/vehicle?copy=²",
            "/shelf/codes?q=%00",
            "/search?q=%EF%BF%BE",
            "/search?q=" + "x" * 5000,
            f"/search?vehicle={big}",
            "/jobs/" + "x" * 3000,
            f"/training/new?number={big}",
            "/training/new?number=²&card=%00&help=" + "x" * 3000,
            "/training/training-%00",
            "/training/training-" + "x" * 3000 + "/part?repair=%00",
        ):
            self.answered("GET", path)
        for origin in ("http://[", "null", "http://127.0.0.1:99999", "x" * 5000, "http://[::1"):
            self.assertEqual(self.answered("POST", "/jobs", headers={"origin": origin}).status_code, 403)


if __name__ == "__main__":
    unittest.main()
