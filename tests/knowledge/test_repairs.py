"""The tables of repairs: whole for every fault, particular where the work is, and refused where they are
not."""

import json
import unittest

from frosty_piston.job.assessment import job_of
from frosty_piston.job.repair.fit import plan_state
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from frosty_piston.knowledge.load import HERE
from tests.cases import entry, job_file
from tests.knowledge import test_knowledge

K = load_knowledge()
# Ids that job files in the field carry.
OPTIONS_OF_OLD = ("glow_dead", "glow_set", "glow_harness", "glow_relay")
STEPS_OF_OLD = {
    "glow_plugs": (
        "warm_engine",
        "ground_off",
        "covers_off",
        "wires_off",
        "plugs_out",
        "seats_clean",
        "compare",
        "plugs_in",
        "wires_on",
        "covers_on",
        "ground_on",
    ),
    "glow_relay": ("ground_off", "wires_off", "relay_off", "compare", "relay_on", "wires_on", "ground_on"),
    "glow_harness": ("ground_off", "covers_off", "find_break", "mend", "route", "covers_on", "ground_on"),
}
PROOFS_OF_OLD = (
    "remeasure",
    "clear",
    "key_cycle",
    "codes",
    "idle",
    "cold_start",
    "off_again",
    "wiggle",
    "complaint",
)
PARTICULAR = (
    "turbo_actuator",
    "turbocharger",
    "egr_valve",
    "egr_cooler",
    "egr_passage",
    "inlet_flap",
    "intake_manifold_carbon",
    "egr_bypass_flap",
    "boost_hose_split",
    "vacuum_hose",
    "stop_actuator",
    "vacuum_pump",
    "injector_connector_fretted",
    "injector_seat_leak",
    "glow_plugs",
    "glow_harness",
    "glow_relay",
    "snapped_tip",
    "nox_sensor_up",
    "nox_sensor_down",
    "def_injector",
    "def_quality",
    "dpf_ash",
    "dpf_soot",
    "battery_weak",
    "fuel_filter_blocked",
)


class Whole(unittest.TestCase):
    def test_every_fault_has_a_repair_with_options_plan_and_proof(self):
        for fault in K.faults:
            repair = K.repairs[K.repair_of[fault]]
            self.assertIn(fault, repair.cures)
            self.assertTrue(repair.options and repair.steps, repair.id)
            self.assertTrue(
                any(fault in o.cures for o in repair.options.values()),
                f"no option of {repair.id} cures {fault}",
            )
            self.assertTrue(any(not o.shape.temporary for o in repair.options.values()), repair.id)
            self.assertTrue(all(s.proved_by for s in K.symptoms.values()))

    def test_ids_of_old_files_stay(self):
        self.assertLessEqual(set(OPTIONS_OF_OLD), set(K.options))
        for plan, steps in STEPS_OF_OLD.items():
            self.assertLessEqual(set(steps), set(K.repairs[plan].step_ids), plan)
        self.assertLessEqual(set(PROOFS_OF_OLD), {*K.proofs.checks, *K.proofs.conditions, *K.proofs.resets})

    def test_no_cure_takes_more_than_its_act_allows(self):
        most = {
            "replaced": 0.97,
            "repaired": 0.9,
            "cleaned": 0.85,
            "adjusted": 0.85,
            "refitted": 0.9,
            "plugged_in": 0.85,
        }
        for option in K.options.values():
            self.assertLessEqual(
                option.takes, min(most[option.shape.act], 0.7 if option.shape.temporary else 1.0), option.id
            )
        for repair in K.repairs:
            self.assertLessEqual(K.taken(repair, "disturbed")[1], 0.4)
            self.assertLessEqual(K.taken(repair, "replaced", None, True)[1], 0.7)
            cleaned, replaced = K.taken(repair, "cleaned")[1], K.taken(repair, "replaced")[1]
            self.assertLess(cleaned, replaced, repair)

    def test_what_cleaning_does_not_cure(self):
        for repair, fault in (
            ("egr_valve", "egr_drive_failed"),
            ("egr_cooler", "egr_cooler_leak"),
            ("inlet_flap", "inlet_flap_gears"),
            ("turbocharger", "turbo_worn"),
        ):
            self.assertNotIn(fault, K.taken(repair, "cleaned")[0])
            self.assertIn(fault, K.taken(repair, "replaced")[0])

    def test_refitting_puts_back_what_came_off_earlier(self):
        for repair in K.repairs.values():
            for at, step in enumerate(repair.steps):
                for target in step.refits:
                    self.assertLess(repair.step_ids.index(target), at, (repair.id, step.id))


