"""The history of a vehicle: visits, how long repairs held, readings as lines."""

import html
import json
import unittest
from datetime import UTC, datetime

from frosty_piston.job.afterwards.history import held, lines_of, visit_of
from frosty_piston.job.repair.prove import prove
from tests.cases import MODERN, entry, job_file, reading, symptom
from tests.job.test_proof import at
from tests.web.test_api import WithClient

NOW = datetime(2026, 11, 2, 8, tzinfo=UTC)
HOSE = entry("action", action="replaced", what="boost hose", repair="boost_hose_split")


def km(value):
    return entry("condition", name="odometer", value=value, unit="km")


def visit(month, *entries):
    assessed = at(*entries)
    return visit_of(assessed, prove(assessed), datetime(2026, month, 1, tzinfo=UTC)), assessed


class Held(unittest.TestCase):
    def test_how_long_a_repair_held(self):
        mended, _ = visit(1, symptom("low_power"), km(1000.0), HOSE)
        for later, says in (
            ((), "holds, 305 days until now"),
            ((symptom("no_start"), km(3000.0)), "holds, 305 days, 2 000 km until now"),
            ((symptom("no_start"), km(3000.0), HOSE), "59 days, 2 000 km, then repaired again"),
            ((symptom("low_power"), km(3000.0)), "59 days, 2 000 km, then the same complaint again"),
            ((symptom("low_power"), km(500.0)), "59 days, then the same complaint again"),
        ):
            with self.subTest(says):
                visits = [mended, *([visit(3, *later)[0]] if later else [])]
                self.assertEqual(held(visits, NOW)[0].says.replace("\u00a0", " "), says)

    def test_a_reading_of_two_visits_is_a_line_and_of_one_is_none(self):
        battery = [reading("battery_rest", v, "V", point="battery_1") for v in (12.6, 12.2)]
        ash = reading("dpf_state", 20, "g", channel="ash_mass")
        visits = [visit(1, battery[0], ash), visit(3, battery[1])]
        lines = lines_of([(v.at, a) for v, a in visits])
        self.assertEqual(
            [(x.title, [p for _, p in x.points]) for x in lines], [("Battery at rest", [12.6, 12.2])]
        )


class Page(WithClient):
    def test_every_visit_stands_there_with_what_became_of_it(self):
        self.workshop.garage.add_vehicle({"name": "Van", "odometer_km": 184200}, None)
        for month, entries in (
            (3, [symptom("low_power"), HOSE, reading("battery_rest", 12.6, "V", point="battery_1")]),
            (6, [symptom("low_power"), reading("battery_rest", 12.3, "V", point="battery_1")]),
        ):
            file = job_file(*entries, engine=MODERN, job_id=f"visit-{month}")
            file["job"]["opened_at"] = f"2026-0{month}-14T06:40:00Z"
            self.workshop.tapes.import_file(json.dumps(file).encode())
        self.assertIn("/shelf/vehicles/1", self.client.get("/shelf/vehicles").text)
        page = html.unescape(self.client.get("/shelf/vehicles/1").text)
        for says in ("2 visits", "92 days, then the same complaint again", "Battery at rest", "12.3"):
            self.assertIn(says, page)
        self.assertIn("Whole history of this vehicle", self.client.get("/jobs/visit-6/arrive").text)
        self.assertEqual(self.client.get("/shelf/vehicles/99").status_code, 404)
