"""What a good technician would say of jobs of every system, each with the reason."""

import unittest

from frosty_piston.job.answer import assess
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from tests.cases import (
    MODERN,
    SKARN,
    VACUUM,
    code,
    context,
    entry,
    figures,
    job_file,
    outcome,
    reading,
    scan,
    symptom,
    unplugged,
)

K = load_knowledge()


def assessed(*entries, engine=MODERN):
    return assess(check(job_file(*entries, engine=engine), K), K)


def think(*entries, engine=MODERN):
    return Assessed(job_of(check(job_file(*entries, engine=engine), K)), K)


def odds(result):
    return {s["fault"]: s["probability"] for s in result["suspects"]}


def first_tests(result, count=5):
    return [n["test"] for n in result["next_tests"][:count]]


class Cases(unittest.TestCase):
    def leads(self, result, fault, least=0.5):
        self.assertEqual(result["suspects"][0]["fault"], fault, result["suspects"][:3])
        self.assertGreater(result["suspects"][0]["probability"], least)

    def test_a_dead_spot_condemns_the_actuator_and_asks_for_the_free_lever(self):
        # A dead spot is the worn track; stiff vanes would kill the new actuator the same way.
        result = assessed(
            symptom("limp_mode"),
            code("P2563"),
            scan(),
            outcome("actuator_sweep", "dead_spot", node="turbo_actuator"),
        )
        self.leads(result, "turbo_actuator_motor", 0.8)
        self.assertEqual(first_tests(result, 1), ["linkage_free"])

    def test_hiss_smoke_and_low_boost_are_a_split_hose(self):
        # Air escapes under load and the fuel for it makes the smoke; looking along the hoses is quick.
        result = assessed(
            symptom("low_power"), symptom("black_smoke"), symptom("boost_hiss"), code("P0299"), scan()
        )
        self.leads(result, "boost_hose_split", 0.6)
        self.assertTrue({"intake_look", "boost_leak"} & set(first_tests(result)))

    def test_overboost_on_a_vacuum_turbo_is_sticking_vanes(self):
        # High and then cut, with a solenoid as the next likeliest.
        result = assessed(
            symptom("overboost"),
            symptom("limp_mode"),
            code("P0234"),
            scan(),
            engine={**MODERN, "turbo": "vgt_vacuum"},
        )
        self.leads(result, "vane_mechanism_sticks")
        self.assertGreater(odds(result)["boost_solenoid_fault"], 0.05)

    def test_an_egr_found_open_with_the_engine_off_is_stuck(self):
        # No need to start: the valve stands open by itself.
        self.leads(
            assessed(
                symptom("rough_idle"),
                symptom("black_smoke"),
                code("P0402"),
                scan(),
                reading("egr_position", 38, "percent", point="engine_off"),
            ),
            "egr_stuck_open",
            0.9,
        )

    def test_a_flow_code_after_a_new_egr_valve_is_the_pipe_or_the_cooler(self):
        # The valve moves and nothing flows: look where the exhaust must pass.
        result = assessed(
            symptom("emissions_message"),
            context("recent_repair_same_system"),
            code("P0401"),
            scan(),
            reading("egr_air_change", 480, "mg", point="shut"),
            reading("egr_air_change", 470, "mg", point="open"),
            outcome("actuator_sweep", "follows", node="egr_valve"),
        )
        self.assertEqual(
            {s["fault"] for s in result["suspects"][:2]}, {"egr_passage_blocked", "egr_cooler_blocked"}
        )
        self.assertIn("egr_look", first_tests(result, 2))

    def test_a_circuit_code_and_a_clean_free_valve_point_at_the_wire(self):
        # A circuit code points at wires and connector before the part.
        result = assessed(
            symptom("limp_mode"),
            code("P0403"),
            scan(),
            outcome("egr_actuate", "crisp"),
            outcome("egr_look", "clean"),
        )
        self.leads(result, "egr_wiring_open", 0.5)

    def test_a_rev_test_that_gains_with_the_flaps_released_is_the_manifold(self):
        # Better by more than a quarter with the flaps out of the way.
        self.leads(
            assessed(
                symptom("hesitation_midrange"),
                reading("swirl_compare", 4.1, "s", point="as_is"),
                reading("swirl_compare", 2.6, "s", point="released"),
            ),
            "intake_manifold_carbon",
            0.4,
        )

    def test_one_manifold_pressure_that_stands_apart_is_the_sensor(self):
        # With the engine off all pressures stand in the same air.
        pressures = [
            reading("key_on_pressures", v, "kPa", channel=c)
            for c, v in (("barometer", 101), ("manifold", 92), ("exhaust", 101))
        ]
        self.leads(
            assessed(symptom("limp_mode"), code("P2263"), scan(), *pressures), "manifold_pressure_wrong"
        )

    def test_a_loose_terminal_condemns_the_connector_and_not_the_injector(self):
        # It runs clean between dropouts.
        result = assessed(
            symptom("misfire_intermittent"),
            code("P0203"),
            scan(),
            outcome("terminal_fit", "loose", node="injector", cylinder=3),
        )
        self.leads(result, "injector_connector_fretted", 0.8)
        self.assertLess(odds(result)["injector_hot_breakdown"], 0.05)

    def test_dropouts_while_wiggling_say_the_same(self):
        # Five in a minute of wiggling, none in two minutes without.
        result = assessed(
            symptom("misfire_intermittent"),
            code("P0203"),
            scan(),
            figures(
                "wiggle",
                {"node": "injector", "cylinder": 3},
                wiggle_s=60,
                dropouts=5,
                rest_s=120,
                rest_dropouts=0,
            ),
        )
        self.leads(result, "injector_connector_fretted", 0.7)

    def test_the_one_that_floods_steals_the_rail_pressure(self):
        # No rail pressure while cranking, and one injector returns five times the others.
        result = assessed(
            symptom("no_start"),
            reading("rail_pressure_crank", 90, "bar"),
            *[reading("injector_leakoff", v, "ml", cylinder=i) for i, v in enumerate((12, 11, 55, 12), 1)],
        )
        self.leads(result, "injector_leak_off", 0.6)
        running = {n["test"] for n in result["next_tests"] if "running" in n["access"]}
        self.assertEqual(running, set(), "it does not start: no test with the engine running")

    def test_a_new_injector_without_its_code(self):
        # Coding was skipped after the repair.
        self.leads(
            assessed(symptom("rough_idle"), context("recent_repair_same_system"), code("P268C"), scan()),
            "injector_trim_missing",
            0.6,
        )

    def test_will_not_stop_after_an_oil_service_is_a_hose_knocked_off(self):
        # The last hands were at the filter; what stops it is known before anything runs, then the brakes.
        result = assessed(symptom("wont_stop"), context("recent_oil_service"), engine=VACUUM)
        self.assertEqual({s["fault"] for s in result["suspects"][:2]}, {"vacuum_hose_off", "stop_line_leak"})
        self.assertEqual(first_tests(result, 1), ["stop_lever"])
        self.assertIn("brake_pedal_feel", first_tests(result, 4))
        self.assertIn("emergency_stop_first", result["cautions"])

    def test_a_hand_pump_that_falls_back_is_the_stop_actuator(self):
        # Vacuum straight on it is lost again: its diaphragm.
        self.leads(
            assessed(
                symptom("slow_stop"),
                outcome("stop_hand_pump", "stops_leaks"),
                outcome("brake_pedal_feel", "normal"),
                engine=VACUUM,
            ),
            "stop_actuator_leak",
            0.6,
        )

    def test_a_hard_pedal_beside_a_weak_pump(self):
        # The pump or the booster line first, and it does not leave on its wheels.
        result = assessed(
            symptom("limp_mode"),
            symptom("hard_brake_pedal"),
            figures("vacuum_at_pump", kpa=55, seconds=40, flicker_kpa=3),
            engine={**MODERN, "turbo": "vgt_vacuum"},
        )
        self.leads(result, "vacuum_pump_weak")
        self.assertIn("brakes_first", result["cautions"])
        self.assertNotIn("brake_pedal_feel", first_tests(result, 20), "the driver has said so already")

    def test_pressure_still_high_at_low_soot_is_ash(self):
        # Soot burns off, ash does not; the zero of the sensor first, then the counter of the control unit.
        result = assessed(
            symptom("regen_frequent"),
            code("P2463"),
            scan(),
            reading("dpf_state", 4, "g", channel="soot_mass"),
            figures("dpf_pressure", q_m3h=100, dp_kpa=6.0),
        )
        self.leads(result, "dpf_ash", 0.3)
        sensor, counter = result["next_tests"][:2]
        self.assertEqual(sensor["test"], "key_on_pressures")
        self.assertEqual(counter["where"], {"channel": "ash_mass"})

    def test_a_differential_pressure_off_zero_is_the_sensor(self):
        # Zeroed or replaced before anything is believed.
        self.leads(
            assessed(
                symptom("regen_frequent"),
                code("P2452"),
                scan(),
                reading("key_on_pressures", 3.0, "kPa", channel="differential"),
                reading("key_on_pressures", 101, "kPa", channel="barometer"),
            ),
            "dp_sensor_wrong",
            0.9,
        )

    def test_soot_on_short_trips_names_the_pattern_behind_it(self):
        # Loaded, and why: the use never lets it burn clean.
        result = assessed(
            symptom("regen_frequent"),
            symptom("emissions_message"),
            context("short_trips"),
            code("P2463"),
            scan(),
            reading("dpf_state", 30, "g", channel="soot_mass"),
        )
        self.leads(result, "dpf_soot", 0.8)
        self.assertGreater(odds(result)["short_trip_loading"], 0.3)

    def test_watered_def(self):
        # 24 percent is far off: drain, do not dose.
        self.leads(
            assessed(
                symptom("restart_countdown"),
                context("def_from_cans"),
                code("P207F"),
                scan(),
                reading("def_concentration", 24, "percent"),
            ),
            "def_quality_poor",
            0.9,
        )

    def test_dosing_right_sensors_agree_and_efficiency_low_is_the_catalyst(self):
        # Everything upstream was measured good; what is left is the catalyst itself.
        result = assessed(
            symptom("restart_countdown"),
            code("P20EE"),
            scan(),
            figures("nox_compare", up_ppm=600, down_ppm=400, dosing=True),
            figures("nox_compare", up_ppm=600, down_ppm=580, dosing=False),
            figures("def_quantity", expected_ml=50, measured_ml=49),
            reading("def_concentration", 32.4, "percent"),
        )
        self.leads(result, "scr_catalyst_aged", 0.6)

    def test_no_supply_at_a_silent_nox_sensor_is_the_wire(self):
        # A feed missing at the connector clears the sensor.
        result = assessed(
            symptom("emissions_message"),
            code("U029D"),
            code("U029E"),
            scan(),
            reading("supply_pins", 0.3, "V", node="nox_sensor", pin="supply"),
        )
        self.leads(result, "nox_sensor_supply", 0.9)
        self.assertLess(odds(result)["nox_sensor_up"], 0.1)

    def test_many_circuits_at_once_share_one_supply(self):
        # Look for what all codes have in common before the five sensors.
        result = assessed(
            symptom("limp_mode"),
            symptom("stall"),
            *[code(c) for c in ("P0193", "P0183", "P0113", "P0118", "P0652")],
            scan(),
        )
        self.leads(result, "module_supply_missing", 0.7)
        self.assertIn("supply_pins", first_tests(result))

    def test_two_feet_on_two_pedals(self):
        # A plausibility message without any code asks for the driver first.
        self.leads(assessed(symptom("pedal_fault_message"), scan()), "pedal_overlap", 0.25)

    def test_thick_oil_in_a_hydraulic_engine(self):
        # Cranks at speed, no fire in the cold, the wrong oil.
        self.leads(
            assessed(
                symptom("no_start_cold"),
                reading("crank_speed", 190, "rpm"),
                outcome("oil_condition", "wrong_grade"),
                engine=SKARN,
            ),
            "injector_spool_sticks",
            0.25,
        )


