"""A fault that can be at many things: what names its place, what clears it, and what does not."""

import unittest

from tests.cases import MODERN, code, entry, reading, scan, symptom
from tests.job.test_every_system import K, think

WIRE = "sensor_wiring"
COOLANT = [symptom("engine_lamp"), scan(), code("P0118")]


def pins(node, volts):
    return [
        reading("supply_pins", volts, "V", node=node, pin="reference"),
        reading("supply_pins", 0.02, "V", node=node, pin="ground"),
    ]


def chance(*entries, fault=WIRE):
    return {s.fault: s.probability for s in think(*entries).suspicion.suspects}[fault]


class Wires(unittest.TestCase):
    def test_sound_where_no_code_points_clears_nothing(self):
        before = chance(*COOLANT)
        self.assertAlmostEqual(chance(*COOLANT, *pins("manifold_pressure_sensor", 5.0)), before, delta=0.02)
        self.assertLess(chance(*COOLANT, *pins("coolant_sensor", 5.0)), 0.6 * before)

    def test_sound_at_one_of_many_clears_its_share(self):
        lamp = [symptom("engine_lamp")]
        one = chance(*lamp, *pins("manifold_pressure_sensor", 5.0))
        self.assertGreater(one, 0.9 * chance(*lamp))
        self.assertLess(one, chance(*lamp))

    def test_a_bad_pin_finds_it_wherever_the_code_points(self):
        for node in ("coolant_sensor", "manifold_pressure_sensor"):
            with self.subTest(node):
                self.assertGreater(chance(*COOLANT, *pins(node, 0.0)), 0.85)

    def test_its_place_is_named(self):
        for more, place in (
            ((), "coolant_sensor"),
            (pins("manifold_pressure_sensor", 0.0), "manifold_pressure_sensor"),
        ):
            with self.subTest(place):
                self.assertEqual(think(*COOLANT, *more).addresses.likeliest(WIRE), place)
        nowhere = think(symptom("low_power")).addresses
        self.assertEqual((nowhere.likeliest(WIRE), nowhere.in_words(WIRE)), (None, ""))

    def test_shares_add_up_to_one(self):
        for entries in ([symptom("engine_lamp")], COOLANT, [*COOLANT, *pins("dp_sensor", 0.0)]):
            addresses = think(*entries, engine=MODERN).addresses
            of_card = [part for part in K.addresses[WIRE] if addresses.here(WIRE, [part]) > 0]
            with self.subTest(len(entries)):
                self.assertAlmostEqual(sum(addresses.here(WIRE, [part]) for part in of_card), 1.0)
                self.assertAlmostEqual(addresses.here(WIRE, of_card), 1.0)

    def test_at_the_control_unit_all_of_them_end(self):
        self.assertEqual(think(*COOLANT).addresses.here(WIRE, ["control_unit"]), 1.0)

    def test_the_pins_of_the_named_sensor_come_before_those_of_others(self):
        asked = [
            n.where.get("node")
            for n in think(*COOLANT).proposals.top(6)
            if n.test in ("supply_pins", "sensor_signal")
        ]
        self.assertEqual(asked[0], "coolant_sensor")
        self.assertNotIn("manifold_pressure_sensor", asked)


class Statuses(unittest.TestCase):
    def test_the_more_a_code_holds_the_likelier_is_its_circuit(self):
        chances = [
            sum(
                chance(symptom("engine_lamp"), scan(), entry("code", code="P0403", **said), fault=fault)
                for fault in ("egr_wiring_open", "egr_drive_failed", "module_output_stage")
            )
            for said in ({"status": "history"}, {}, {"status": "current"}, {"status": "cleared_and_back"})
        ]
        self.assertEqual(chances, sorted(chances))
        self.assertLess(chances[0], 0.6)
        self.assertGreater(chances[2], 0.85)

    def test_what_stands_now_was_not_left_by_hands(self):
        stored, now = (
            chance(
                symptom("engine_lamp"), scan(), entry("code", code="P0403", **said), fault="code_from_tool"
            )
            for said in ({}, {"status": "current"})
        )
        self.assertLess(now, 0.5 * stored)


class WithoutACode(unittest.TestCase):
    def test_nothing_is_cleared_and_driven_for(self):
        for entries, asked in (([symptom("engine_lamp"), scan()], False), (COOLANT, True)):
            with self.subTest(asked):
                tests = {n.test for n in think(*entries).proposals.top(20)}
                self.assertEqual("code_return" in tests, asked)
