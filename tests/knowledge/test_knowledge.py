"""The knowledge files: whole, consistent, and refused with file, line, key and reason when they are not."""

import shutil
import tempfile
import unittest
from pathlib import Path

from frosty_piston.core.errors import BadKnowledge
from frosty_piston.job.engine import EngineCard
from frosty_piston.knowledge import load_knowledge
from frosty_piston.knowledge.load import HERE

K = load_knowledge()


class Whole(unittest.TestCase):
    def test_every_weighed_fault_can_be_found_by_some_test(self):
        found = {f for findings in K.findings.values() for t in findings for f in t.finding.shows}
        weighed = {f for f, shape in K.faults.items() if shape.per_thousand}
        hidden = weighed - found
        self.assertEqual(hidden, {f for f in hidden if K.fault_system[f] in ("injectors", "wiring", "fuel") or f in ("intake_heater_failed",)})
        self.assertFalse({f for f in hidden if K.fault_system[f] in ("start",)})

    def test_needs_name_fields_of_the_engine_card(self):
        for shape in [*K.faults.values(), *K.tests.values()]:
            for field in shape.needs:
                self.assertIn(field, EngineCard.model_fields)

    def test_ticks_of_the_safety_page(self):
        asked = {"fuel_injection_pressure", "battery_ground_off", "no_start_spray", "plug_voltage", "emergency_stop_first", "raised_vehicle", "brakes_first", "regeneration_fire", "road_test",
                 "foreign_objects"}
        self.assertEqual({c for c, shape in K.cautions.items() if shape.tick}, asked)
        self.assertIn("plug_voltage", K.tests["glow_bench_heat"].cautions)
        self.assertIn("relay_stud_live", K.tests["glow_relay"].cautions)
        for name in ("no_start", "no_start_cold", "hard_start_cold"):
            self.assertIn("no_start_spray", K.symptoms[name].cautions)
        for proof in ("glow_plugs", "glow_relay", "glow_harness"):
            self.assertIn("no_start_spray", next(s for s in K.proofs[proof].steps if s.needs_cold).cautions)

    def test_families_of_codes(self):
        self.assertEqual(K.codes["P0674"].title, "Glow plug, cylinder 4: circuit")
        self.assertEqual(K.codes["P0679"].title, "Glow plug, cylinder 9: circuit")


class Refused(unittest.TestCase):
    def spoiled(self, name, old, new):
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder)
        shutil.copytree(HERE, folder / "k", ignore=shutil.ignore_patterns("*.py", "__pycache__"))
        path = folder / "k" / name
        text = path.read_text()
        self.assertIn(old, text)
        path.write_text(text.replace(old, new, 1))
        with self.assertRaises(BadKnowledge) as caught:
            load_knowledge(folder / "k")
        return str(caught.exception)

    def test_file_line_key_and_reason(self):
        says = self.spoiled("tests.toml", "minutes = 2", 'minutes = "two"')
        self.assertRegex(says, r"tests\.toml, line \d+, battery_rest\.minutes")
        self.assertIn("bogus", self.spoiled("symptoms.toml", 'battery_weak = ["seldom"', 'bogus = ["seldom"'))
        self.assertIn("word of the scale", self.spoiled("symptoms.toml", 'general = "hardly_ever"', 'general = "now and then"'))
        self.assertIn("line", self.spoiled("faults/glow.toml", "[glow_plugs_open]", "[glow_plugs_open"))
        self.assertIn("outcome", self.spoiled("findings/start_and_glow.toml", "shows = { flat =", "shows = { empty ="))
        self.assertIn("per_thousand", self.spoiled("faults/start.toml", "per_thousand = 20", "per_thousand = -3"))
