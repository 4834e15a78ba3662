"""Judgements that a technician must be able to trust: each case with the reason why it must be so."""

import unittest

from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.next_step import next_step
from frosty_piston.job.repair.prove import prove
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from tests.cases import (
    MODERN,
    NORRA,
    SKARN,
    VACUUM,
    code,
    entry,
    figures,
    job_file,
    meter,
    outcome,
    plugs,
    reading,
    relay_read,
    scan,
    symptom,
)

K = load_knowledge()
COLD = entry("condition", name="ambient", value=-8, unit="degC")
INLINE = {
    **NORRA,
    "name": "Gamla P6-30",
    "cylinders": 6,
    "combustion": "prechamber",
    "injection": "inline_pump",
    "turbo": "none",
    "egr": [],
    "vacuum_pump": True,
    "stop": "vacuum",
}
DRY = {
    **MODERN,
    "name": "Norra D4-24",
    "egr_cooler_bypass": "electric",
    "swirl_flaps": "motor",
    "vacuum_pump": True,
}


def think(*entries, engine=MODERN):
    return Assessed(job_of(check(job_file(*entries, engine=engine), K)), K)


def odds(job, fault):
    return job.suspicion.odds(fault)


def tests_of(job, count=20):
    return [n.test for n in job.proposals.next_tests[:count]]


def verdict(job, test):
    return next(v.judgement for v in job.now if v.test == test)


class CodesOfTheEngine(unittest.TestCase):
    def test_a_preheat_code_with_the_lamp_and_a_hard_start_is_the_glow(self):
        # The code says what the driver cannot: a loaded filter does not set a preheat code.
        job = think(COLD, symptom("hard_start_cold"), symptom("engine_lamp"), code("P0380"), scan())
        self.assertEqual(K.fault_system[job.suspicion.suspects[0].fault], "glow")
        self.assertIn(K.tests[tests_of(job)[0]].system, ("glow", "start"))

    def test_a_vane_code_with_a_lamp_alone_is_the_turbo_drive(self):
        # Nobody complained of power; the stored code is evidence all the same.
        job = think(symptom("engine_lamp"), code("P2263"), scan())
        self.assertEqual(K.fault_system[job.suspicion.suspects[0].fault], "boost")

    def test_a_rail_code_with_a_cold_start_is_the_fuel(self):
        # Too little pressure to fire is a fuel fault also when it shows in the cold.
        job = think(COLD, symptom("hard_start_cold"), code("P0087"), scan())
        self.assertIn(K.fault_system[job.suspicion.suspects[0].fault], ("fuel", "injectors"))

    def test_an_egr_circuit_code_with_black_smoke_is_the_egr(self):
        # Black smoke alone is many things; the circuit code is one.
        job = think(symptom("black_smoke"), code("P0403"), scan())
        leading = {s.fault for s in job.suspicion.suspects[:2]}
        self.assertTrue(leading & {"egr_wiring_open", "egr_drive_failed"}, leading)

    def test_a_history_code_beside_an_unexplained_complaint_still_counts(self):
        # Parked only once the complaint is explained without it.
        alone = think(symptom("low_power"), entry("code", code="P0299", status="history"), scan())
        self.assertEqual([c.place for c in alone.codes], ["bears"])
        beside = think(
            symptom("low_power"), code("P0299"), entry("code", code="P0401", status="history"), scan()
        )
        self.assertEqual({c.code: c.place for c in beside.codes}, {"P0299": "bears", "P0401": "parked"})

    def test_a_lamp_adds_no_second_fault_to_its_code(self):
        # Any system that can set a code lights the lamp: code and lamp are one witness.
        with_lamp = think(symptom("low_power"), symptom("engine_lamp"), code("P0299"), scan())
        without = think(symptom("low_power"), code("P0299"), scan())
        for fault in ("dpf_soot", "nox_sensor_up", "egr_stuck_open", "boost_hose_split"):
            self.assertAlmostEqual(odds(with_lamp, fault), odds(without, fault), places=6)

    def test_the_plain_lamp_is_no_emissions_complaint(self):
        # A weak battery or an open glow plug lights the lamp as well as a filter does.
        spoken = K.symptom_findings["engine_lamp"].shows
        for system in ("glow", "fuel", "injectors", "boost", "egr", "dpf", "scr", "wiring"):
            self.assertTrue(any(K.fault_system[f] == system for f in spoken), system)

    def test_two_circuit_codes_of_one_valve_leave_its_wire_in_play(self):
        # Circuit codes point at wires and connectors first.
        job = think(symptom("engine_lamp"), code("P0403"), code("P0404"), scan())
        self.assertGreater(odds(job, "egr_wiring_open"), 0.25)
        self.assertGreater(odds(job, "egr_drive_failed"), 0.25)

    def test_every_circuit_code_has_a_wire_beside_its_part(self):
        wires = {
            "sensor_wiring",
            "egr_wiring_open",
            "turbo_actuator_connector",
            "injector_connector_fretted",
            "glow_harness_open",
            "nox_sensor_supply",
            "network_wires",
            "module_supply_missing",
        }
        for group, finding in K.group_findings.items():
            if group.endswith("_circuit"):
                strong = {f for f, row in finding.shows.items() if row[1] >= 0.5}
                self.assertTrue(strong & (wires - {"module_supply_missing"}), group)


