"""Plugs that were opened: marked by themselves, and the job stays on trial."""

import unittest

from frosty_piston.job.repair.contacts import contact_faults, doubts, opened
from tests.cases import MODERN, code, entry, outcome, reading, scan, symptom
from tests.job.test_proof import CLEARED, K, at, missing, proof

GOES = entry(
    "symptom",
    symptom="misfire_intermittent",
    present=True,
    comes_and_goes=True,
    returns=[{"distance_km": 60}, {"distance_km": 80, "first": "P0202", "cleared": "Tuesday"}],
)
BEFORE = [GOES, code("P0202"), scan()]
LOOK = outcome("connector_look", "dust", node="injector", cylinder=2)
OFF = entry(
    "action", action="unplugged", what="injector 2 connector", where={"node": "injector", "cylinder": 2}
)
OTHER = entry("action", action="replaced", what="injector", repair="injector_nozzle_worn", cylinders=[2])
MENDED = entry(
    "action", action="repaired", what="connector", repair="injector_connector_fretted", cylinders=[2]
)
DRIVE = entry("drive", distance_km=900, codes_read=True, codes_back=[])
FRETTED = ("suspect", "injector_connector_fretted")


def wiggle(seconds=60, dropouts=0):
    figures = {"wiggle_s": seconds, "dropouts": dropouts, "rest_s": 60, "rest_dropouts": 0}
    return entry("outcome", test="wiggle", where={"node": "injector", "cylinder": 2}, figures=figures)


def pin(**conditions):
    return reading("supply_pins", 12.3, "V", conditions, node="egr_valve", pin="supply")


class Disturbed(unittest.TestCase):
    def test_what_opens_a_plug(self):
        ohms = reading("injector_resistance", 0.4, "ohm", cylinder=3)
        for name, entries, places in (
            ("a look", [LOOK], [("injector", 2)]),
            ("ohms at the part", [ohms], [("injector", 3)]),
            ("unplugged by hand", [OFF], [("injector", 2)]),
            (
                "unplugged, told in words",
                [entry("action", action="unplugged", what="Injector")],
                [("injector", None)],
            ),
            ("a wiggle opens nothing", [wiggle()], []),
            ("pins, nothing said of the plug", [pin()], [("egr_valve", None)]),
            ("pins, plug on", [pin(wires_off=False)], []),
            ("pins, the part drawing", [pin(loaded=True)], []),
            (
                "pins, a lamp drawing with the plug off",
                [pin(loaded=True, wires_off=True)],
                [("egr_valve", None)],
            ),
            ("pins, plug off", [pin(loaded=False)], [("egr_valve", None)]),
            ("each place once", [LOOK, OFF, ohms], [("injector", 2), ("injector", 3)]),
        ):
            with self.subTest(name):
                found = opened(at(*BEFORE, *entries))
                self.assertEqual([(o.node, o.cylinder) for o in found], places)

    def test_the_plug_of_a_part_that_this_engine_has_not_casts_no_doubt(self):
        vacuum, plug = (
            {**MODERN, "turbo": "vgt_vacuum"},
            outcome("connector_look", "dust", node="turbo_actuator"),
        )
        self.assertIn("turbo_actuator_connector", contact_faults(K, "turbo_actuator"))
        entries = [*BEFORE, plug, OTHER, DRIVE]
        self.assertIn("turbo_actuator", [o.node for o in opened(at(*entries, engine=vacuum))])
        self.assertEqual(doubts(at(*entries, engine=vacuum)), ())

    def test_faults_that_move_under_the_hand(self):
        self.assertEqual(
            set(contact_faults(K, "injector")), {"injector_connector_fretted", "injector_circuit_open"}
        )
        self.assertEqual(contact_faults(K, "intake_heater"), ())

    def test_it_keeps_the_job_on_trial_until_mended_or_quiet(self):
        for name, entries, kept in (
            ("opened, another part changed", [OFF, OTHER, DRIVE], True),
            ("then too short a wiggle", [OFF, OTHER, wiggle(15), DRIVE], True),
            ("wiggled for long", [OFF, OTHER, wiggle(60), DRIVE], False),
            ("dropped out again", [OFF, OTHER, wiggle(60, 7), DRIVE], True),
            ("the contact mended", [wiggle(60, 7), OFF, MENDED, wiggle(60), DRIVE], False),
        ):
            with self.subTest(name):
                self.assertEqual(
                    FRETTED in {("suspect", d.fault) for d in doubts(at(*BEFORE, *entries))}, kept
                )
                if kept:
                    self.assertIn(FRETTED, missing(*BEFORE, *entries))
        # a contact that is always bad does not rest
        steady = [entry("symptom", symptom="rough_idle_cold"), code("P0202"), scan()]
        self.assertEqual(doubts(at(*steady, OFF, OTHER)), ())

    def test_unplugged_and_put_back_is_no_repair(self):
        back = entry("action", action="disturbed", what="plug", repair="injector_connector_fretted")
        self.assertEqual(proof(*BEFORE, wiggle(60, 7), back, DRIVE).status, "none")

    def test_the_same_wiggle_as_long_as_before(self):
        for seconds, status in ((25, "on_trial"), (59, "on_trial"), (60, "proven")):
            with self.subTest(seconds):
                done = [wiggle(60, 7), LOOK, MENDED, wiggle(seconds), *CLEARED, DRIVE]
                self.assertEqual(proof(*BEFORE, *done).status, status)


class Both(unittest.TestCase):
    """A fretted connector and an injector that opens with heat, at once or one of them."""

    WIGGLED, QUIET = wiggle(60, 7), wiggle(60, 0)
    COLD = [
        reading("injector_resistance", v, "ohm", cylinder=c) for c, v in enumerate((0.41, 0.42, 0.4, 0.43), 1)
    ]
    SWAPPED = outcome("swap_parts", "follows", node="injector", cylinder=2)

    def hot(self, odd):
        return [
            reading("injector_resistance", v, "ohm", {"part_hot": True}, cylinder=c)
            for c, v in enumerate((0.51, odd, 0.5, 0.53), 1)
        ]

    def odds(self, *entries):
        told = at(*BEFORE, symptom("misfire_hot"), *entries).suspicion
        return told.odds("injector_connector_fretted"), told.odds("injector_hot_breakdown")

    def test_the_tests_tell_them_apart(self):
        for name, entries, connector, injector in (
            ("the connector alone", [self.WIGGLED, *self.COLD, *self.hot(0.52)], True, False),
            ("the injector alone", [self.QUIET, *self.COLD, *self.hot("OL")], False, True),
            ("both at once", [self.WIGGLED, *self.COLD, *self.hot("OL"), self.SWAPPED], True, True),
        ):
            with self.subTest(name):
                found = self.odds(*entries)
                self.assertEqual([p > 0.5 for p in found], [connector, injector], found)
                self.assertEqual([p < 0.1 for p in found], [not connector, not injector], found)
