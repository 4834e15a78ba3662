"""Edges of relay, glow time, cold soak, battery and cranking. Hand-worked: budgets as the trade has them."""

import unittest
from dataclasses import replace

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
    VoltMeter,
    judge_on_time,
    judge_point,
    judge_relay,
    judge_soak,
    usual_on_time_s,
)
from frosty_piston.knowledge.figures import general
from tests.edges import Edges, exact

EXACT = VoltMeter(0.0, 0.0, 0.0)
RELAY = general(RelayLimits)
# Quarter volts are exact in a computer.
QUARTERS = exact(RELAY, feed_drop_v=0.25, contact_drop_v=0.5, supply_share=0.75, command_share=0.5)
GOOD = RelayPoints(12.5, 12.5, 12.5, 0.25, 0.0, True, True)


def relay(limits=QUARTERS, meter=EXACT, control="relay_module", **changed):
    return judge_relay(replace(GOOD, **changed), limits, control, meter)


class Relay(Edges, unittest.TestCase):
    def test_feed(self):
        self.held(
            lambda feed: relay(feed=feed),
            ((12.25, "glow_relay_contacts"), (12.24, "glow_feed_lost"), (12.5, "glow_relay_contacts")),
        )
        # with a meter of 0.25 V, the drop lies within it of the limit from 0 to 0.5 V
        rough = VoltMeter(0.0, 1.0, 0.25)
        self.held(
            lambda feed: relay(feed=feed, meter=rough),
            ((12.5, "glow_relay_contacts"), (12.4, "unclear"), (12.0, "unclear"), (11.9, "glow_feed_lost")),
        )
        # 0.3 V is the budget of the feed
        self.held(
            lambda feed: relay(RELAY, feed=feed), ((12.21, "glow_relay_contacts"), (12.19, "glow_feed_lost"))
        )

    def test_a_pulsed_output(self):
        # four fifths of the 5 V that its plugs are rated for are 4 V; through a relay the rest would be lost
        pulsed = {"control": "electronic_module", "held_v": 5.0}
        self.held(lambda v: relay(output=v, **pulsed), ((4.0, "sound"), (3.99, "glow_module_failed")))
        self.held(
            lambda v: judge_point(replace(GOOD, output=v, held_v=5.0), "output", QUARTERS),
            ((4.0, "carries"), (3.99, "drops")),
        )
        self.assertEqual(relay(output=5.0, control="electronic_module").cls, "glow_module_failed")
        self.assertEqual(relay(output=5.0, loaded=False, **pulsed).cls, "unclear")

    def test_supply_and_command(self):
        # three quarters of 12.5 V are 9.375, half of it 6.25
        self.held(lambda v: relay(supply=v), ((9.375, "glow_relay_contacts"), (9.37, "key_supply_lost")))
        self.held(lambda v: relay(command=v), ((6.25, "glow_relay_contacts"), (6.26, "glow_control_missing")))
        self.assertEqual(relay(RELAY, supply=9.38).cls, "glow_relay_contacts")
        self.assertEqual(relay(RELAY, supply=9.36).cls, "key_supply_lost")
        self.assertEqual(relay(RELAY, command=6.24).cls, "glow_relay_contacts")
        self.assertEqual(relay(RELAY, command=6.27).cls, "glow_control_missing")

    def test_output(self):
        # feed 12.5: 0.25 V lost carries, up to 0.5 V is in between, then the contacts are burnt
        self.held(
            lambda v: relay(output=v),
            ((12.25, "sound"), (12.24, "glow_relay_contacts"), (12.0, "glow_relay_contacts")),
        )
        self.held(
            lambda v: relay(output=v).verdict,
            ((12.24, "marginal"), (12.0, "marginal"), (11.99, "failed"), (1.0, "failed")),
        )
        self.assertIn("nothing comes out", relay(output=0.99).because)
        self.assertIn("too low", relay(output=1.0).because)
        self.held(
            lambda v: relay(output=v, loaded=False), ((12.25, "unclear"), (12.2, "glow_relay_contacts"))
        )
        rough = VoltMeter(0.0, 1.0, 0.25)
        self.assertEqual(relay(feed=12.5, output=12.0, meter=rough).verdict, "unclear")

    def test_heat_in_the_contact_needs_a_current(self):
        # 1.5 V at 40 A is 37.5 milliohm and 60 W
        self.assertIn("37.5 milliohm, 60 W", relay(output=11.0, current_a=40.0).because)
        self.assertNotIn("milliohm", relay(output=11.0, current_a=0.0).because)

    def test_welded_after_three_minutes(self):
        self.held(lambda s: relay(output_on_s=s), ((180.0, "glow_relay_contacts"), (181.0, "welded")))

    def test_what_cannot_be_on_a_vehicle(self):
        self.held(
            lambda v: relay(battery=v, feed=v),
            ((40.0, "key_supply_lost"), (40.1, "implausible"), (-1.1, "implausible")),
        )
        self.assertEqual(relay(command=-1.0).cls, "glow_relay_contacts")
        self.assertEqual(relay(command=-1.01).cls, "implausible")

    def test_points_by_themselves(self):
        def at(name, volts, loaded=True, meter=EXACT, limits=QUARTERS):
            points = replace(GOOD, loaded=loaded, **{name: volts})
            judged = judge_point(points, name, limits, meter)
            return f"{judged.verdict} {judged.cls}"

        rough = VoltMeter(0.0, 1.0, 0.125)
        self.held(
            at,
            (
                ("feed", 12.5, "sound sound"),
                ("feed", 12.25, "sound sound"),
                ("feed", 12.24, "failed low"),
                ("feed", 12.25, True, rough, "unclear unclear"),
                ("feed", 12.375, True, rough, "sound sound"),
                ("feed", 12.125, True, rough, "unclear unclear"),
                ("feed", 12.12, True, rough, "failed low"),
                ("supply", 9.375, "sound present"),
                ("supply", 9.37, "failed missing"),
                ("command", 6.25, "sound low"),
                ("command", 6.26, "failed never_low"),
                ("output", 12.25, "sound carries"),
                ("output", 12.25, False, "unclear unloaded"),
                ("output", 12.24, "marginal drops"),
                ("output", 12.0, "marginal drops"),
                ("output", 11.99, "failed drops"),
                ("output", 1.0, "failed drops"),
                ("output", 0.99, "failed dead"),
                ("output", 15.0, "sound carries"),
                ("output", 15.1, "implausible implausible"),
                ("feed", 38.0, "implausible implausible"),
                ("battery", 40.0, "sound reference"),
                ("battery", 40.1, "implausible implausible"),
                ("output", -1.0, "failed dead"),
                ("output", -1.1, "implausible implausible"),
            ),
        )

    def test_usual_glow_time(self):
        # by the table: 14 to 22 s at -20, 9 to 14 at -10, 6 to 9 at 0, 2 to 4 at 20; straight between
        for celsius, low, high in (
            (-20, 14, 22),
            (-15, 11.5, 18),
            (-10, 9, 14),
            (0, 6, 9),
            (10, 4, 6.5),
            (20, 2, 4),
            (35, 2, 4),
        ):
            self.assertEqual(usual_on_time_s("rod_12v", celsius, RELAY), (low, high))

    def test_glow_time(self):
        # at 0 degrees 6 to 9 s: under half of 6 is short, over one and a half of 9 is long
        self.held(
            lambda s, point: judge_on_time(s, "rod_12v", 0, point, RELAY),
            (
                (-0.01, "lamp", "implausible"),
                (0.49, "lamp", "absent"),
                (0.5, "lamp", "short_time"),
                (2.9, "lamp", "short_time"),
                (3.0, "lamp", "sound"),
                (13.5, "lamp", "sound"),
                (13.6, "lamp", "long_time"),
                (18.0, "output", "long_time"),
                (18.1, "output", "unclear"),
                (180.0, "output", "unclear"),
                (180.1, "output", "welded"),
                (86400.0, "lamp", "long_time"),
                (86401.0, "lamp", "implausible"),
            ),
        )

    def test_cold_soak(self):
        def odd(t, hours=8.0, others=(0.0, 0.0)):
            temps = {"coolant": t} | {f"other_{n}": o for n, o in enumerate(others)}
            return judge_soak(temps, hours, RELAY)["coolant"]

        self.held(
            odd,
            (
                (5.0, "sound"),
                (5.1, "odd_one_out"),
                (-5.1, "odd_one_out"),
                (20.0, 7.9, "unclear"),
                (20.0, 8.0, "odd_one_out"),
                (20.0, 8.0, (0.0,), "unclear"),
                (-60.0, "odd_one_out"),
                (-60.1, "implausible"),
                (1300.0, "odd_one_out"),
                (1301.0, "implausible"),
            ),
        )