class AtThePart(unittest.TestCase):
    def test_a_cooler_seen_blocked_is_blocked(self):
        # Off, in the hand, nothing flows through it.
        job = think(symptom("engine_lamp"), code("P0401"), scan(), outcome("egr_cooler_look", "blocked"))
        self.assertGreater(odds(job, "egr_cooler_blocked"), 0.85)

    def test_a_seal_seen_missing_is_missing(self):
        job = think(symptom("emissions_message"), outcome("def_look", "seal_missing"))
        self.assertGreater(odds(job, "def_cap_seal"), 0.85)

    def test_a_hose_seen_split_is_split(self):
        job = think(symptom("low_power"), outcome("intake_look", "split"))
        self.assertGreater(odds(job, "boost_hose_split"), 0.85)

    def test_eight_of_eight_tired_plugs_are_tired(self):
        # One high reading is soon a slip; eight alike are not.
        def tired(count):
            values = [1.6] * count + [0.8] * (8 - count)
            return think(
                COLD, symptom("hard_start_cold"), meter(), *plugs([v + 0.2 for v in values]), engine=EIGHT
            )

        EIGHT = {**SKARN, "glow_nominal_ohm": 0.8}
        eight = tired(8)
        together = odds(eight, "glow_plugs_high_resistance") + odds(eight, "glow_plugs_wrong")
        self.assertGreater(together, 0.85)
        self.assertGreater(
            odds(eight, "glow_plugs_high_resistance"), odds(tired(1), "glow_plugs_high_resistance")
        )

    def test_a_flickering_needle_is_the_pump_whatever_its_level(self):
        # Vane, diaphragm or seal: the level may still be right.
        at_pump = figures("vacuum_at_pump", kpa=92, seconds=8, flicker_kpa=5, altitude_m=0)
        job = think(symptom("hard_brake_pedal"), at_pump, engine=VACUUM)
        self.assertEqual({v.judgement.cls for v in job.now}, {"sound", "flickers"})
        self.assertEqual(job.suspicion.suspects[0].fault, "vacuum_pump_weak")
        self.assertGreater(odds(job, "vacuum_pump_weak"), 0.6)

    def test_each_finding_says_how_it_came_about(self):
        for findings in K.findings.values():
            for known in findings:
                self.assertIn(known.shape.how, K.witnesses)
        seen, told = K.witnesses["seen"].false_alarm, K.witnesses["told"].false_alarm
        self.assertLess(seen, told / 10)


class TwoOfOneFamily(unittest.TestCase):
    def test_one_plug_dead_and_the_wire_of_another_broken(self):
        # Each place speaks for itself: cylinder 3 is sound at the plug and open at the connector.
        job = think(
            COLD,
            symptom("hard_start_cold"),
            meter(),
            *plugs([1.0, "OL", "OL", 1.0]),
            reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2),
            reading("glow_resistance", 1.0, "ohm", point="plug", cylinder=3),
        )
        self.assertGreater(odds(job, "glow_plugs_open"), 0.9)
        self.assertGreater(odds(job, "glow_harness_open"), 0.85)

    def test_a_wire_open_beside_a_valve_that_comes_free_when_driven_directly(self):
        # Driven past its wires it works loose: that does not clear the wire that measures open.
        job = think(
            symptom("limp_mode"),
            symptom("black_smoke"),
            code("P0403"),
            scan(),
            reading(
                "supply_pins", 0.1, "V", {"loaded": True, "battery_v": 12.4}, node="egr_valve", pin="supply"
            ),
            outcome("egr_actuate", "improves"),
            outcome("egr_look", "stuck"),
        )
        self.assertGreater(odds(job, "egr_wiring_open"), 0.8)
        self.assertGreater(odds(job, "egr_stuck_open") + odds(job, "egr_stuck_closed"), 0.8)
        self.assertEqual(job.suspicion.conflicts, ())

    def test_a_relay_that_loses_seven_volts_is_burnt_though_the_plugs_draw_a_little(self):
        # Contacts that drop 7.6 V leave every plug with little, not with none.
        job = think(
            COLD,
            symptom("hard_start_cold"),
            *[reading("glow_current", 4.1, "A", {"after_s": 10}, cylinder=c) for c in (1, 2, 3, 4)],
            *relay_read(battery=12.2, feed=12.1, supply=12.0, command=0.2, output=4.5),
            outcome("glow_relay", "click", point="relay"),
            engine=NORRA,
        )
        self.assertEqual(job.suspicion.suspects[0].fault, "glow_relay_contacts")
        self.assertGreater(odds(job, "glow_relay_contacts"), 0.9)


