"""Relay, on-time, cold soak, battery and cranking against the tables."""

import unittest

from frosty_piston.core.battery import (
    BatteryLimits,
    charge_percent,
    cold_capacity_percent,
    crank_limit_v,
    judge_crank,
    judge_drop,
    judge_rest,
    judge_speed,
)
from frosty_piston.core.relay import (
    RelayLimits,
    RelayPoints,
    judge_on_time,
    judge_relay,
    judge_soak,
    usual_on_time_s,
)
from frosty_piston.knowledge.figures import general

RELAY, BATTERY = general(RelayLimits), general(BatteryLimits)


def relay(
    battery=12.4,
    feed=12.35,
    supply=12.3,
    command=0.2,
    output=0.0,
    click=True,
    loaded=True,
    control="relay_module",
    **more,
):
    return judge_relay(
        RelayPoints(battery, feed, supply, command, output, click, loaded, **more), RELAY, control
    ).cls


class Relay(unittest.TestCase):
    def test_every_row_of_the_table(self):
        self.assertEqual(relay(feed=11.5), "glow_feed_lost")
        self.assertEqual(relay(supply=0.1), "key_supply_lost")
        self.assertEqual(relay(command=12.3), "glow_control_missing")
        self.assertEqual(relay(click=False), "glow_relay_coil")
        self.assertEqual(relay(), "glow_relay_contacts")
        self.assertEqual(relay(output=11.0), "glow_relay_contacts")
        self.assertEqual(relay(output=12.2), "sound")

    def test_output_without_load_proves_nothing(self):
        self.assertEqual(relay(output=12.3, loaded=False), "unclear")

    def test_a_missing_point_is_named(self):
        judged = judge_relay(RelayPoints(12.4, 12.35, None, None, 0.0), RELAY)
        self.assertEqual(judged.verdict, "unclear")
        self.assertIn("key supply", judged.because)

    def test_contact_heat_is_told_when_the_current_is_known(self):
        # 1.35 V lost at 40 A: 33.8 milliohm, 54 W
        judged = judge_relay(RelayPoints(12.4, 12.35, 12.3, 0.2, 11.0, True, True, current_a=40), RELAY)
        self.assertIn("54 W", judged.because)

    def test_welded_and_electronic(self):
        self.assertEqual(relay(output_on_s=400), "welded")
        self.assertEqual(relay(control="electronic_module"), "glow_module_failed")

    def test_impossible_volts_are_implausible(self):
        self.assertEqual(judge_relay(RelayPoints(124.0, 12.0), RELAY).verdict, "implausible")


class Times(unittest.TestCase):
    def test_general_times(self):
        self.assertEqual(usual_on_time_s("rod_12v", 0, RELAY), (6, 9))
        self.assertEqual(usual_on_time_s("rod_12v", -40, RELAY), (14, 22))
        self.assertEqual(usual_on_time_s("fast_5v", -20, RELAY), (1, 3))

    def test_too_long_points_at_the_sensor(self):
        judged = judge_on_time(25, "rod_12v", 20, "lamp", RELAY)
        self.assertEqual(judged.cls, "long_time")
        self.assertIn("sensor", judged.because)
        self.assertEqual(judge_on_time(400, "rod_12v", 20, "output", RELAY).cls, "welded")

    def test_the_odd_sensor_out(self):
        found = judge_soak({"coolant": 41, "intake": -6, "ambient": -7, "fuel": -6}, 10, RELAY)
        self.assertEqual({c for c, j in found.items() if j.cls == "odd_one_out"}, {"coolant"})
        self.assertTrue(
            all(j.verdict == "unclear" for j in judge_soak({"coolant": 41, "intake": -6}, 10, RELAY).values())
        )
        self.assertTrue(
            all(
                j.verdict == "unclear"
                for j in judge_soak({"coolant": 41, "intake": -6, "fuel": -6}, 3, RELAY).values()
            )
        )


class Battery(unittest.TestCase):
    def test_charge_between_the_table_points(self):
        # half way from 12.24 to 12.45 is 62.5 %
        self.assertAlmostEqual(charge_percent(12.345, BATTERY), 62.5)
        self.assertAlmostEqual(charge_percent(24.48, BATTERY, 24), 50)
        self.assertEqual((charge_percent(11.0, BATTERY), charge_percent(13.0, BATTERY)), (0, 100))

    def test_cold(self):
        self.assertEqual(cold_capacity_percent(-10, BATTERY), 65)
        self.assertAlmostEqual(crank_limit_v(1, BATTERY), 9.05)

    def test_verdicts(self):
        self.assertEqual(
            [judge_rest(v, BATTERY).cls for v in (12.6, 12.33, 11.9)], ["charged", "low", "flat"]
        )
        self.assertEqual(judge_rest(12.45, BATTERY).verdict, "unclear")
        self.assertEqual(judge_rest(14.2, BATTERY).verdict, "implausible")
        self.assertEqual(judge_crank(8.9, -15, BATTERY).verdict, "sound")
        self.assertEqual(judge_crank(8.9, 20, BATTERY).verdict, "failed")
        self.assertEqual(judge_speed(120, BATTERY).cls, "too_slow")
        self.assertEqual(judge_speed(151, BATTERY).verdict, "unclear")
        self.assertEqual([judge_drop(v, "positive", BATTERY).cls for v in (0.2, 0.9)], ["sound", "drops"])
        self.assertEqual(judge_drop(0.4, "ground", BATTERY).verdict, "failed")