class Codes(unittest.TestCase):
    def test_a_code_first_seen_after_unplugging_is_noise(self):
        before = [symptom("limp_mode"), code("P0299"), scan()]
        made = think(*before, unplugged("turbo actuator connector"), code("P2562"), code("P2564"))
        self.assertEqual(
            {c.code: c.place for c in made.codes}, {"P0299": "bears", "P2562": "noise", "P2564": "noise"}
        )
        self.assertAlmostEqual(
            made.suspicion.suspects[0].probability,
            think(*before, unplugged("turbo actuator connector")).suspicion.suspects[0].probability,
            places=4,
        )

    def test_once_it_is_back_in_and_cleared_codes_count_again(self):
        job = think(
            symptom("limp_mode"),
            code("P0299"),
            unplugged("turbo actuator"),
            entry("action", action="plugged_in", what="turbo actuator"),
            entry("code_clear", module="all"),
            code("P2563"),
        )
        self.assertEqual(job.codes[-1].place, "bears")

    def test_only_what_is_of_another_system_or_old_and_explained_without_is_parked(self):
        job = think(
            symptom("hard_start_cold"),
            code("P0672"),
            code("P2463"),
            entry("code", code="B1000", module="airbag"),
            entry("code", code="P0401", status="history"),
        )
        self.assertEqual(
            {c.code: c.place for c in job.codes},
            {"P0672": "bears", "P2463": "bears", "B1000": "parked", "P0401": "parked"},
        )
        self.assertTrue(all(c.why for c in job.codes if c.place == "parked"))

    def test_a_history_code_counts_half_when_the_complaint_comes_and_goes(self):
        job = think(symptom("misfire_intermittent"), entry("code", code="P0203", status="history"))
        self.assertEqual((job.codes[0].place, job.codes[0].weight), ("bears", 0.5))

    def test_the_fault_type_byte_moves_a_code_to_another_kind(self):
        plain, byte = (
            think(symptom("limp_mode"), code("P0403")).codes[0],
            think(symptom("limp_mode"), code("P0403-71")).codes[0],
        )
        self.assertEqual((plain.kind, byte.kind), ("circuit", "performance"))
        self.assertNotEqual(plain.group, byte.group)

    def test_a_consequence_counts_little_beside_its_cause(self):
        alone = think(symptom("emissions_message"), code("P0401"))
        beside = think(symptom("emissions_message"), code("P0403"), code("P0401"))
        follower = next(c for c in beside.codes if c.code == "P0401")
        self.assertEqual(follower.follows, ("P0403",))
        self.assertLess(
            next(e.weight for e in beside.evidence if "P0401" in e.says),
            next(e.weight for e in alone.evidence if "P0401" in e.says),
        )

    def test_no_codes_say_less_after_somebody_cleared_them(self):
        kept = odds(assessed(symptom("emissions_message"), scan()))
        lost = odds(assessed(symptom("emissions_message"), context("codes_cleared_before_visit"), scan()))
        self.assertLess(kept["egr_drive_failed"], lost["egr_drive_failed"])