class Odds(unittest.TestCase):
    def test_what_kills_what_adds_nothing_before_anything_is_found(self):
        import numpy as np

        from frosty_piston.core.suspects.space import log_prior, space_chances
        from frosty_piston.job.weighing.suspicion import SOUND_WEIGHT, UNLISTED_PER_THOUSAND, Engine

        engine = Engine(K, tuple(K.faults))
        rates = np.array([s.per_thousand for s in K.faults.values()] + [UNLISTED_PER_THOUSAND]) / 1000
        free = log_prior(engine.space, rates / (1 - rates), None, SOUND_WEIGHT)
        on, off = (space_chances(engine.space, np.exp(p)) for p in (engine.prior, free))
        np.testing.assert_allclose(on, off, rtol=0.01)

    def test_an_unclear_reading_does_not_undo_what_was_told(self):
        # 151 a minute at a limit of 150 is no contradiction of "cranks slowly".
        told = think(symptom("slow_crank"), engine=NORRA)
        read = think(symptom("slow_crank"), reading("crank_speed", 151, "rpm"), engine=NORRA)
        self.assertEqual(verdict(read, "crank_speed").verdict, "unclear")
        self.assertGreater(odds(read, "battery_weak"), 0.9 * odds(told, "battery_weak"))

    def test_a_crank_fast_enough_to_start_may_still_be_lazy(self):
        # 165 a minute starts, and a sound starter turns it at 200: the complaint stands
        for rpm, stands in ((165, True), (230, False)):
            job = think(symptom("slow_crank"), reading("crank_speed", rpm, "rpm"), scan())
            begun = {"battery_weak", "battery_cable_drop", "starter_slow"} & {
                s.fault for s in job.suspicion.suspects[:3]
            }
            self.assertEqual(len(begun) == 3, stands, rpm)

    def test_a_direct_engine_does_not_miss_its_plugs_in_the_heat(self):
        # At 29 degrees it starts without them.
        def plugs_at(celsius, engine):
            warm = entry("condition", name="ambient", value=celsius, unit="degC")
            job = think(warm, symptom("hard_start_cold"), engine=engine)
            return odds(job, "glow_plugs_open")

        self.assertLess(plugs_at(29, NORRA), 0.25 * plugs_at(-8, NORRA))
        prechamber = {**NORRA, "combustion": "prechamber"}
        self.assertGreater(plugs_at(15, prechamber), 2 * plugs_at(29, NORRA))

    def test_fluid_in_range_clears_dilution_and_not_what_does_not_belong(self):
        told = (symptom("emissions_message"), code("P207F"), scan())
        before, after = think(*told), think(*told, reading("def_concentration", 32.5, "percent"))
        self.assertLess(odds(after, "def_quality_poor"), 0.3 * odds(before, "def_quality_poor"))
        self.assertGreater(odds(after, "def_contaminated"), odds(before, "def_contaminated"))
        self.assertIn("def_contamination", tests_of(after))

    def test_a_sound_vehicle_can_be_said_to_be_sound(self):
        # A driver's habit, everything measured sound: nobody is accused.
        job = think(
            symptom("low_power"),
            scan(),
            outcome("intake_look", "sound"),
            outcome("boost_trace", "reaches"),
            outcome("air_filter_look", "clean"),
            reading("egr_position", 1, "percent", point="engine_off"),
            reading("dpf_state", 7, "g", channel="soot_mass"),
        )
        self.assertLess(job.suspicion.suspects[0].probability, 0.2)
        told = think(symptom("low_power"), scan())
        self.assertGreater(job.suspicion.sound, 1.5 * told.suspicion.sound)
        self.assertGreater(job.suspicion.sound, 0.8 * job.suspicion.suspects[0].probability)

    def test_a_module_with_a_relay_can_fail(self):
        relay = {**NORRA, "glow_control": "relay_module"}
        job = think(
            COLD,
            symptom("hard_start_cold"),
            code("P0380"),
            scan(),
            *relay_read(battery=12.4, feed=12.3, supply=12.2, command=0.2, output=0.0),
            outcome("glow_relay", "no_click", point="relay"),
            engine=relay,
        )
        self.assertIn("glow_module_failed", {s.fault for s in job.suspicion.suspects[:4]})


