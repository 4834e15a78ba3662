"""What each judge says of a usual reading: class, figure, unit, uncertainty, every number in its words."""

import re
import unittest

from frosty_piston.core import (
    aftertreatment,
    air,
    battery,
    glow_methods,
    injection,
    relay,
    running,
    vacuum,
    wiring,
)
from frosty_piston.core.glow import GlowLimits
from frosty_piston.core.limits import Limit
from frosty_piston.knowledge.figures import general

NAMES = {
    "FILTER": general(aftertreatment.FilterLimits),
    "NOX": general(aftertreatment.NoxLimits),
    "DEF": general(aftertreatment.DefLimits),
    "AIR": general(air.AirLimits),
    "BATTERY": general(battery.BatteryLimits),
    "ROD": general(GlowLimits).kind("rod_12v"),
    "INJECTION": general(injection.InjectionLimits),
    "RELAY": general(relay.RelayLimits),
    "RUNNING": general(running.RunningLimits),
    "VACUUM": general(vacuum.VacuumLimits),
    "WIRING": general(wiring.WiringLimits),
    "Limit": Limit,
    "KIND": "rail_solenoid",
}
MODULES = {
    m.__name__.rsplit(".")[-1]: m
    for m in (aftertreatment, air, battery, glow_methods, injection, relay, running, vacuum, wiring)
}
# what is asked, the class, the figure, its unit, its uncertainty, the numbers of the sentence in their order
SAYS = (
    (
        "aftertreatment.judge_filter([(120, 3.1), (240, 7.4)], FILTER)",
        "loaded",
        2.5,
        "kPa",
        None,
        "2.5 100 1 3 5",
    ),
    (
        "aftertreatment.judge_filter([(120, 9.1), (240, 21.0)], FILTER)",
        "blocked",
        7.3889,
        "kPa",
        None,
        "7.39 100 1 3 5",
    ),
    (
        "aftertreatment.judge_filter([(300, 0.4)], FILTER)",
        "near_zero",
        0.0889,
        "kPa",
        0.0444,
        "0.133 100 1 3 5",
    ),
    ("aftertreatment.judge_soot(9, FILTER)", "normal", 9.0, "g", None, "9 12 24 36 45"),
    ("aftertreatment.judge_soot(30, FILTER)", "high", 30.0, "g", None, "30 12 24 36 45"),
    ("aftertreatment.judge_soot(52, FILTER)", "too_high", 52.0, "g", None, "52 12 24 36 45"),
    ("aftertreatment.judge_ash(82, FILTER)", "ash_high", 82.0, "g", None, "82 60"),
    ("aftertreatment.judge_ash(20, FILTER)", "normal", 20.0, "g", None, "20 60"),
    ("aftertreatment.judge_burn_distance(120, FILTER)", "short", 120.0, "km", None, "120 250"),
    ("aftertreatment.judge_burn_distance(600, FILTER)", "normal", 600.0, "km", None, "600 250"),
    ("aftertreatment.judge_nox(600, 60, True, NOX)", "good", 90.0, "percent", None, "600 60 90 80 50"),
    ("aftertreatment.judge_nox(600, 240, True, NOX)", "weak", 60.0, "percent", None, "600 240 60 80 50"),
    ("aftertreatment.judge_nox(600, 420, True, NOX)", "poor", 30.0, "percent", None, "600 420 30 80 50"),
    ("aftertreatment.judge_nox(300, 290, False, NOX)", "agree", 3.3333, "percent", None, "300 290 3 15"),
    (
        "aftertreatment.judge_concentration(32.5, DEF)",
        "in_range",
        32.5,
        "percent",
        0.3,
        "32.5 31.8 33.2 22241",
    ),
    ("aftertreatment.judge_concentration(29, DEF)", "off", 29.0, "percent", 0.3, "29 31.8 33.2 22241"),
    ("aftertreatment.judge_concentration(8, DEF)", "wrong", 8.0, "percent", 0.3, "8 31.8 33.2 22241"),
    ('aftertreatment.judge_dose(100, 60, "good", DEF)', "short", 60.0, "ml", None, "60 100 40 10"),
    ("aftertreatment.judge_def_pressure(5.0, 4.8, 60, DEF)", "holds", 5.0, "bar", None, "5 5 4.8"),
    ("aftertreatment.judge_def_pressure(3.1, None, None, DEF)", "low", 3.1, "bar", None, "3.1 5"),
    ("air.judge_air_mass(300, 537, AIR)", "reads_low", 300.0, "mg", 53.7, "300 537 44 10"),
    ("air.judge_egr_rest(2, AIR)", "closed", 2.0, "percent", None, "2 5"),
    ("air.judge_egr_rest(9, AIR)", "does_not_close", 9.0, "percent", None, "9 5"),
    ("air.judge_egr_rest(38, AIR)", "far_open", 38.0, "percent", None, "38 5"),
    ("air.judge_swirl(6.0, 3.9, AIR)", "better_released", 35.0, "percent", None, "6 3.9 35 25"),
    ("air.judge_swirl(4.0, 3.8, AIR)", "same", 5.0, "percent", None, "4 3.8 5 25"),
    ("air.judge_boost_leak(70, 40, 60, AIR)", "leaks", 42.8571, "percent", None, "70 40 60 43 20"),
    ("air.judge_boost_leak(70, 66, 60, AIR)", "tight", 5.7143, "percent", None, "70 66 60 6 20"),
    ("air.judge_boost_leak(1, 0, 60, AIR)", "leaks", 0.0, "kPa", None, ""),
    ("battery.judge_rest(12.5, BATTERY)", "unclear", 12.5, "V", 0.0575, "12.5 81 12.45 0.0575"),
    ("battery.judge_rest(12.1, BATTERY)", "flat", 12.1, "V", 0.0563, "12.1 31"),
    ("battery.judge_rest(24.9, BATTERY, system_v=24)", "unclear", 24.9, "V", 0.0947, "24.9 75 24.9 0.0947"),
    ("battery.judge_crank(10.1, 20, BATTERY)", "holds", 10.1, "V", 0.1003, "10.1 9.6 20"),
    ("battery.judge_crank(8.1, 20, BATTERY)", "sags", 8.1, "V", 0.0943, "8.1 9.6 20"),
    ("battery.judge_speed(120, BATTERY)", "too_slow", 120.0, "rpm", 3.0, "120 150"),
    ("battery.judge_speed(165, BATTERY)", "slow", 165.0, "rpm", 3.3, "165 180"),
    ("battery.judge_speed(210, BATTERY)", "fast_enough", 210.0, "rpm", 4.2, "210 150"),
    ('battery.judge_drop(0.9, "positive", BATTERY)', "drops", 0.9, "V", 0.0227, "0.9 0.5"),
    ('battery.judge_drop(0.1, "ground", BATTERY)', "sound", 0.1, "V", 0.0203, "0.1 0.3"),
    ('glow_methods.judge_bench_heat("red_tip", 8, False, ROD)', "sound", 8.0, "s", 1.0, ""),
    ('glow_methods.judge_bench_heat("red_tip", 25, False, ROD)', "weak", 25.0, "s", 1.0, "25 20"),
    ('glow_methods.judge_bench_heat("red_tip", 8, True, ROD)', "sound", 8.0, "s", 1.0, ""),
    ('glow_methods.judge_bench_heat("cold", None, False, ROD)', "open", None, "s", None, "12"),
    ('injection.judge_insulation(0.3, "rail_solenoid", INJECTION)', "leaks", 0.3, "Mohm", None, "0.3 1"),
    ('injection.judge_insulation(None, "rail_piezo", INJECTION)', "sound", None, "Mohm", None, "10"),
    ("injection.judge_misfires(40, 2000, INJECTION)", "misfires", 20.0, None, None, "20 1 000 5"),
    ("injection.judge_misfires(2, 4000, INJECTION)", "quiet", 0.5, None, None, "0.5 1 000 5"),
    ("injection.judge_rail_cranking(90, INJECTION)", "failed", 90.0, "bar", None, "90 150 250"),
    ("injection.judge_rail_cranking(310, INJECTION)", "sound", 310.0, "bar", None, "310 150 250"),
    ("injection.judge_supply_pressure(0.8, INJECTION)", "failed", 0.8, "bar", None, "0.8 3"),
    ("injection.judge_supply_pressure(4.5, INJECTION)", "sound", 4.5, "bar", None, "4.5 3"),
    (
        "injection.judge_injector_resistance([0.4, None, 0.42, 0.9], [0.02] * 4, KIND, INJECTION)[1]",
        "open",
        None,
        "ohm",
        0.02,
        "",
    ),
    (
        "injection.judge_injector_resistance([0.4, None, 0.42, 0.9], [0.02] * 4, KIND, INJECTION)[3]",
        "high",
        0.9,
        "ohm",
        0.02,
        "0.9 0.2 0.8",
    ),
    ("injection.judge_leakoff([20, 22, 21, 66], INJECTION)[3]", "high", 66.0, "ml", None, "66 20.5 2"),
    (
        "injection.judge_balance([-1.5, -1.4, 5.0, -2.1], INJECTION)[2]",
        "needs_more",
        5.0,
        "mm3",
        None,
        "5 5 4",
    ),
    ("injection.judge_cutout([60, 58, 2, 25], INJECTION)[2]", "dead", 2.0, "rpm", None, "2 59"),
    ("injection.judge_cutout([60, 58, 2, 25], INJECTION)[3]", "weak", 25.0, "rpm", None, "25 59"),
    (
        "injection.judge_compression([100, 98, 72, 99], INJECTION)[2]",
        "low",
        72.0,
        "percent",
        2.0,
        "72 73.1 85",
    ),
    ('relay.judge_on_time(7, "rod_12v", -5, "output", RELAY)', "sound", 7.0, "s", 1.0, "7 5 7.5 11.5"),
    ('relay.judge_on_time(60, "rod_12v", 20, "output", RELAY)', "unclear", 60.0, "s", 1.0, "60 20 2 4"),
    (
        'relay.judge_soak({"coolant": 12.0, "intake": 31.0, "ambient": 12.0}, 10, RELAY)["intake"]',
        "odd_one_out",
        31.0,
        "degC",
        1.0,
        "31 12",
    ),
    ("running.judge_oil_pressure(0.6, 800, RUNNING)", "low", 0.6, "bar", None, "0.6 800 1"),
    ("running.judge_oil_pressure(2.0, 2000, RUNNING)", "low", 2.0, "bar", None, "2 2\xa0000 2.5"),
    ("running.judge_warm_up(62, 25, RUNNING)", "cool", 62.0, "degC", None, "62 25 75"),
    ("running.judge_filter_drop(3.4, 1.9, RUNNING)", "drop", 1.5, "bar", None, "1.5 3.4 0.68"),
    ("running.judge_stop_time(1.2, RUNNING)", "quick", 1.2, "s", None, "1.2 2 4"),
    ("running.judge_stop_time(6, RUNNING)", "hangs", 6.0, "s", None, "6 2 4"),
    ("running.judge_coil(28, RUNNING)", "ok", 28.0, "ohm", None, "28 10 60"),
    ("running.judge_coil(2, RUNNING)", "short", 2.0, "ohm", None, "2 10 60"),
    ("vacuum.judge_pump(92, 10, VACUUM)", "sound", 92.0, "kPa", 2.0, "92 84.79 0 101.3"),
    ("vacuum.judge_pump(60, 10, VACUUM)", "low", 60.0, "kPa", 2.0, "60 84.79 0 101.3"),
    (
        "vacuum.judge_pump(80, 10, VACUUM, vacuum.ambient_of(altitude_m=1500))",
        "sound",
        80.0,
        "kPa",
        2.0,
        "80 70.76 1\xa0500 84.53",
    ),
    ("vacuum.judge_hold(60, 20, 60, VACUUM)", "leaks", 40.0, "kPa", 1.0, "60 20 60 40 60 3"),
    ("vacuum.judge_hold(60, 59, 60, VACUUM)", "holds", 1.0, "kPa", 1.0, "60 59 60 1 60 3"),
    (
        "vacuum.judge_travel([(0, 0), (18, 0.6), (30, 4), (50, 10), (60, 10.2)], VACUUM)",
        "in_range",
        10.2,
        "mm",
        None,
        "19.5 49 10.2 20 60",
    ),
    ('wiring.judge_supply("supply", 0.1, (12.4, 12.4), WIRING, True)', "missing", 0.1, "V", None, "0.1 30"),
    ('wiring.judge_supply("ground", 0.4, (12.4, 12.4), WIRING, True)', "low", 0.4, "V", None, "0.4 0.1"),
    (
        'wiring.judge_supply("reference", 5.0, (12.4, 12.4), WIRING, True)',
        "present",
        5.0,
        "V",
        None,
        "5 4.9 5.1",
    ),
    ('wiring.judge_network("pair", 121, "ohm", WIRING)', "off", 121.0, "ohm", None, "121 60"),
    ('wiring.judge_network("pair", 50, "ohm", WIRING)', "off", 50.0, "ohm", None, "50 60"),
    ('wiring.judge_network("high", 2.7, "V", WIRING)', "sound", 2.7, "V", None, "2.7"),
    ('wiring.judge_circuit_drop(0.9, 6.0, Limit(0.2, "V"))', "drops", 0.9, "V", None, "0.9 6 0.15 0.2"),
    ("wiring.judge_wiggle(8, 60, 1, 600, WIRING)", "drops_out", 0.0, None, None, "8 60 1 600 1 1 000"),
)


def numbers(words):
    return " ".join(re.findall(r"\d+(?:[.\u00a0]\d+)*", words))


class Sayings(unittest.TestCase):
    def test_every_saying(self):
        for asked, cls, value, unit, uncertainty, said in SAYS:
            with self.subTest(asked):
                judged = eval(asked, NAMES | MODULES)
                self.assertEqual((judged.cls, judged.unit), (cls, unit))
                for figure, wanted in ((judged.value, value), (judged.uncertainty, uncertainty)):
                    if wanted is None:
                        self.assertIsNone(figure)
                    else:
                        self.assertAlmostEqual(figure, wanted, delta=6e-5)
                self.assertEqual(numbers(judged.because), said)