class Battery(Edges, unittest.TestCase):
    LIMITS = general(BatteryLimits)
    EIGHTHS = exact(
        LIMITS, charged_v=12.5, low_v=12.25, surface_v=13.0, drop_positive_v=0.5, drop_ground_v=0.25
    )

    def test_tables(self):
        for volts, percent in ((11.5, 0), (11.89, 0), (12.06, 25), (12.24, 50), (12.45, 75), (12.65, 100)):
            self.assertAlmostEqual(charge_percent(volts, self.LIMITS), percent)
        self.assertAlmostEqual(charge_percent(11.975, self.LIMITS), 12.5)
        for celsius, percent in (
            (-45, 18),
            (-40, 18),
            (-35, 25.5),
            (-30, 33),
            (-24, 41.5),
            (-18, 50),
            (-10, 65),
            (0, 80),
            (12.5, 90),
            (25, 100),
            (40, 100),
        ):
            self.assertAlmostEqual(cold_capacity_percent(celsius, self.LIMITS), percent)
        for celsius, volts in ((-40, 8.5), (-18, 8.5), (1, 9.05), (20, 9.6), (30, 9.6)):
            self.assertAlmostEqual(crank_limit_v(celsius, self.LIMITS), volts)
        self.assertAlmostEqual(crank_limit_v(20, self.LIMITS, 24), 19.2)

    def test_at_rest(self):
        self.held(
            lambda v: judge_rest(v, self.EIGHTHS, meter=EXACT),
            (
                (12.5, "charged"),
                (12.49, "low"),
                (12.25, "low"),
                (12.24, "flat"),
                (13.0, "charged"),
                (13.01, "implausible"),
                (1.0, "flat"),
                (0.99, "implausible"),
                (16.01, "implausible"),
            ),
        )
        # the general marks are three quarters and half of a charge
        self.held(
            lambda v: judge_rest(v, self.LIMITS, meter=EXACT),
            ((12.46, "charged"), (12.44, "low"), (12.25, "low"), (12.23, "flat"), (13.1, "charged")),
        )
        self.assertEqual(judge_rest(25.0, self.LIMITS, 24, meter=EXACT).cls, "charged")
        self.assertIn("% of its capacity", judge_rest(12.6, self.LIMITS, battery_c=19.9).because)
        self.assertNotIn("capacity", judge_rest(12.6, self.LIMITS, battery_c=20.0).because)

    def test_near_a_mark_it_is_unclear(self):
        meter = VoltMeter(0.0, 1.0, 0.125)
        self.held(
            lambda v: judge_rest(v, self.EIGHTHS, meter=meter),
            ((12.625, "charged"), (12.6, "unclear"), (12.5, "unclear"), (12.2, "unclear"), (12.125, "flat")),
        )

    def test_cranking(self):
        # 9.6 V at 20 degrees; a reading wavers by 0.05 V
        self.held(
            lambda v, c: judge_crank(v, c, self.LIMITS, meter=EXACT),
            (
                (9.66, 20, "holds"),
                (9.64, 20, "unclear"),
                (9.56, 20, "unclear"),
                (9.54, 20, "sags"),
                (9.54, None, "sags"),
                (8.56, -18, "holds"),
                (8.44, -18, "sags"),
                (16.0, 20, "holds"),
                (16.1, 20, "implausible"),
                (0.0, 20, "sags"),
                (-0.1, 20, "implausible"),
            ),
        )
        self.assertEqual(judge_crank(32.0, 20, self.LIMITS, 24, EXACT).cls, "holds")

    def test_speed(self):
        # uncertain by 2 %, at least by 3 a minute: 147 + 3 is the limit
        self.held(
            lambda rpm: judge_speed(rpm, self.LIMITS),
            (
                (146.9, "too_slow"),
                (147.0, "unclear"),
                (153.0, "unclear"),
                (153.1, "slow"),
                (179.9, "slow"),
                (180.0, "fast_enough"),
                (600.0, "fast_enough"),
                (600.1, "implausible"),
                (0.0, "too_slow"),
                (-1.0, "implausible"),
            ),
        )
        self.assertEqual(judge_speed(200, self.LIMITS).uncertainty, 4.0)
        self.assertEqual(judge_speed(100, self.LIMITS).uncertainty, 3.0)

    def test_cable_drop(self):
        self.held(
            lambda v, side: judge_drop(v, side, self.EIGHTHS, EXACT),
            (
                (0.5, "positive", "sound"),
                (0.51, "positive", "drops"),
                (0.25, "ground", "sound"),
                (0.26, "ground", "drops"),
                (-0.5, "ground", "sound"),
                (-0.51, "ground", "implausible"),
                (30.0, "ground", "drops"),
                (30.1, "ground", "implausible"),
            ),
        )
        self.held(
            lambda v, side: judge_drop(v, side, self.LIMITS, EXACT),
            (
                (0.49, "positive", "sound"),
                (0.51, "positive", "drops"),
                (0.29, "ground", "sound"),
                (0.31, "ground", "drops"),
            ),
        )
        self.assertEqual(judge_drop(0.3, "ground", self.LIMITS).cls, "unclear")
