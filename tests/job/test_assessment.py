"""What a good technician would say of a job, case by case."""

import unittest

from frosty_piston.job.answer import assess
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from tests.cases import NORRA, SKARN, entry, job_file, meter, outcome, plugs, reading, relay_read, symptom

K = load_knowledge()


def assessed(*entries, engine=NORRA):
    return assess(check(job_file(*entries, engine=engine), K), K)


def odds(result):
    return {s["fault"]: s["probability"] for s in result["suspects"]}


def top(result):
    return result["suspects"][0]["fault"]


class Cases(unittest.TestCase):
    def test_one_open_plug_at_the_connector_is_the_plug_or_its_wire(self):
        result = assessed(symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.02, 1.01]))
        self.assertEqual(top(result), "glow_plugs_open")
        self.assertGreater(odds(result)["glow_harness_open"], 0.03)
        self.assertIn("plug", [n["where"].get("point") for n in result["next_tests"]])

    def test_sound_at_the_plug_turns_it_to_the_wire(self):
        result = assessed(
            symptom("hard_start_cold"),
            meter(),
            *plugs([1.0, "OL", 1.02, 1.01]),
            reading("glow_resistance", 1.0, "ohm", point="plug", cylinder=2),
        )
        self.assertEqual(top(result), "glow_harness_open")
        verdict = next(
            v for v in result["verdicts"] if v["where"] == {"point": "harness_connector", "cylinder": 2}
        )
        self.assertIn("wire or connector between", verdict["because"])

    def test_the_same_at_the_plug_condemns_the_plug(self):
        result = assessed(
            symptom("hard_start_cold"),
            meter(),
            *plugs([1.0, "OL", 1.02, 1.01]),
            reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2),
        )
        self.assertGreater(odds(result)["glow_plugs_open"], 0.9)

    def test_a_plug_read_elsewhere_does_not_acquit_the_others(self):
        result = assessed(
            symptom("hard_start_cold"),
            meter(),
            *plugs([1.0, "OL", 1.02, 1.01]),
            reading("glow_resistance", 1.0, "ohm", point="plug", cylinder=1),
        )
        self.assertGreater(odds(result)["glow_plugs_open"], 0.7)

    def test_sound_plugs_and_a_glow_code_point_at_the_relay_side(self):
        result = assessed(
            symptom("hard_start_cold"),
            entry("code", code="P0670"),
            meter(),
            *plugs([1.0, 1.0, 1.02, 1.01], "plug"),
        )
        self.assertIn(
            top(result), {"glow_relay_contacts", "glow_module_failed", "glow_feed_lost", "glow_relay_coil"}
        )
        self.assertEqual(max(result["next_tests"], key=lambda n: n["gain_bits"])["test"], "glow_relay")

    def test_a_relay_that_clicks_and_does_not_carry(self):
        result = assessed(
            symptom("hard_start_cold"),
            outcome("glow_relay", "click", point="relay"),
            *relay_read(battery=12.4, feed=12.35, supply=12.3, command=0.2, output=0.1),
        )
        self.assertEqual(top(result), "glow_relay_contacts")
        whole = next(v for v in result["verdicts"] if v["where"] == {"point": "relay"})
        self.assertEqual((whole["class"], len(whole["entries"])), ("glow_relay_contacts", 6))

    def test_no_current_in_any_plug_is_the_supply_and_not_four_dead_plugs(self):
        result = assessed(
            symptom("no_start_cold"),
            *[reading("glow_current", 0.0, "A", {"after_s": 10}, cylinder=c) for c in range(1, 5)],
        )
        self.assertLess(odds(result)["glow_plugs_open"], 0.3)
        one = assessed(
            symptom("no_start_cold"),
            *[
                reading("glow_current", a, "A", {"after_s": 10}, cylinder=c)
                for c, a in enumerate((0.0, 11, 11.2, 10.9), 1)
            ],
        )
        self.assertEqual(top(one), "glow_plugs_open")
        self.assertLess(odds(one)["glow_relay_contacts"], 0.05)

    def test_a_slow_crank_comes_before_the_plugs(self):
        result = assessed(
            symptom("hard_start_cold"),
            symptom("slow_crank"),
            reading("crank_speed", 118, "rpm"),
            reading("battery_crank", 7.9, "V", point="battery_1"),
        )
        self.assertEqual(top(result), "battery_weak")

    def test_cable_drop_condemns_the_cable_and_spares_the_battery(self):
        result = assessed(
            symptom("slow_crank"),
            reading("crank_speed", 120, "rpm"),
            reading("battery_crank", 10.6, "V", point="battery_1"),
            reading("battery_rest", 12.6, "V", point="battery_1"),
            reading("cable_drop", 1.4, "V", point="ground"),
        )
        self.assertEqual(top(result), "battery_cable_drop")

    def test_a_block_heater_that_cures_points_at_heat_and_not_at_fuel(self):
        result = assessed(symptom("no_start_cold"), symptom("starts_with_block_heater"))
        systems = {"glow": 0.0, "fuel": 0.0}
        for s in result["suspects"]:
            if s["system"] in systems:
                systems[s["system"]] += s["probability"]
        self.assertGreater(systems["glow"], 8 * systems["fuel"])

    def test_the_odd_coolant_sensor(self):
        temps = [
            reading("cold_soak_temps", t, "degC", {"soaked_h": 10}, channel=c)
            for c, t in (("coolant", 38), ("intake", -6), ("ambient", -7), ("fuel", -6))
        ]
        self.assertEqual(
            top(assessed(symptom("hard_start_cold"), symptom("glow_lamp_absent"), *temps)),
            "coolant_sensor_wrong",
        )

    def test_a_hydraulic_engine_that_cranks_well_with_good_glow_and_thick_oil(self):
        result = assessed(
            symptom("no_start_cold"),
            reading("crank_speed", 210, "rpm"),
            meter(),
            *plugs([1.2] * 8),
            outcome("oil_condition", "sludged"),
            engine=SKARN,
        )
        self.assertEqual(top(result), "injector_spool_sticks")

    def test_low_rail_pressure_on_a_hot_no_start(self):
        result = assessed(
            symptom("no_start"), symptom("hard_start_hot"), reading("rail_pressure_crank", 90, "bar")
        )
        self.assertIn(top(result), {"rail_pressure_low", "injector_leak_off", "rail_valve_stuck"})

    def test_findings_that_fit_nothing_feed_what_is_not_listed(self):
        fits = assessed(symptom("hard_start_cold"), symptom("slow_crank"))
        odd = assessed(
            symptom("hard_start_cold"),
            symptom("slow_crank", False),
            symptom("pedal_fault_message"),
            symptom("glow_lamp_long"),
            symptom("injector_tick"),
            outcome("oil_condition", "good"),
            reading("crank_speed", 210, "rpm"),
        )
        self.assertGreater(odds(odd)["unlisted"], 5 * odds(fits)["unlisted"])
        self.assertEqual(odd["suspects"][-1]["fault"], "unlisted")


