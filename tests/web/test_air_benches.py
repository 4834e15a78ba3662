"""The benches of the air side: what the card has, what is written, what is drawn of it, and what is asked
afterwards."""

import json
import re
import unittest

import numpy as np

from frosty_piston.core.errors import BadInput
from frosty_piston.core.traces import Signal
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.repair.cleaning import cleaning_log
from frosty_piston.job.repair.soot import soot_causes, soot_says
from frosty_piston.job.tape.jobfile import check
from frosty_piston.job.weighing.turbo_question import part_or_turbo
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.air_recordings import (
    bypass_recording,
    egr_air_recording,
    pull_recording,
    rev_recording,
)
from frosty_piston.rig.recordings import drive_recording
from frosty_piston.web.benches import BENCHES
from tests.cases import MODERN, NORRA, entry, job_file, outcome, reading, scan, symptom
from tests.web.test_api import WithClient
from tests.web.test_traces import sweep

K = load_knowledge()
ELSEWHERE = ("stop", "vacuum", "intermittent", "pins")
SECTIONED = {key: K.benches[key] for key, bench in BENCHES.items() if bench.sections and key not in ELSEWHERE}
BASE = "/jobs/case/measure/"


def at(*entries, engine=MODERN):
    return Assessed(job_of(check(job_file(symptom("low_power"), scan(), *entries, engine=engine), K)), K)


def turn(before=None, after=None, minutes=20, repair=None, node="egr_valve"):
    measured = (
        {} if before is None else {"measured": "free width", "unit": "mm", "before": before, "after": after}
    )
    return entry(
        "action",
        action="cleaned",
        what="EGR valve and port",
        where={"node": node},
        **({"repair": repair} if repair else {}),
        cleaning={"way": "scrape", "minutes": minutes, **measured},
    )


class Questions(unittest.TestCase):
    def test_part_or_turbo_hangs_on_the_lever_by_hand(self):
        sweep = outcome("actuator_sweep", "dead_spot", node="turbo_actuator")
        self.assertEqual(part_or_turbo(at(sweep)).settles, "linkage_free")
        self.assertEqual(part_or_turbo(at(sweep, outcome("linkage_free", "free"))).says, "part")
        rough = part_or_turbo(at(sweep, outcome("linkage_free", "rough")))
        self.assertEqual(rough.says, "turbo")
        self.assertIn("same death", rough.because)
        self.assertEqual(
            part_or_turbo(
                at(
                    outcome("actuator_sweep", "follows", node="turbo_actuator"),
                    outcome("linkage_free", "free"),
                )
            ).says,
            "neither",
        )
        self.assertEqual(
            part_or_turbo(at(outcome("actuator_sweep", "stuck", node="egr_valve"))).settles, "actuator_sweep"
        )

    def test_the_cleaning_log_says_when_it_is_enough(self):
        job = at(turn(9, 17), turn(17, 24), turn(24, 25)).job
        log = cleaning_log(job, ("egr_valve",))
        self.assertEqual([round(t.share, 3) for t in log.turns], [0.5, 0.438, 0.062])
        self.assertEqual(log.minutes, 60)
        self.assertIn("6 % of it all", log.says)
        self.assertIn("worth it", cleaning_log(at(turn(9, 17), turn(17, 24)).job, ("egr_valve",)).says)
        self.assertIn("not measured", cleaning_log(at(turn()).job, ("egr_valve",)).says)
        self.assertEqual(cleaning_log(job, ("inlet_flap",)).turns, ())

    def test_what_made_the_soot_is_asked_where_soot_was_the_cause(self):
        blocked = [
            symptom("emissions_message"),
            entry("code", code="P0401"),
            entry("outcome", test="egr_look", outcome="blocked"),
            reading("egr_position", 1.5, "percent", point="engine_off"),
        ]
        cleaned = turn(9, 25, repair="egr_passage")
        self.assertEqual(soot_causes(at(*blocked)), ())
        self.assertEqual({c.state for c in soot_causes(at(*blocked, cleaned))}, {"open"})
        asked = [entry("soot_cause", cause=c, found=c == "short_trips") for c in K.soot.causes]
        self.assertIn("short trips, never hot enough", soot_says(at(*blocked, cleaned, *asked)))
        self.assertIn(
            "none found",
            soot_says(
                at(*blocked, cleaned, *[entry("soot_cause", cause=c, found=False) for c in K.soot.causes])
            ),
        )
        wire = [
            symptom("emissions_message"),
            entry("code", code="P0403"),
            entry(
                "outcome",
                test="wiggle",
                where={"node": "egr_valve"},
                figures={"wiggle_s": 60, "dropouts": 6, "rest_s": 60, "rest_dropouts": 0},
            ),
        ]
        self.assertEqual(
            soot_causes(at(*wire, entry("action", action="repaired", what="wire", repair="egr_wiring"))), ()
        )

    def test_unknown_causes_and_ways_are_refused_by_name(self):
        for wrong, word in (
            (entry("soot_cause", cause="goblins", found=True), "boost_leak"),
            (
                entry("action", action="cleaned", what="x", cleaning={"way": "dynamite", "minutes": 3}),
                "scrape",
            ),
        ):
            with self.assertRaises(BadInput) as caught:
                at(wrong)
            self.assertIn(word, str(caught.exception.faults))