class WhoSpeaks(unittest.TestCase):
    """What a fault brings speaks for it, whoever else brings it too."""

    def test_a_worn_pump_sets_the_code_of_a_rail_too_low(self):
        # asked for and not reached: the pump, before its valve
        self.assertIn("high_pressure_pump_worn", K.groups["rail_low"].speaks)
        self.assertGreater(
            odds(think(symptom("low_power"), code("P0087"), scan()), "high_pressure_pump_worn"), 0.05
        )

    def test_the_pump_is_told_from_its_valve_by_what_the_valve_lets_go(self):
        # commanded shut and its return runs: the valve; dry: the pump
        low = (symptom("hard_start_hot"), code("P0087"), scan(), reading("rail_pressure_crank", 90, "bar"))
        runs = think(*low, outcome("rail_valve_return", "runs"))
        dry = think(*low, outcome("rail_valve_return", "dry"))
        self.assertEqual(runs.suspicion.suspects[0].fault, "rail_valve_stuck")
        self.assertLess(odds(dry, "rail_valve_stuck"), 0.5 * odds(think(*low), "rail_valve_stuck"))

    def test_foreign_fluid_cuts_no_nox(self):
        # concentration in range, dose right: the strip is dipped before a catalyst is bought
        job = think(
            symptom("engine_lamp"),
            code("P20EE"),
            scan(),
            outcome("def_look", "clean"),
            figures("nox_compare", dosing=True, up_ppm=600, down_ppm=380),
        )
        self.assertGreater(odds(job, "def_contaminated"), 0.02)
        self.assertIn("def_contamination", tests_of(job))

    def test_a_shorted_plug_blows_its_fuse_and_leaves_all_cold(self):
        job = think(COLD, symptom("hard_start_cold"), outcome("fuse_look", "blown"))
        self.assertGreater(
            odds(job, "glow_plug_short"), odds(think(COLD, symptom("hard_start_cold")), "glow_plug_short")
        )

    def test_a_pulsed_output_is_what_its_module_is_meant_to_give(self):
        # 5 V at the plugs of a 5 V system is no burnt relay
        fast = {**MODERN, "glow": "fast_5v", "glow_control": "electronic_module"}
        read = [
            reading("glow_relay", v, "V", point=p, conditions={"loaded": True})
            for p, v in (
                ("battery", 12.2),
                ("feed", 12.2),
                ("supply", 12.0),
                ("command", 0.2),
                ("output", 4.9),
            )
        ]
        job = think(COLD, symptom("hard_start_cold"), *read, engine=fast)
        self.assertEqual({v.judgement.verdict for v in job.now if v.test == "glow_relay"}, {"sound"})
        self.assertLess(odds(job, "glow_module_failed"), 0.02)