class Contract(unittest.TestCase):
    def test_shape_of_the_assessment(self):
        result = assessed(
            symptom("hard_start_cold"),
            meter(),
            *plugs([1.0, "OL", 1.02, 1.01]),
            outcome("brake_pedal_feel", "hard"),
        )
        self.assertEqual(
            set(result),
            {
                "format",
                "version",
                "verdicts",
                "suspects",
                "sound",
                "next_tests",
                "conflicts",
                "cautions",
                "assumed",
                "next_step",
                "options",
                "proof",
            },
        )
        self.assertEqual(
            set(result["next_step"]), {"stage", "kind", "does", "where", "minutes", "until", "because"}
        )
        self.assertEqual(
            set(result["options"][0]),
            {"offer", "options", "repairs", "cures", "estimated", "leaves", "price", "expected"},
        )
        self.assertEqual(result["proof"], {"status": "none", "sure": None, "missing": []})
        for v in result["verdicts"]:
            self.assertEqual(
                set(v),
                {"test", "where", "verdict", "class", "value", "unit", "uncertainty", "entries", "because"},
            )
            self.assertIn(v["verdict"], ("sound", "marginal", "failed", "unclear", "implausible"))
        probabilities = [s["probability"] for s in result["suspects"][:-1]]
        self.assertEqual(probabilities, sorted(probabilities, reverse=True))
        for n in result["next_tests"]:
            self.assertEqual(set(n), {"test", "where", "minutes", "access", "gain_bits", "because"})
        self.assertTrue({"no_start_spray", "brakes_first"} <= set(result["cautions"]))

    def test_what_the_card_rules_out_is_not_there(self):
        result = assessed(
            symptom("no_start"), engine={"name": "x", "glow": "none", "injection": "inline_pump"}
        )
        self.assertFalse([s for s in result["suspects"] if s["fault"].startswith(("glow_plug", "rail_"))])
        self.assertFalse([n for n in result["next_tests"] if n["test"].startswith("glow")])

    def test_what_was_assumed_is_said(self):
        result = assessed(symptom("no_start"), *plugs([0.9, 0.9, 0.9, 0.9]), engine={"name": "x"})
        text = " ".join(result["assumed"])
        for word in ("4 cylinders", "compression_ratio 17 (general)", "rod_12v", "lead zero", "meter"):
            self.assertIn(word, text)

    def test_every_test_of_the_vocabulary_can_stand_on_a_tape(self):
        entries = []
        for name, shape in K.tests.items():
            if shape.units:
                entries.append(reading(name, 1.5, shape.units[0]))
            if shape.outcomes:
                entries.append(outcome(name, next(iter(shape.outcomes))))
            if shape.figures:
                entries.append(
                    entry(
                        "outcome",
                        test=name,
                        figures={f: True if f == "dosing" else 1.0 for f in shape.figures},
                    )
                )
        result = assessed(*entries)
        self.assertGreaterEqual(len(result["verdicts"]), len(K.tests) - 4)

    def test_an_empty_job(self):
        result = assessed()
        self.assertEqual(result["verdicts"], [])
        self.assertTrue(result["suspects"])