class Benches(WithClient):
    def setUp(self):
        super().setUp()
        self.workshop.tapes.import_file(
            json.dumps(job_file(symptom("low_power"), scan(), engine=MODERN)).encode()
        )

    def keep(self, name, signals):
        k = self.workshop.knowledge
        self.workshop.recordings.add(
            f"rec-{name}",
            "case",
            None,
            name,
            signals,
            {c: c for c in signals},
            {c: k.channels[c].unit for c in signals},
        )
        return f"/jobs/case/traces/rec-{name}"

    def last(self):
        return self.workshop.tapes.job("case").job.tape[-1].data

    def test_only_what_the_card_has_is_offered(self):
        page = self.client.get("/jobs/case/measure").text
        for bench in SECTIONED.values():
            self.assertIn(f"<b>{bench.title}</b>", page)
        bare = {
            **NORRA,
            "turbo": "none",
            "egr": [],
            "egr_cooler_bypass": "none",
            "inlet_flap": "none",
            "swirl_flaps": "none",
            "scr": False,
            "dpf": False,
        }
        self.workshop.tapes.import_file(json.dumps(job_file(engine=bare, job_id="bare")).encode())
        page = self.client.get("/jobs/bare/measure").text
        for name, bench in SECTIONED.items():
            (self.assertIn if name in ("boost", "fuel") else self.assertNotIn)(f"<b>{bench.title}</b>", page)
        self.assertNotIn("step-boost_trace", self.client.get("/jobs/bare/measure/boost").text)
        self.assertNotIn("step-vacuum_travel", self.client.get(BASE + "turbo").text)
        self.assertIn("step-vacuum_travel-bypass_flap", self.client.get(BASE + "bypass").text)

    def test_figures_are_drawn_to_measure(self):
        for point, mg in (("shut", 520), ("open", 260)):
            self.client.post(
                BASE + "cell",
                data={
                    "bench": "egr",
                    "test": "egr_air_change",
                    "unit": "mg",
                    "point": point,
                    "value": str(mg),
                },
            )
        page = self.client.get(BASE + "egr").text
        shut, opened = (float(w) for w in re.findall(r'class="airbar" width="([\d.]+)"', page))
        self.assertAlmostEqual(shut / opened, 2.0, delta=0.02)
        self.assertIn("50 % less air", page)
        self.client.post(
            BASE + "cell",
            data={
                "bench": "egr",
                "test": "egr_position",
                "unit": "percent",
                "point": "engine_off",
                "value": "40",
            },
        )
        lift = float(
            re.search(r"<g transform=\"translate\(0 (-[\d.]+)\)", self.client.get(BASE + "egr").text)[1]
        )
        self.assertAlmostEqual(lift, -0.4 * 56, delta=0.1)

    def test_a_leak_test_and_a_rod_are_drawn_as_curves(self):
        self.client.post(
            BASE + "figures",
            data={
                "bench": "boost",
                "test": "boost_leak",
                "start_kpa": "70",
                "end_kpa": "38",
                "seconds": "60",
            },
        )
        page = self.client.get(BASE + "boost").text
        self.assertIn("70 to 38 kPa in 60 s", page)
        self.assertIn("46 % in a minute", page)
        for kpa, mm in ((0, 0), (30, 5), (60, 10), (30, 6), (0, 0)):
            self.client.post(
                BASE + "figures",
                data={
                    "bench": "swirl",
                    "test": "vacuum_travel",
                    "node": "swirl_flaps",
                    "kpa": str(kpa),
                    "mm": str(mm),
                },
            )
        page = self.client.get(BASE + "swirl").text
        self.assertEqual(len(re.findall(r'class="dot"', page)), 4)
        up, down = (re.search(rf'class="trace {way}" d="([^"]+)"', page)[1] for way in ("up", "down"))
        self.assertIn("90.0 67.5", up)
        self.assertIn("90.0 57.0", down)

    def test_a_fault_stands_at_its_own_form_and_keeps_what_was_typed(self):
        self.client.post("/jobs/case/tick", data={"caution": "foreign_objects", "back": BASE + "egr"})
        answer = self.client.post(
            BASE + "outcome", data={"bench": "egr", "test": "egr_look", "note": "finger wide"}
        )
        self.assertEqual(answer.status_code, 422)
        form = re.search(r'<form id="form-outcome-egr_look".*?</form>', answer.text, re.S)[0]
        self.assertIn("choose one of: clean", form)
        self.assertIn("finger wide", form)
        self.assertNotIn(
            "choose one of",
            re.search(r'<form id="form-outcome-egr_cooler_look".*?</form>', answer.text, re.S)[0],
        )

    def test_a_turn_of_cleaning_is_written_and_the_last_one_is_the_repair(self):
        given = {
            "bench": "egr",
            "node": "egr_valve",
            "way": "scrape",
            "minutes": "30",
            "measured": "free width",
            "unit": "mm",
            "before": "9",
            "after": "17,5",
        }
        self.assertIn(
            "before and after stand together",
            self.client.post(BASE + "cleaning", data={**given, "after": ""}).text,
        )
        self.assertIn(
            "say what was measured", self.client.post(BASE + "cleaning", data={**given, "measured": ""}).text
        )
        self.client.post(BASE + "cleaning", data=given)
        self.assertEqual((self.last().cleaning.after, self.last().repair), (17.5, None))
        for node, repair in (("egr_passage", "egr_passage"), ("egr_valve", "egr_valve")):
            self.client.post(BASE + "cleaning", data={**given, "node": node, "back_in": "yes"})
            self.assertEqual(self.last().repair, repair)
        page = self.client.get("/jobs/case/prove").text
        self.assertIn("What made the soot", page)
        self.client.post(
            "/jobs/case/prove/soot", data={"oil": "found", "filter": "not_found", "entry_id": "s1"}
        )
        self.assertEqual(
            {
                c.id: c.state
                for c in soot_causes(self.workshop.tapes.job("case").assessed)
                if c.state != "open"
            },
            {"oil": "found", "filter": "not_found"},
        )
        self.assertIn("say of at least one", self.client.post("/jobs/case/prove/soot", data={}).text)

    def test_unplugging_makes_the_codes_that_follow_noise(self):
        self.client.post(
            BASE + "plug", data={"bench": "turbo", "node": "turbo_actuator", "action": "unplugged"}
        )
        self.workshop.tapes.write("case", [{"id": "own", "kind": "code", "data": {"code": "P2562"}}], None)
        self.assertEqual([c.place for c in self.workshop.tapes.job("case").assessed.codes], ["noise"])

    def test_a_pull_is_judged_written_with_its_stretch_and_stands_in_the_boost_table(self):
        where = self.keep("pull", pull_recording(3, "dead_actuator"))
        page = self.client.get(where).text
        self.assertIn("do not get there", page)
        self.assertEqual(re.search(r'class="here".*?</tr>', page, re.S)[0].count("do not follow"), 1)
        self.assertEqual(page.count('class="marked"'), 3)
        self.client.post(where + "/air", data={"analysis": "boost", "entry_id": "b1"})
        self.assertEqual(
            (self.last().test, self.last().outcome, self.last().source.trace),
            ("boost_trace", "short", "rec-pull"),
        )
        self.assertIn('class="here"', self.client.get(BASE + "boost").text)
        self.assertEqual(self.client.post(where + "/air", data={"analysis": "bypass"}).status_code, 422)

    def test_air_change_bypass_and_rev_test_go_on_the_tape(self):
        where = self.keep("egr", egr_air_recording(2, "blocked_passage"))
        self.client.post(where + "/air", data={"analysis": "egr_air", "entry_id": "a1"})
        found = next(v for v in self.workshop.tapes.job("case").assessed.now if v.test == "egr_air_change")
        self.assertEqual((found.judgement.cls, len(found.entries)), ("no_change", 2))
        where = self.keep("bypass", bypass_recording(1, "broken_spring"))
        self.client.post(where + "/air", data={"analysis": "bypass", "entry_id": "a2"})
        self.assertEqual(self.last().outcome, "no_return")
        for name, fault, point in (
            ("as-is", "choked_manifold", "as_is"),
            ("released", "healthy", "released"),
        ):
            where = self.keep(name, rev_recording(4, fault))
            self.assertEqual(self.client.post(where + "/air", data={"analysis": "swirl"}).status_code, 422)
            self.client.post(where + "/air", data={"analysis": "swirl", "point": point, "entry_id": name})
        self.assertEqual(
            next(
                v for v in self.workshop.tapes.job("case").assessed.now if v.test == "swirl_compare"
            ).judgement.cls,
            "better_released",
        )
        self.assertIn("Rev test, the two recordings", self.client.get(f"{where}?with=rec-as-is").text)

    def test_a_position_in_volts_is_judged_like_one_in_percent(self):
        r = next(
            r
            for n in range(80)
            if not (r := drive_recording(n, "dead_spot")).percent and r.actual.step_s <= 0.1
        )
        where = self.keep("volts", {"egr_command": r.command, "egr_position_sensor_v": r.actual})
        page = self.client.get(where).text
        self.assertIn("a dead spot", page)
        self.assertIn("hatch-egr_valve", page)
        self.client.post(where + "/drive", data={"node": "egr_valve", "entry_id": "v1"})
        self.assertEqual(self.last().outcome, "dead_spot")
        self.assertIn("dead-says", page)

    def test_without_its_command_a_position_is_described_and_not_judged(self):
        where = self.keep("alone", {"egr_position": sweep("healthy").actual})
        page = self.client.get(where).text
        self.assertIn("How well it follows takes its command", page)
        self.assertNotIn('id="drive-egr_valve"', page)
        self.assertEqual(self.client.post(where + "/drive", data={"node": "egr_valve"}).status_code, 422)

    def test_a_long_recording_opens_at_once_and_is_judged_by_a_request_of_its_own(self):
        t = np.arange(0, 6000, 0.02)
        want = 100 + 80 * (t % 60 > 50)
        where = self.keep(
            "long",
            {
                "manifold_pressure_target": Signal(t, want),
                "manifold_pressure": Signal(t, 100 + 0.5 * (want - 100)),
            },
        )
        page = self.client.get(where).text
        self.assertNotIn("Boost commanded and actual", page)
        says = self.client.get(
            re.search(r'hx-get="([^"]+)"', page[page.index("A long recording") - 300 :])[1].replace(
                "&amp;", "&"
            )
        ).text
        self.assertIn("50 % of it", says)
        self.assertIn("Boost commanded and actual", self.client.get(where + "?judged=yes").text)
        self.client.post(where + "/air", data={"analysis": "boost", "judged": "yes", "entry_id": "l1"})
        self.assertEqual(self.last().outcome, "short")

    def test_pressures_are_compared_while_the_engine_stands(self):
        t = np.arange(0, 20, 0.1)
        rpm = np.where(t < 8, 0.0, 800.0)
        where = self.keep(
            "key-on",
            {
                "engine_speed": Signal(t, rpm),
                "barometer": Signal(t, np.full(len(t), 98.0)),
                "dpf_pressure": Signal(t, np.where(t < 8, 0.1, 3.0)),
                "manifold_pressure": Signal(t, np.where(t < 8, 112.0, 150.0)),
            },
        )
        page = self.client.get(where).text
        self.assertIn('data-name="engine stands"', page)
        self.client.post(where + "/air", data={"analysis": "key_on", "entry_id": "k1"})
        found = {
            v.where["channel"]: v.judgement
            for v in self.workshop.tapes.job("case").assessed.now
            if v.test == "key_on_pressures"
        }
        self.assertEqual(
            {name: (j.value, j.verdict) for name, j in found.items()},
            {
                "barometer": (98.0, "marginal"),
                "manifold": (112.0, "marginal"),
                "differential": (0.1, "sound"),
            },
        )

    def test_the_newest_sweep_is_drawn_and_one_that_was_taken_back_is_not(self):
        r = sweep("stuck")
        self.keep("stuck", {"vane_command": r.command, "vane_position": r.actual})
        self.assertIn("everywhere", self.client.get(BASE + "turbo").text)
        self.workshop.tapes.write(
            "case",
            [
                {
                    "id": "rec-stuck",
                    "kind": "trace",
                    "data": {"channels": {"vane_command": "x"}, "file": "stuck"},
                },
                {
                    "id": "gone",
                    "kind": "correction",
                    "data": {"corrects": "rec-stuck", "reason": "wrong van"},
                },
            ],
            None,
        )
        self.assertIn("no sweep recorded yet", self.client.get(BASE + "turbo").text)

    def test_readings_come_with_where_they_were_recorded(self):
        self.workshop.tapes.import_file(
            json.dumps(
                job_file(
                    reading("egr_position", 3, "percent", point="engine_off"), engine=MODERN, job_id="plain"
                )
            ).encode()
        )
        self.assertIn("read, engine off", self.client.get("/jobs/plain/measure/egr").text)


if __name__ == "__main__":
    unittest.main()
