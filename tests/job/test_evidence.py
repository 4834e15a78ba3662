"""What findings count for: coverage, whole sets, access paid, workshops' tests."""

import unittest

from frosty_piston.job.answer import answer
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.judging.instruments import Instruments
from frosty_piston.job.judging.verdicts import Verdicts
from frosty_piston.job.tape.jobfile import check
from frosty_piston.job.weighing.access import access_reached
from frosty_piston.job.weighing.suspicion import possible_faults
from frosty_piston.knowledge import load_knowledge
from tests.cases import (
    MODERN,
    NORRA,
    SKARN,
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


def at(*entries, engine=NORRA):
    return Assessed(job_of(check(job_file(*entries, engine=engine), K)), K)


def weight(assessed, finding):
    return next(e.weight for e in assessed.evidence if e.finding and e.finding.id == finding)


class AfterARepair(unittest.TestCase):
    def test_what_was_found_and_noted_before_it_is_still_told(self):
        (seen,) = plugs(["OL"], "plug")
        seen["data"]["note"] = "thread green all round"
        done = entry("action", action="replaced", what="relay", repair="glow_relay")
        told = at(symptom("hard_start_cold"), meter(), seen, done).suspicion.suspects
        (plug,) = (s for s in told if s.fault == "glow_plugs_open")
        self.assertIn("Before the repair: ", plug.because)
        self.assertIn("thread green all round", plug.because)


class Coverage(unittest.TestCase):
    def test_a_good_outcome_counts_for_what_was_looked_at(self):
        half = at(meter(), *plugs([1.0, 1.0]))
        self.assertEqual(weight(half, "glow_resistance.at the connector"), 0.5)
        self.assertEqual(weight(at(meter(), *plugs([1.0] * 4)), "glow_resistance.at the connector"), 1.0)

    def test_a_bad_one_counts_in_full(self):
        self.assertEqual(weight(at(meter(), *plugs(["OL"])), "glow_resistance.at the connector"), 1.0)

    def test_half_the_batteries_are_half_the_answer(self):
        self.assertEqual(
            weight(
                at(reading("battery_rest", 12.8, "V", point="battery_1"), engine=SKARN), "battery_rest.rest"
            ),
            0.5,
        )

    def test_a_tired_plug_beside_an_open_one_still_counts(self):
        def tired(values):
            return next(
                s.probability
                for s in at(symptom("hard_start_cold"), meter(), *plugs(values)).suspicion.suspects
                if s.fault == "glow_plugs_high_resistance"
            )

        self.assertGreater(tired([1.0, "OL", 12.0, 1.0]), 4 * tired([1.0, "OL", 1.0, 1.0]))

    def test_more_looked_at_never_makes_a_plug_more_suspect(self):
        chances = []
        for n in range(5):
            found = at(symptom("hard_start_cold"), meter(), *plugs([1.0] * n)).suspicion.suspects
            chances.append(next(s.probability for s in found if s.fault == "glow_plugs_open"))
        self.assertEqual(chances, sorted(chances, reverse=True))

    def test_an_implausible_reading_says_nothing_and_an_unclear_one_what_it_cannot_be(self):
        self.assertEqual([e for e in at(meter(), *plugs([0.05])).evidence if e.finding], [])
        found = [e for e in at(meter(), *plugs([1.22, 0.05])).evidence if e.finding]
        self.assertEqual({e.finding.id.rsplit(".", 1)[1] for e in found}, {"open", "short", "high"})
        self.assertEqual({e.outcome for e in found}, {"not_seen"})
        self.assertLess(max(e.weight for e in found), 0.25, "one of four, and never in full")

    def test_a_plug_that_this_meter_cannot_judge_is_at_least_not_open(self):
        """Leads that were never zeroed: a tired plug and a sound one look alike, an open one does not."""
        code, unzeroed = entry("code", code="P0672", status="stored", module="engine"), (1.1, 1.2, 1.05, 1.15)

        def odds(*more):
            found = at(symptom("hard_start_cold"), code, *more).suspicion.suspects
            return {s.fault: s.probability for s in found}

        before, after = odds(), odds(*plugs(unzeroed, point="plug"))
        self.assertLess(after["glow_plugs_open"], before["glow_plugs_open"] / 3)
        self.assertGreater(after["glow_harness_open"], 2 * before["glow_harness_open"])
        (verdicts,) = {v.judgement.verdict for v in at(*plugs(unzeroed, point="plug")).now}
        self.assertEqual(verdicts, "unclear")

    def test_bench_heat_is_only_proposed_once_a_plug_is_condemned(self):
        before = at(symptom("hard_start_cold"), meter(), *plugs([1.0] * 4))
        after = at(symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0]))
        self.assertNotIn("glow_bench_heat", [n.test for n in before.proposals.next_tests])
        self.assertIn("glow_bench_heat", [n.test for n in after.proposals.next_tests])