class Folding(unittest.TestCase):
    def job(self, *entries, engine=NORRA):
        return Assessed(job_of(check(job_file(*entries, engine=engine), K)), K)

    def test_corrections_and_corrections_of_corrections(self):
        base = [reading("crank_speed", 120, "rpm"), entry("correction", corrects="e1", reason="slip")]
        self.assertEqual(self.job(*base).now, [])
        self.assertEqual(
            self.job(*base, entry("correction", corrects="e2", reason="it was right")).now[0].judgement.cls,
            "too_slow",
        )

    def test_the_latest_reading_counts(self):
        self.assertEqual(
            [
                v.judgement.cls
                for v in self.job(reading("crank_speed", 120, "rpm"), reading("crank_speed", 210, "rpm")).now
            ],
            ["fast_enough"],
        )

    def test_codes_cleared_before_they_were_written_down_say_nothing(self):
        scanned = [symptom("hard_start_cold"), entry("code_scan", module="all")]
        cleared = [
            symptom("hard_start_cold"),
            entry("code_clear", module="all"),
            entry("code_scan", module="all"),
        ]
        self.assertTrue(any(e.weight == 0.5 for e in self.job(*scanned).evidence))
        self.assertFalse(any(e.weight == 0.5 for e in self.job(*cleared).evidence))
        self.assertTrue(self.job(*cleared).job.codes_lost)

    def test_several_plug_codes_are_one_witness(self):
        one, two, four = (
            self.job(
                symptom("hard_start_cold"), *[entry("code", code=f"P067{c}") for c in range(1, most)]
            ).suspicion
            for most in (2, 3, 5)
        )
        self.assertAlmostEqual(one.suspects[0].probability, two.suspects[0].probability)
        # what all plugs share would name all of them
        for fault in ("glow_relay_contacts", "glow_feed_lost", "glow_control_missing"):
            self.assertLess(one.odds(fault), 0.4 * four.odds(fault), fault)
        self.assertGreater(one.odds("glow_plugs_open"), four.odds("glow_plugs_open"))

    def test_readings_after_the_repair_belong_to_its_proof(self):
        before = [symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0])]
        repaired = self.job(
            *before,
            entry("action", action="replaced", what="glow plugs", repair="glow_plugs"),
            *plugs([1.0, 1.0, 1.0, 1.0]),
        )
        self.assertEqual(repaired.found.suspects[0].fault, "glow_plugs_open")
        self.assertLess(repaired.suspicion.odds("glow_plugs_open"), 0.05)
        self.assertTrue(all(v.judgement.verdict == "sound" for v in repaired.after))

    def test_a_failed_proof_opens_the_search_again(self):
        job = self.job(
            symptom("hard_start_cold"),
            meter(),
            *plugs([1.0, "OL", 1.0, 1.0]),
            entry("action", action="replaced", what="glow plugs", repair="glow_plugs"),
            *plugs([1.0, 1.0, 1.0, 1.0]),
            entry("proof_step", repair="glow_plugs", step="cold_start", result="fail", soaked_h=10),
        )
        self.assertNotIn(job.suspicion.suspects[0].fault, ("glow_plugs_open", "glow_plugs_high_resistance"))

    def test_conflicting_findings_are_named(self):
        job = self.job(
            symptom("hard_start_cold"),
            meter(),
            *[reading("glow_current", 11.0, "A", {"after_s": 10}, cylinder=c) for c in range(1, 5)],
            reading("glow_resistance", "OL", "ohm", point="plug", cylinder=2),
        )
        self.assertIn("explains both", job.suspicion.conflicts[0].because)
        self.assertEqual(
            self.job(symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0])).suspicion.conflicts,
            (),
        )
