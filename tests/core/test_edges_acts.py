"""Edges of cranking current, the rail at rest and a sensor's signal, and what a freeze frame says.
Hand-worked."""

import unittest

from frosty_piston.core.battery import BatteryLimits, crank_current_a, judge_crank_current
from frosty_piston.core.codes import is_letterless, read_block
from frosty_piston.core.freeze_frame import moment_of
from frosty_piston.core.injection import InjectionLimits, judge_rail_rest
from frosty_piston.core.module_names import letter_of, module_line
from frosty_piston.core.quantity import hours_said
from frosty_piston.core.wiring import WiringLimits, judge_signal
from frosty_piston.knowledge.figures import general
from tests.edges import Edges

BATTERY, INJECTION, WIRING = general(BatteryLimits), general(InjectionLimits), general(WiringLimits)


class CrankingCurrent(Edges, unittest.TestCase):
    def test_what_an_engine_takes(self):
        # 60 A for the starter and 75 A for each litre; 30 degrees under 20 at 1.5 % each are 45 % more
        for litres, oil_c, system_v, amps in (
            (2.0, 20, 12, 210.0),
            (2.0, 90, 12, 210.0),
            (2.0, -10, 12, 304.5),
            (6.0, 20, 24, 255.0),
        ):
            self.assertAlmostEqual(crank_current_a(litres, oil_c, BATTERY, system_v), amps)

    def test_half_of_it_and_half_as_much_again(self):
        self.held(
            lambda a: judge_crank_current(a, 2.0, 20, BATTERY),
            (
                (104.9, "low"),
                (105, "as_expected"),
                (315, "as_expected"),
                (315.1, "high"),
                (2500, "high"),
                (2500.1, "implausible"),
                (-0.1, "implausible"),
            ),
        )
        # oil not known: 315 A is the mark warm, 456.75 A at -10 °C
        self.held(
            lambda a: judge_crank_current(a, 2.0, None, BATTERY),
            ((104.9, "low"), (315, "as_expected"), (315.1, "unclear"), (456.7, "unclear"), (456.8, "high")),
        )


class RailAtRest(Edges, unittest.TestCase):
    def test_an_empty_rail_reads_nothing(self):
        self.held(
            lambda bar: judge_rail_rest(bar, INJECTION),
            ((-5.1, "reads_below"), (-5, "near_nothing"), (20, "near_nothing"), (20.1, "stands_high")),
        )


class Signal(Edges, unittest.TestCase):
    def test_between_the_ends_of_five_volts(self):
        self.held(
            lambda v: judge_signal(v, WIRING),
            (
                (0.19, "at_the_low_end"),
                (0.2, "between_the_ends"),
                (4.8, "between_the_ends"),
                (4.81, "at_the_high_end"),
                (5.5, "at_the_high_end"),
                (12, "at_the_high_end"),
            ),
        )
        self.assertIn("reference", judge_signal(5.6, WIRING).because)
        self.assertNotIn("supply", judge_signal(5.5, WIRING).because)


class Frames(unittest.TestCase):
    def test_each_mark_and_what_lies_between(self):
        for figures, said in (
            ({"coolant_temp": 39.9}, ("cold",)),
            ({"coolant_temp": 40}, ()),
            ({"coolant_temp": 70}, ("warm",)),
            ({"vehicle_speed": 2.9, "engine_speed": 449}, ("at a stand", "cranking")),
            ({"vehicle_speed": 3, "engine_speed": 450}, ("idling",)),
            ({"vehicle_speed": 50, "engine_speed": 1100}, ("on the road",)),
            ({"time_since_start": 59}, ("just started",)),
            ({"time_since_start": 60}, ()),
            ({"pedal": 60}, ("pulling",)),
            ({"pedal": 59, "engine_load": 20}, ()),
            ({"pedal": 10, "engine_load": 29}, ("without load",)),
            ({}, ()),
        ):
            with self.subTest(str(figures)):
                self.assertEqual(moment_of(figures), said)


class Letters(unittest.TestCase):
    def test_words_that_say_the_letter(self):
        for words, letter in (
            ("Engine control", "P"),
            ("ABS module", "C"),
            ("airbag", "B"),
            ("lost communication with the engine", "U"),
            ("body and engine", None),
            ("", None),
        ):
            self.assertEqual(letter_of(words), letter, words)

    def test_only_with_a_fault_type_and_only_by_themselves(self):
        for text, bare in (("0638-73", True), ("0638", False), ("4638-73", False), ("P0638-73", False)):
            self.assertEqual(is_letterless(text), bare, text)
        block = read_block("P0671\n0638-73\n2026-12-01 14:05", "P")
        self.assertEqual([c.code for c in block.codes], ["P0671", "P0638"])
        self.assertEqual(read_block("2026-12-01 14:05").letterless, ())
        for text, byte in (
            ("P1525 F3 odd", "F3"),
            ("P1525 B1 S2", None),
            ("P1525 FAULT", None),
            ("P1525 12 V", None),
        ):
            self.assertEqual(read_block(text).codes[0].fault_type, byte, text)

    def test_a_line_names_a_module_and_whether_it_answered(self):
        for line, answers in (
            ("Engine control module", True),
            ("Engine", True),
            ("ECM (2)", True),
            ("Gearbox: 2 codes", True),
            ("Gearbox: 2000 codes", None),
            ("ABS - no faults stored", True),
            ("ABS - does not respond", False),
            ("Body control unit = timeout", False),
            ("Airbag: wet", None),
            ("Rail pressure", None),
            ("Engine speed 1650 rpm", None),
            ("module " * 9, None),
            ("", None),
        ):
            named = module_line(line)
            self.assertEqual(named and named[1], answers, line)

    def test_a_read_out_of_several_modules_keeps_each_code_with_its_own(self):
        block = read_block(
            "P0401 stored\nEngine control module\n0638-73 stuck, cleared and back\nP0401 pending\n"
            "Gearbox: no response\nDosing module: no codes\nBrakes: 1 code\n1525-F3"
        )
        of = [(c.module, c.code, c.status, c.text) for c in block.codes]
        engine = "Engine control module"
        self.assertEqual(of[0], (None, "P0401", "stored", ""))
        self.assertEqual(of[1], (engine, "P0638", "cleared_and_back", "stuck"))
        self.assertEqual(of[2:], [(engine, "P0401", "pending", ""), ("Brakes", "C1525", None, "")])
        self.assertEqual(block.answered, (engine, "Dosing module", "Brakes"))
        self.assertEqual((block.silent, block.letterless, block.not_understood), (("Gearbox",), (), ()))


class Hours(unittest.TestCase):
    def test_minutes_under_an_hour(self):
        for hours, said in (
            (0.67, "40 min"),
            (1, "1 h"),
            (0.999, "1 h"),
            (25.25, "25 h 15 min"),
            (0, "0 min"),
        ):
            self.assertEqual(hours_said(hours), said)


if __name__ == "__main__":
    unittest.main()