class Words(unittest.TestCase):
    def test_the_sentence_names_every_bad_cylinder(self):
        says = [e.says for e in at(meter(), *plugs([1.0, "OL", 3.0, 1.0])).evidence]
        self.assertIn("Glow plug resistance at the connector: cylinder 2 open, 3 high", says)
        self.assertIn("Glow plug resistance at the connector: cylinder 3 high", says)

    def test_every_suspect_says_why_or_that_nothing_speaks_for_it(self):
        for s in at(symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0])).suspicion.suspects[
            :-1
        ]:
            self.assertTrue(s.because.startswith(("For it: ", "Nothing found speaks for it")), s.because)

    def test_what_another_explains_is_said_by_its_name(self):
        far_open = reading("egr_position", 84, "percent", point="engine_off")
        job = at(symptom("low_power"), code("P0401"), code("P0404"), far_open, engine=MODERN)
        said = {s.fault: s.because for s in job.suspicion.suspects}
        self.assertIn("“EGR valve stuck open” explains what was found: without it", said["egr_drive_failed"])
        self.assertIn("It comes with “EGR valve stuck open”", said["intake_manifold_carbon"])
        self.assertNotIn("EGR valve stuck open”", said["egr_stuck_open"])
        for s in job.suspicion.suspects[:-1]:
            if s.probability > 0.06:
                self.assertNotIn("what its base rate leaves", s.because)

    def test_for_and_against_point_at_entries_that_stand(self):
        result = answer(
            at(
                symptom("hard_start_cold"),
                entry("code", code="P0672"),
                meter(),
                *plugs([1.0, "OL", 1.0, 1.0]),
            )
        )
        ids = {f"e{i}" for i in range(1, 9)}
        for s in result["suspects"]:
            self.assertTrue(set(s["for"]) | set(s["against"]) <= ids)


class Codes(unittest.TestCase):
    def test_a_code_proves_the_module_that_set_it_alive(self):
        without = at(symptom("glow_lamp_absent")).suspicion.suspects
        with_code = at(symptom("glow_lamp_absent"), entry("code", code="P0671")).suspicion.suspects
        chance = [
            next(s.probability for s in found if s.fault == "module_supply_missing")
            for found in (without, with_code)
        ]
        self.assertLess(chance[1], chance[0] / 4)

    def test_the_tool_s_own_words_beside_a_code_count(self):
        def odds(text=None):
            said = {"text": text} if text else {}
            found = at(symptom("hard_start_cold"), entry("code", code="P0380", **said)).suspicion.suspects
            return {x.fault: x.probability for x in found}

        silent, plugs, supply = (
            odds(),
            odds("Relay fed, PLUGS DRAW NOTHING"),
            odds("Glow plugs never supplied"),
        )
        self.assertGreater(plugs["glow_plugs_open"], 2 * silent["glow_plugs_open"])
        self.assertLess(plugs["glow_relay_contacts"], silent["glow_relay_contacts"])
        self.assertGreater(supply["glow_feed_lost"], silent["glow_feed_lost"])
        self.assertEqual(odds("Heating circuit"), silent)

    def test_an_old_engine_without_a_control_unit_is_not_acquitted_by_no_codes(self):
        engine = {**NORRA, "injection": "inline_pump"}
        scanned = [symptom("hard_start_cold"), entry("code_scan", module="all")]
        self.assertFalse([e for e in at(*scanned, engine=engine).evidence if e.says.startswith("No code")])


