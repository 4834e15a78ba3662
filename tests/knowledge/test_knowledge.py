"""The knowledge files: whole, consistent, and refused with file, line, key and reason when they are not."""

import re
import shutil
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from frosty_piston.core.errors import BadKnowledge
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.judging import ANSWERS, JUDGES
from frosty_piston.job.judging.held import hold
from frosty_piston.knowledge import load_knowledge
from frosty_piston.knowledge.completeness import proving_tests, rules_out, speaks
from frosty_piston.knowledge.load import HERE

K = load_knowledge()


class Whole(unittest.TestCase):
    def test_every_fault_can_be_found_and_every_outcome_speaks(self):
        for fault in K.faults:
            self.assertTrue(proving_tests(K, fault), fault)
        for test in K.tests:
            for known in K.findings[test]:
                for at, outcome in enumerate(known.finding.outcomes):
                    self.assertTrue(
                        speaks(known, outcome) or rules_out(known, at), (test, known.shape.name, outcome)
                    )

    def test_no_likelihood_is_0_or_1(self):
        for finding in [
            *K.symptom_findings.values(),
            *K.group_findings.values(),
            *[f.finding for fs in K.findings.values() for f in fs],
        ]:
            for row in [finding.general, *finding.shows.values()]:
                self.assertTrue(((row > 0) & (row < 1)).all(), finding.id)
                self.assertAlmostEqual(float(row.sum()), 1.0)

    def test_what_is_found_bad_may_be_bad_in_another_way_than_is_written(self):
        for of_test in K.findings.values():
            for known in of_test:
                if known.shape.how == "seen" or known.shape.whole:
                    continue
                for fault, row in known.finding.shows.items():
                    bad = float(row[1:].sum())
                    self.assertGreaterEqual(float(row[1:].min()), 0.015 * bad, (known.finding.id, fault))

    def test_every_reason_is_said(self):
        for shape in [*K.symptoms.values(), *K.groups.values()]:
            self.assertTrue(all(len(because) > 2 for _, because in shape.speaks.values()), shape.title)
        self.assertTrue(all(s.because for fs in K.findings.values() for f in fs for s in f.shape.speaks))

    def test_about_four_hundred_codes_or_more_of_every_kind(self):
        self.assertGreater(len(K.codes), 400)
        self.assertEqual(
            {c.kind for c in K.codes.values()},
            {"circuit", "range", "performance", "plausibility", "communication", "limit"},
        )
        self.assertTrue({"P0", "P2", "P3", "U0"} <= {c[:2] for c in K.codes})

    def test_needs_name_fields_of_the_engine_card(self):
        for shape in [*K.faults.values(), *K.tests.values()]:
            for field in shape.needs:
                self.assertIn(field, EngineCard.model_fields)

    def test_ticks_of_the_safety_page(self):
        asked = {
            "fuel_injection_pressure",
            "injector_voltage",
            "battery_ground_off",
            "no_start_spray",
            "plug_voltage",
            "emergency_stop_first",
            "raised_vehicle",
            "brakes_first",
            "regeneration_fire",
            "road_test",
            "foreign_objects",
        }
        self.assertEqual({c for c, shape in K.cautions.items() if shape.tick}, asked)
        self.assertIn("plug_voltage", K.tests["glow_bench_heat"].cautions)
        self.assertIn("relay_stud_live", K.tests["glow_relay"].cautions)
        for name in ("no_start", "no_start_cold", "hard_start_cold"):
            self.assertIn("no_start_spray", K.symptoms[name].cautions)
        for condition in ("cold_start", "start"):
            self.assertIn("no_start_spray", K.proofs.conditions[condition].cautions)
        self.assertIn("road_test", K.proofs.conditions["load_pull"].cautions)

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
            hold(load_knowledge(folder / "k"))
        return str(caught.exception)

    def test_file_line_key_and_reason(self):
        says = self.spoiled("tests.toml", "minutes = 2", 'minutes = "two"')
        self.assertRegex(says, r"tests\.toml, line \d+, battery_rest\.minutes")
        self.assertIn("bogus", self.spoiled("symptoms.toml", 'battery_weak = ["seldom"', 'bogus = ["seldom"'))
        self.assertIn(
            "word of the scale",
            self.spoiled("symptoms.toml", 'general = "hardly_ever"', 'general = "now and then"'),
        )
        self.assertIn("line", self.spoiled("faults/glow.toml", "[glow_plugs_open]", "[glow_plugs_open"))
        self.assertIn(
            "outcome", self.spoiled("findings/start_and_glow.toml", "shows = { flat =", "shows = { empty =")
        )
        self.assertRegex(
            self.spoiled(
                "findings/egr_and_flaps.toml",
                "general = { fouled = 0.35",
                'general = { fouled = "perhaps"',
            ),
            r"findings/egr_and_flaps\.toml, line \d+, egr_look.*word of the scale",
        )
        self.assertRegex(
            self.spoiled("findings/egr_and_flaps.toml", 'how = "seen"', 'how = "dreamt"'),
            r"findings/egr_and_flaps\.toml, line \d+, egr_arm_free.*how.*dreamt",
        )
        self.assertIn(
            "egr_nowhere",
            self.spoiled("codes/egr_and_flaps.toml", 'of = ["egr_flow_low"', 'of = ["egr_nowhere"'),
        )
        self.assertRegex(
            self.spoiled(
                "codes/egr_and_flaps.toml", 'egr_wiring_open = ["usually"', 'egr_wiring_open = ["mostly"'
            ),
            r"codes/egr_and_flaps\.toml, line \d+, groups\.egr_circuit\.egr_wiring_open",
        )
        self.assertIn(
            "per_thousand", self.spoiled("faults/start.toml", "per_thousand = 20", "per_thousand = -3")
        )

    def test_what_would_say_nothing_or_cannot_be_is_refused(self):
        findings, figures = "findings/fuel_and_injectors.toml", "figures/injection.toml"
        for name, old, new, says in (
            (
                findings,
                'outcomes = ["even", "marginal", "low"]',
                'outcomes = ["even", "lo", "low"]',
                "'lo'|outcome",
            ),
            (
                "tests.toml",
                'units = ["V"]\nrange = [0, 40]',
                'units = ["Volt"]\nrange = [0, 40]',
                "'Volt' is not",
            ),
            ("tests.toml", "range = [0, 40]", "range = [40, 0]", "battery_rest.range.*40 must lie under 0"),
            ("tests.toml", "minutes = 2\n", 'minutes = "2"\n', "battery_rest.minutes.*valid number"),
            (
                figures,
                "low = 0.5, high = 2000",
                "low = 2000, high = 0.5",
                "return_ml.*low 2000 must lie under",
            ),
            (figures, 'unit = "ml"', 'unit = "thimble"', "'thimble' is not known here"),
            ("repairs/boost.toml", 'refits = ["hose_off"]', 'refits = ["hose_of"]', "refits.*near: hose_off"),
            (
                "fit_pieces.toml",
                'refits = ["ground_off"]',
                'refits = ["grund_off"]',
                "refits.*near: ground_off",
            ),
        ):
            with self.subTest(new):
                told = self.spoiled(name, old, new)
                self.assertRegex(told, says)
                self.assertRegex(told, r"(\w+/)?\w+\.toml, line \d+")
        low = re.compile(r"general = [\d.]+, low = ([\d.]+)")
        row = low.search((HERE / figures).read_text())[0]
        self.assertRegex(
            self.spoiled(figures, row, low.sub(r"general = -1, low = \1", row)), "general -1 lies outside"
        )

    def test_a_judge_and_its_findings_are_held_against_each_other(self):
        with mock.patch.dict(JUDGES):
            del JUDGES["battery_rest"]
            says = self.spoiled("tests.toml", "minutes = 2\n", "minutes = 3\n")
        self.assertRegex(says, r"tests\.toml, line \d+, battery_rest: it takes figures and has no judge")
        with mock.patch.dict(ANSWERS, {"battery_rest": ("charged", "flat", "lo")}):
            says = self.spoiled("tests.toml", "minutes = 2\n", "minutes = 3\n")
        self.assertRegex(says, r"findings/start_and_glow\.toml, line \d+, battery_rest\.low.*near: lo")

    def test_tests_and_cautions_that_are_named_are_there(self):
        for name, old, new in (
            ("tests.toml", 'stands_in_for = ["stop_hand_pump"]', 'stands_in_for = ["stop_hand_pomp"]'),
            ("tests.toml", 'adds_nothing_after = ["stop_hand_pump"]', 'adds_nothing_after = ["stop_pomp"]'),
            ("contexts.toml", 'cautions = ["no_start_spray"]', 'cautions = ["no_spray"]'),
            ("tests.toml", "edges = { end_kpa = ", "edges = { ends_kpa = "),
            ("statuses.toml", 'statuses = ["current"]', 'statuses = ["now"]'),
            ("statuses.toml", 'kinds = ["circuit"]', 'kinds = ["wire"]'),
            ("findings/aftertreatment.toml", 'channel = "soot_mass"', 'channel = "soot"'),
        ):
            with self.subTest(new):
                self.assertRegex(self.spoiled(name, old, new), rf"{name}, line \d+.*not known")

    def test_what_can_be_trained_names_only_what_there_is(self):
        for old, new, says in (
            (
                'faults = ["glow_relay_contacts"]',
                'faults = ["glow_relay_contact"]',
                "near: glow_relay_contacts",
            ),
            ('system = "glow"', 'system = "glowing"', "lessons.glow.system"),
            ("number = 2\n", "number = 1\n", "the number 1 is dead_end's already"),
            ("number = 2\n", "number = 32\n", "lessons.relay_clicks.number"),
            ("count = 2", "count = 3", "lessons.two.count"),
            ('caution = "rotating"', 'caution = "spinning"', "endings.plug_out.caution"),
            ('"plug_removed"]', '"plug_gone"]', "pieces.tray.opened_by"),
            (
                'shelf = "faults/glow_relay_contacts"',
                'shelf = "faults/nothing"',
                "lessons.relay_clicks.shelf",
            ),
            ('shelf = "cautions"', 'shelf = "attic"', "lessons.cleared.shelf"),
        ):
            with self.subTest(new):
                found = self.spoiled("training.toml", old, new)
                self.assertRegex(found, r"training\.toml, line \d+")
                self.assertIn(says, found)

    def test_a_gap_is_refused_too(self):
        self.assertRegex(
            self.spoiled("faults/start.toml", 'part = "battery"', 'part = "batery"'),
            r"faults/start\.toml, line \d+, battery_weak\.part.*near: battery",
        )
        self.assertRegex(
            self.spoiled("findings/wiring.toml", "[[code_return]]", "[[hot_retest]]"),
            r"tests\.toml, line \d+, code_return: no finding|outcome",
        )
        self.assertRegex(
            self.spoiled("faults/egr.toml", "[egr_passage_blocked]", "[egr_passage_choked]"),
            r"line \d+.*egr_passage",
        )
        self.assertRegex(
            self.spoiled("repairs/scr.toml", 'cures = ["scr_catalyst_aged"]', 'cures = ["scr_cat"]'),
            r"repairs/scr\.toml, line \d+.*scr_cat.*not known here",
        )


class Titles(unittest.TestCase):
    def test_a_test_is_called_by_what_is_done_and_its_answers_stand_apart(self):
        """A title with its answers in it reaches the owner as "dust, burnt, wet: wet"."""
        for test, shape in load_knowledge().tests.items():
            words = shape.title.lower()
            answers = [o for o in shape.outcomes if len(o) > 3 and o.replace("_", " ") in words]
            self.assertLess(len(answers), 3, test)