class BeforeItIsPulled(unittest.TestCase):
    def test_a_pump_told_by_others_is_read_at_itself_before_it_is_replaced(self):
        # line and hoses hold and a hand pump stops it: the pump by what is left; its gauge takes five minutes
        job = think(
            symptom("slow_stop"),
            symptom("hard_brake_pedal"),
            reading("stop_time", 12, "s"),
            outcome("stop_hand_pump", "stops_holds"),
            figures("vacuum_hold", {"node": "stop_line"}, start_kpa=60, end_kpa=60, seconds=30),
            figures("vacuum_hold", {"node": "vacuum_hose"}, start_kpa=60, end_kpa=60, seconds=30),
            outcome("vacuum_look", "sound", node="vacuum_hose"),
            scan(),
            engine=VACUUM,
        )
        step = next_step(job, prove(job))
        self.assertEqual((step.kind, step.where.test), ("test", "vacuum_at_pump"))

    def test_a_circuit_code_condemns_no_sensor_before_its_pins_were_measured(self):
        # a wire that does not carry reads low as well, and runs better unplugged as well
        job = think(
            symptom("engine_lamp"),
            code("P0102"),
            scan(),
            figures("air_mass_check", air_mg_stroke=300, manifold_kpa=100, intake_c=20, rpm=800),
            outcome("unplug_compare", "better", node="air_mass_sensor"),
        )
        self.assertGreater(odds(job, "air_mass_wrong"), 0.7)
        self.assertEqual(next_step(job, prove(job)).kind, "test")
        self.assertIn("supply_pins", tests_of(job, 3))

    def test_the_pins_asked_for_are_those_of_the_sensor_that_the_code_names(self):
        for one, pins in (("P0107", "manifold_pressure_sensor"), ("P0102", "air_mass_sensor")):
            job = think(symptom("low_power"), symptom("engine_lamp"), code(one), scan())
            asked = {n.where.get("node") for n in job.proposals.next_tests if n.test == "supply_pins"}
            self.assertIn(pins, asked)
            self.assertEqual(len(asked & {"manifold_pressure_sensor", "air_mass_sensor"}), 1, one)

    def test_what_proves_a_part_is_seen_or_measured_at_it(self):
        for repair, findings in K.proofs_at_part.items():
            how = {x.finding.id: x.shape.how for found in K.findings.values() for x in found}
            self.assertLessEqual({how[f] for f in findings}, {"seen", "at_part"}, repair)
        self.assertIn("vacuum_at_pump.level", K.proofs_at_part["vacuum_pump"])
        self.assertNotIn("actuator_sweep.turbo actuator", K.proofs_at_part["vacuum_pump"])

    def test_two_complaints_and_one_found_goes_on(self):
        # a split hose makes no white smoke at a cold start
        job = think(
            COLD,
            symptom("white_smoke_start"),
            symptom("boost_hiss"),
            outcome("intake_look", "split"),
            scan(),
        )
        self.assertGreater(odds(job, "boost_hose_split"), 0.95)
        self.assertIn(next_step(job, prove(job)).kind, ("test", "judge"))


class Why(unittest.TestCase):
    JOB = think(
        symptom("limp_mode"),
        symptom("black_smoke"),
        code("P2263"),
        code("P0299"),
        scan(),
        outcome("intake_look", "split"),
        outcome("linkage_free", "free"),
    )

    def test_nothing_stands_for_or_against_without_its_reason(self):
        for s in self.JOB.suspicion.suspects[:-1]:
            for m in (*s.speaks_for, *s.speaks_against):
                self.assertTrue(m.because, (s.fault, m.says))

    def test_what_another_fault_explains_does_not_speak_for_this_one(self):
        # a hose seen split is no word for a valve stuck shut, however the odds are shared out
        shut = next(s for s in self.JOB.suspicion.suspects if s.fault == "egr_stuck_closed")
        self.assertNotIn("split", " ".join(m.says for m in shut.speaks_for))
        hose = self.JOB.suspicion.suspects[0]
        self.assertEqual((hose.fault, hose.speaks_against), ("boost_hose_split", ()))


class Impossible(unittest.TestCase):
    def test_38_volts_on_a_12_volt_feed_cannot_be(self):
        job = think(symptom("no_start"), *relay_read(battery=12.4, feed=38.0), engine=NORRA)
        feed = next(v.judgement for v in job.now if v.where.get("point") == "feed")
        self.assertEqual(feed.verdict, "implausible")

    def test_24_volts_across_a_pair_of_batteries_are_right_in_series(self):
        truck = {**SKARN, "system_voltage": 24, "batteries": 2}
        job = think(reading("battery_rest", 25.2, "V", point="battery_1"), engine=truck)
        self.assertNotEqual(verdict(job, "battery_rest").verdict, "implausible")

    def test_an_open_ground_pin_is_not_good(self):
        # An open wire reads 0 V against ground as a sound one does: loaded, across both, it tells.
        unloaded = reading("supply_pins", 0.0, "V", {"loaded": False}, node="egr_valve", pin="ground")
        job = think(symptom("limp_mode"), unloaded)
        self.assertNotEqual(verdict(job, "supply_pins").verdict, "sound")

    def test_600_kpa_of_vacuum_cannot_be(self):
        held = figures("vacuum_hold", {"node": "turbo_actuator"}, start_kpa=600, end_kpa=590, seconds=60)
        self.assertEqual(verdict(think(held, engine=VACUUM), "vacuum_hold").verdict, "implausible")

    def test_a_new_set_with_an_ordinary_meter_passes(self):
        # 0.8 to 0.9 ohm against an unknown nominal: sound within what this meter sees.
        unknown = {k: v for k, v in SKARN.items() if k != "glow_nominal_ohm"}
        values = [0.82, 0.85, 0.88, 0.84, 0.86, 0.83, 0.87, 0.85]
        plain_meter = entry(
            "instrument",
            instrument="meter",
            lead_zero=0.2,
            unit="ohm",
            accuracy_percent=1.0,
            accuracy_digits=3,
            resolution=0.1,
        )
        job = think(plain_meter, *plugs([round(v + 0.2, 1) for v in values]), engine=unknown)
        self.assertEqual({v.judgement.verdict for v in job.now}, {"sound"})