class Access(unittest.TestCase):
    def test_a_cover_once_off_is_not_paid_for_again(self):
        base = [symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0], "relay_connector")]
        with_cover = [*base, outcome("intake_look", "sound")]

        def minutes(assessed):
            return next(
                n.minutes
                for n in assessed.proposals.next_tests
                if n.test == "glow_resistance" and n.where == {"point": "plug"}
            )

        self.assertEqual(minutes(at(*base)) - minutes(at(*with_cover)), K.access["engine_cover_off"].minutes)
        self.assertIn("engine_cover_off", access_reached(at(*with_cover).job, K))

    def test_a_card_can_put_the_intake_in_the_way(self):
        engine = {**NORRA, "limits": {"glow_plug_access": "intake_off"}}
        found = at(
            symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0]), engine=engine
        ).proposals.next_tests
        at_plug = next(n for n in found if n.test == "glow_resistance")
        self.assertEqual(at_plug.access, ("intake_off",))
        self.assertGreater(at_plug.minutes, 80)

    def test_the_card_decides_which_faults_are_weighed(self):
        unknown = possible_faults(K, at(engine={"name": "x"}).job.engine)
        electronic = possible_faults(
            K,
            at(engine={"name": "x", "glow_control": "electronic_module", "intake_heater": False}).job.engine,
        )
        self.assertIn("intake_heater_failed", unknown)
        self.assertNotIn("intake_heater_failed", electronic)
        self.assertNotIn("glow_relay_coil", electronic)
        self.assertIn("glow_module_failed", electronic)

    def test_a_circuit_code_says_that_circuit(self):
        for name in ("P0403", "P0045", "P2202", "P0672", "P0201", "P0102"):
            job = at(code(name), scan(), engine={"name": "x"})
            odds = {x.fault: x.probability for x in job.suspicion.suspects}
            of_circuit = K.groups[job.codes[0].group].speaks
            self.assertGreaterEqual(sum(odds.get(f, 0.0) for f in of_circuit), 0.85, name)

    def test_what_was_named_is_in_the_space(self):
        dry = {"name": "x", "turbo": "vgt_electric", "egr_drive": "motor", "egr_cooler_bypass": "none"}
        dry |= {"inlet_flap": "motor", "swirl_flaps": "none", "stop": "electric", "vacuum_pump": True}
        mount = "vacuum_mount_leak"
        measured = figures("vacuum_hold", {"node": "engine_mount"}, start_kpa=60, end_kpa=2, seconds=5)
        for card, entries, there in (
            (dry, [], True),
            ({**dry, "vacuum_mounts": False}, [], False),
            ({**dry, "vacuum_mounts": True}, [], True),
            (dry, [measured], True),
        ):
            self.assertEqual(mount in at(*entries, engine=card).suspicion.space.place, there, card)


class Meters(unittest.TestCase):
    def test_entries_add_up_and_the_later_one_wins_from_then_on(self):
        job = at(
            entry(
                "instrument",
                instrument="meter",
                accuracy_percent=0.5,
                accuracy_digits=2,
                resolution=0.1,
                unit="ohm",
            ),
            entry("instrument", instrument="meter", lead_zero=0.3, unit="ohm"),
            reading("glow_resistance", 1.1, "ohm", point="plug", cylinder=1),
            entry("instrument", instrument="meter", lead_zero=0.1, unit="ohm"),
            reading("glow_resistance", 0.9, "ohm", point="relay_connector", cylinder=1),
        ).job
        tools = Instruments(job)
        first, second = (x for x in job.live if x.kind == "reading")
        self.assertEqual(
            (tools.ohmmeter(first).lead_zero_ohm, tools.ohmmeter(first).resolution_ohm), (0.3, 0.1)
        )
        self.assertEqual(tools.ohmmeter(second).lead_zero_ohm, 0.1)
        values = {
            v.where["point"]: v.judgement.value for v in Verdicts(job, K, job.live).of("glow_resistance")
        }
        self.assertAlmostEqual(values["plug"], 0.8)
        self.assertAlmostEqual(values["relay_connector"], 0.8)

    def test_a_meter_written_down_late_still_counts_for_what_was_read_before(self):
        verdicts = at(*plugs([1.0]), meter()).now
        self.assertAlmostEqual(verdicts[0].judgement.value, 0.8)

    def test_units_are_turned_at_the_edge(self):
        found = at(
            reading("glow_resistance", 0.0012, "kohm", point="plug", cylinder=1),
            reading("rail_pressure_crank", 9000, "kPa"),
            reading("battery_rest", 12600, "mV", point="battery_1"),
        ).now
        self.assertEqual(
            [(v.test, v.judgement.unit, round(v.judgement.value, 2)) for v in found],
            [
                ("glow_resistance", "ohm", 1.2),
                ("rail_pressure_crank", "bar", 90.0),
                ("battery_rest", "V", 12.6),
            ],
        )


class Relay(unittest.TestCase):
    def test_each_point_and_the_whole_are_judged(self):
        found = at(*relay_read(battery=12.4, feed=11.5)).now
        self.assertEqual(
            {str(v.where["point"]): v.judgement.verdict for v in found},
            {"battery": "sound", "feed": "failed", "relay": "failed"},
        )

    def test_loaded_is_asked_for(self):
        good = at(*relay_read(battery=12.4, feed=12.35, supply=12.3, command=0.2, output=12.2)).now[-1]
        bare = at(
            *relay_read(loaded=False, battery=12.4, feed=12.35, supply=12.3, command=0.2, output=12.2)
        ).now[-1]
        self.assertEqual((good.judgement.verdict, bare.judgement.verdict), ("sound", "unclear"))

    def test_the_coolant_temperature_decides_the_on_time(self):
        self.assertEqual(
            at(
                entry("condition", name="coolant", value=20, unit="degC"),
                reading("glow_on_time", 12, "s", point="lamp"),
            )
            .now[0]
            .judgement.cls,
            "long_time",
        )
        self.assertEqual(
            at(
                entry("condition", name="ambient", value=14, unit="degF"),
                reading("glow_on_time", 12, "s", point="lamp"),
            )
            .now[0]
            .judgement.cls,
            "sound",
        )