class Whole(unittest.TestCase):
    def test_every_symptom_alone_gets_suspects_and_a_next_test(self):
        for name in K.symptoms:
            for engine in (MODERN, VACUUM):
                result = assessed(symptom(name), engine=engine)
                best = result["suspects"][0]
                fitted = any(
                    not job_of(check(job_file(engine=engine), K)).engine.rules_out(K.faults[f].needs)
                    for f in K.symptoms[name].speaks
                )
                if fitted:
                    self.assertIn(best["fault"], K.symptoms[name].speaks, name)
                    self.assertTrue(result["next_tests"], name)
                    self.assertTrue(
                        all(n["because"] and n["minutes"] > 0 for n in result["next_tests"]), name
                    )

    def test_a_card_rules_its_parts_out(self):
        bare = {
            **MODERN,
            "egr": [],
            "dpf": False,
            "scr": False,
            "turbo": "none",
            "swirl_flaps": "none",
            "inlet_flap": "none",
            "vacuum_pump": False,
        }
        result = assessed(symptom("low_power"), engine=bare)
        self.assertFalse(
            [
                s
                for s in result["suspects"]
                if s["system"] in ("egr", "dpf", "scr", "boost", "flaps", "vacuum", "stop")
                and s["fault"] != "boost_hose_split"
            ]
        )
        self.assertFalse(
            [n for n in result["next_tests"] if n["test"].startswith(("egr_", "dpf_", "def_", "vacuum_"))]
        )