class InOrder(unittest.TestCase):
    def test_every_plan_walked_in_its_order_puts_last_off_first_on(self):
        for repair in K.repairs.values():
            for act in ("replaced", "cleaned", "repaired"):
                done = []
                for step in repair.steps_for(act):
                    job = job_of(
                        check(job_file(*[entry("fit_step", plan=repair.id, step=s) for s in done]), K)
                    )
                    self.assertEqual(
                        plan_state(job, K, repair.id, (), act).still_off(step.id),
                        [],
                        (repair.id, act, step.id),
                    )
                    done.append(step.id)


class Particular(unittest.TestCase):
    def test_steps_of_their_own_beside_the_kind(self):
        kinds = load_kinds()
        for name in PARTICULAR:
            repair = K.repairs[name]
            own = [s.id for s in repair.steps if s.id not in kinds[repair.shape.kind]["steps"]]
            self.assertTrue(repair.own_steps and own, (name, own))

    def test_what_a_technician_would_miss(self):
        for name, word in (
            ("turbo_actuator", "blind place"),
            ("turbo_actuator", "clocking"),
            ("egr_valve", "long bolt"),
            ("egr_cooler", "measure what came out"),
            ("injector_hot_breakdown", "return pipes are brittle"),
            ("nox_sensor_up", "thread is going"),
            ("def_injector", "New clamp and new gasket"),
            ("vacuum_hose", "plastic spigots snap"),
            ("glow_plugs", "none on the tip"),
            ("snapped_tip", "away from the top"),
            ("stop_actuator", "Emergency lever"),
        ):
            said = json.dumps([s.model_dump() for s in K.repairs[name].steps])
            self.assertIn(word, said, name)

    def test_cautions_stand_at_their_steps(self):
        def at(repair, step):
            return next(s for s in K.repairs[repair].steps if s.id == step).cautions

        for repair, step, caution in (
            ("turbo_actuator", "ground_off", "battery_ground_off"),
            ("egr_cooler", "coolant_drained", "coolant"),
            ("egr_cooler", "soak", "solvent"),
            ("egr_valve", "scrape", "soot_dust"),
            ("injector_leak_off", "injectors_out", "fuel_injection_pressure"),
            ("snapped_tip", "magnet", "foreign_objects"),
            ("def_injector", "injector_off", "def_corrodes"),
            ("dpf_soot", "burn", "regeneration_fire"),
            ("stop_actuator", "first_start", "runaway"),
            ("nox_sensor_down", "sensor_out", "thread_torque"),
            ("dpf_ash", "raise", "raised_vehicle"),
            ("vacuum_pump", "pedal", "brakes_first"),
        ):
            self.assertIn(caution, at(repair, step), (repair, step))

    def test_a_whole_turbo_and_a_valve_with_cooler_do_two(self):
        self.assertEqual(set(K.options["turbo_actuator_whole"].repairs), {"turbo_actuator", "turbocharger"})
        self.assertIn("egr_cooler_blocked", K.options["egr_valve_with_cooler"].cures)

    def test_soak_of_a_day_and_times_from_the_plan(self):
        soak = next(s for s in K.repairs["egr_cooler"].steps if s.wait == "soak")
        self.assertEqual((soak.hours, soak.acts), (24, ["cleaned"]))


def load_kinds():
    import tomllib

    return tomllib.loads((HERE / "part_kinds.toml").read_text())


class RefusedTables(unittest.TestCase):
    spoiled = test_knowledge.Refused.spoiled

    def test_a_gap_is_refused_with_its_file(self):
        self.assertRegex(
            self.spoiled("repairs/boost.toml", 'cures = ["turbo_actuator_motor"]', "cures = []"),
            r"no repair cures 'turbo_actuator_motor'",
        )
        self.assertRegex(
            self.spoiled("repairs/boost.toml", 'kind = "hose"', 'kind = "hoose"'),
            r"repairs/boost\.toml, line \d+.*near: hose",
        )
        self.assertRegex(
            self.spoiled("repairs/boost.toml", '"covers_off",', '"covers_of",'), r"line \d+.*near: covers_of"
        )
        self.assertRegex(
            self.spoiled("repairs/boost.toml", "takes = 0.7 }", "takes = 0.95 }"), r"0\.95 is more than 0\.9"
        )
        self.assertRegex(
            self.spoiled("repairs/boost.toml", 'also = ["turbocharger"]', 'also = ["turbo"]'),
            r"repairs/boost\.toml.*turbo",
        )
        self.assertRegex(
            self.spoiled("repairs/boost.toml", 'resets = ["end_stops"]', 'resets = ["end_stop"]'),
            r"near: end_stops",
        )
        self.assertRegex(
            self.spoiled("symptoms.toml", 'proved_by = "load_pull"', 'proved_by = "load_pul"'),
            r"symptoms\.toml, line \d+.*near: load_pull",
        )