class NextTests(unittest.TestCase):
    def test_nothing_that_needs_the_engine_when_it_does_not_start(self):
        job = think(COLD, symptom("no_start_cold"), scan())
        self.assertFalse([t for t in tests_of(job) if "running" in K.tests[t].access])

    def test_no_glow_or_cranking_tests_on_a_warm_running_complaint(self):
        job = think(symptom("low_power"), symptom("black_smoke"), scan())
        self.assertFalse([t for t in tests_of(job) if K.tests[t].system in ("glow", "start")])

    def test_no_vacuum_tests_without_vacuum_consumers(self):
        job = think(symptom("low_power"), symptom("limp_mode"), scan(), engine=DRY)
        self.assertFalse([t for t in tests_of(job) if K.tests[t].system == "vacuum"])

    def test_the_two_minute_look_comes_before_the_hour(self):
        job = think(symptom("rough_idle"), symptom("black_smoke"), code("P0402"), scan())
        minutes = [n.minutes for n in job.proposals.next_tests]
        self.assertEqual(tests_of(job)[0], "egr_position")
        long = [n for n, m in enumerate(minutes) if m >= 60]
        self.assertFalse(long and long[0] < sum(m < 60 for m in minutes))

    def test_a_hard_pedal_bars_the_road(self):
        # Without assistance nobody drives it, however much a drive would tell.
        road = [t for t, shape in K.tests.items() if "road_test" in shape.cautions]
        job = think(symptom("low_power"), symptom("hard_brake_pedal"), scan(), engine=VACUUM)
        self.assertFalse(set(tests_of(job)) & set(road))
        self.assertTrue(any("brakes" in x.why for x in job.proposals.left_out))
        felt = think(symptom("low_power"), scan(), outcome("brake_pedal_feel", "hard"), engine=VACUUM)
        self.assertFalse(set(tests_of(felt)) & set(road))

    def test_cautions_stand_where_they_belong(self):
        self.assertIn("runaway", think(symptom("blue_smoke")).cautions)
        self.assertIn("runaway", think(symptom("low_power"), outcome("intake_look", "split")).cautions)
        self.assertIn("regeneration_fire", think(symptom("regen_refused")).cautions)
        weak = figures("vacuum_at_pump", kpa=50, seconds=9, altitude_m=0)
        self.assertIn("brakes_first", think(symptom("low_power"), weak, engine=VACUUM).cautions)

    def test_pins_under_the_vehicle_need_it_raised(self):
        for known in K.findings["supply_pins"]:
            if "nox_sensor" in known.shape.nodes:
                self.assertIn("raised", known.shape.reach)

    def test_no_tests_of_seldom_faults_while_one_stands_out(self):
        job = think(symptom("low_power"), outcome("intake_look", "split"))
        strong = {s.fault for s in job.suspicion.suspects if s.probability >= 0.02}
        for test in tests_of(job):
            spoken = {s.fault for known in K.findings[test] for s in known.shape.speaks}
            self.assertTrue(spoken & strong, test)

    def test_it_is_not_decided_while_no_repair_stands_out(self):
        wastegate = {**SKARN, "turbo": "wastegate"}
        job = think(
            symptom("low_power"),
            code("P0299"),
            scan(),
            outcome("actuator_sweep", "slow", node="turbo_actuator"),
            engine=wastegate,
        )
        step = next_step(job, prove(job))
        if max(job.suspicion.repairs_needed.values()) < 0.7:
            self.assertEqual(step.kind, "test")

    def test_the_reason_is_what_a_colleague_would_say(self):
        job = think(COLD, symptom("hard_start_cold"), scan(), engine=NORRA)
        for n in job.proposals.next_tests:
            self.assertNotIn("'", n.because)
            self.assertNotIn("_", n.because)
            self.assertRegex(n.because, r"^\d+ minutes?[ ,]|^A minute")
