"""The door for job files: every fault named, nothing let through, nothing changed."""

import json
import random
import tracemalloc
import unittest
from pathlib import Path

import jsonschema

from frosty_piston.core.errors import BadInput
from frosty_piston.job.tape.jobfile import canonical, chain_of, check, parse, read
from frosty_piston.job.tape.schema import job_file_schema
from frosty_piston.job.units import UNITS, convert, typed
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.demo.repairs import demo_jobs
from frosty_piston.store.timestamps import now
from tests.cases import MODERN, entry, job_file, plugs, reading, symptom

K = load_knowledge()


def paths(value):
    try:
        check(value, K)
    except BadInput as error:
        return {f.path for f in error.faults}
    return set()


class Faults(unittest.TestCase):
    def test_all_faults_show_at_once_with_their_paths(self):
        raw = job_file(
            symptom("hard_start_cold"),
            reading("glow_resistance", "bad", "ohms", point="roof", cylinder=9),
            entry("wut", a=1),
            reading("nope", 1, "V"),
            entry("code", code="P06"),
            entry("correction", corrects="e99", reason="x"),
            reading("crank_speed", 12, "V"),
            reading("crank_speed", "OL", "rpm"),
        )
        raw["entries"][1]["extra"] = 1
        raw["more"] = 1
        raw["engine"] = {
            **raw["engine"],
            "glow": "candle",
            "limits": {"nope": 1, "glow_plug_fitting_nm": 900},
        }
        raw["vehicle"]["wheels"] = 4
        found = paths(raw)
        for wanted in (
            "more",
            "engine.glow",
            "engine.limits.nope",
            "engine.limits.glow_plug_fitting_nm",
            "vehicle.wheels",
            "entries[1].extra",
            "entries[1].data.value",
            "entries[1].data.unit",
            "entries[2].kind",
            "entries[3].data.test",
            "entries[4].data.code",
            "entries[5].data.corrects",
            "entries[6].data.unit",
            "entries[7].data.value",
        ):
            self.assertIn(wanted, found)

    def test_repeated_ids_and_missing_parts(self):
        raw = job_file(symptom("no_start"), symptom("no_start"))
        raw["entries"][1]["id"] = "e1"
        self.assertEqual(paths(raw), {"entries[1].id"})
        self.assertEqual(paths({}), {"format", "version", "job", "vehicle", "engine", "entries"})
        self.assertEqual(paths(job_file(*plugs([1.0] * 5))), {"entries[4].data.where.cylinder"})

    def test_bytes_that_are_no_job_file(self):
        for bad, says in (
            (b"", "not JSON"),
            (b"\xff\xfe{}", "UTF-8"),
            (b'{"a":' * 10_000, "32 levels"),
            (b"[" * 200 + b"]" * 200, "32 levels"),
            (b'{"a": NaN}', "no figure"),
            (b'{"a": 1, "a": 2}', "twice"),
            (b"1" * 6000, "digits"),
            (b'"\\ud800"', "text"),
            (b'{"a": 1e999}', "figure"),
            (b" " * (64 * 1024 * 1024 + 1), "64 MiB"),
        ):
            with self.assertRaises(BadInput) as caught:
                parse(bad)
            self.assertIn(says, str(caught.exception))

    def test_numbers_are_not_words_nor_truth(self):
        for value in ("1.0", True, None, [1], {}):
            self.assertEqual(
                paths(job_file(reading("crank_speed", value, "rpm"))), {"entries[0].data.value"}, value
            )

    def test_a_time_is_written_with_its_zone(self):
        for at in ("2026-01-14T06:41:00Z", "2026-01-14T06:41:00.25+01:00", "2026-01-14 06:41Z"):
            self.assertEqual(paths(job_file({**entry("note", text="x"), "at": at})), set(), at)
        for at in (
            1700000000,
            "1700000000",
            "2026-01-14T06:41:00",
            "yesterday",
            "",
            True,
            "2026-13-14T06:41:00Z",
        ):
            self.assertEqual(paths(job_file({**entry("note", text="x"), "at": at})), {"entries[0].at"}, at)

    def test_a_broken_file_never_ends_in_anything_but_a_list_of_faults(self):
        rng = random.Random(7)
        whole = canonical(demo_jobs(now())[0])
        for _ in range(150):
            broken = list(whole)
            for _ in range(rng.randint(1, 6)):
                broken[rng.randrange(len(broken))] = rng.choice('{}[]":,0-ex\\ \u0000é')
            try:
                read("".join(broken).encode())
            except BadInput as error:
                self.assertTrue(error.faults)

    def test_values_of_any_shape_anywhere_are_refused_or_taken(self):
        rng = random.Random(11)
        odd = [
            None,
            True,
            -1,
            1e300,
            "",
            "x" * 300,
            "<script>",
            "🔥",
            [],
            {},
            [[]],
            {"a": {}},
            "OL",
            "2026-01-01",
        ]
        whole = canonical(demo_jobs(now())[4])
        for _ in range(300):
            raw = json.loads(whole)
            node = rng.choice(raw["entries"])
            while isinstance(node.get("data"), dict) and node["data"] and rng.random() < 0.8:
                node = node["data"]
            node[rng.choice(list(node) or ["id"])] = rng.choice(odd)
            try:
                check(raw, K)
            except BadInput as error:
                self.assertTrue(all(f.path for f in error.faults))


class RoundTrip(unittest.TestCase):
    def test_canonical_is_stable_and_keeps_whole_numbers_whole(self):
        raw = job_file(reading("crank_speed", 200, "rpm"), reading("battery_rest", 12.0, "V"))
        text = canonical(raw)
        self.assertEqual(canonical(read(text.encode()).raw), text)
        self.assertIn('"value": 200,'.replace(",", ""), text.replace(",", ""))

    def test_the_schema_accepts_what_the_door_accepts(self):
        validator = jsonschema.Draft202012Validator(job_file_schema())
        for raw in demo_jobs(now()):
            check(raw, K)
            self.assertEqual([e.message for e in validator.iter_errors(raw)], [])
        self.assertTrue(list(validator.iter_errors(job_file(entry("wut", a=1)))))

    def test_the_schema_in_the_docs_is_the_one_that_checks(self):
        kept = Path(__file__).parents[2] / "docs" / "job-file.schema.json"
        self.assertEqual(json.loads(kept.read_text()), job_file_schema())


class Chain(unittest.TestCase):
    def test_a_chain_is_checked_when_it_is_there(self):
        raw = job_file(symptom("hard_start_cold"), entry("note", text="first"), entry("note", text="second"))
        chained = {**raw, "chain": chain_of(raw["entries"])}
        self.assertEqual(len(check(chained, K).entries), 3)
        spoiled = json.loads(json.dumps(chained))
        spoiled["entries"][1]["data"]["text"] = "another"
        with self.assertRaises(BadInput) as caught:
            check(spoiled, K)
        self.assertEqual(caught.exception.faults[0].path, "chain.e2")
        with self.assertRaises(BadInput):
            check({**chained, "chain": {**chained["chain"], "e9": "00"}}, K)
        with self.assertRaises(BadInput):
            check({**raw, "chain": []}, K)


class NewKinds(unittest.TestCase):
    good = [
        entry(
            "symptom",
            symptom="stall",
            comes_and_goes=True,
            returns=[{"distance_km": 60}],
            returns_about={"distance_km": 80},
        ),
        entry("condition", name="countdown_km", value=320, unit="km", at_zero="no_restart"),
        entry("condition", name="altitude_m", value=1500, unit="m"),
        entry(
            "piece", name="tip", went="bore", now="recovered", length_mm=9.5, whole_mm=9.5, where="cylinder 2"
        ),
        entry(
            "circuit",
            parts=[
                {"id": "pump", "kind": "pump", "title": "Pump"},
                {"id": "booster", "kind": "booster", "title": "Booster"},
            ],
            hoses=[
                {
                    "id": "h1",
                    "from": "pump.out",
                    "to": "booster.in",
                    "length_mm": 400,
                    "heat": "engine",
                    "age_years": 9,
                }
            ],
        ),
        entry("trim", cylinder=2, code="aB3dE5", **{"from": "part"}),
        entry("reset_step", plan="scr", step="quality", result="refused", because="engine cold"),
        entry("top_up", litres=10, source="hut cans", at_km=184000),
        entry("drive", starts=4, complaint_back=False),
        entry("drive", hours=1.5, codes_read=True),
        entry(
            "outcome",
            test="vacuum_section",
            where={"node": "h1"},
            figures={"start_kpa": 60, "end_kpa": 59, "seconds": 60},
            blocked=["booster"],
        ),
        entry("outcome", test="key_switch", figures={"passes_off": True, "seals_on": True, "vents": True}),
        entry("outcome", test="stop_hand_pump", outcome="no_stop_leaks"),
        entry(
            "proof_step",
            repair="general",
            step="suspect",
            about="turbo_worn",
            result="could_not",
            reason="owner waits",
            why="owner_waits",
        ),
        entry("action", action="plugged_in", what="connector", repair="sensor_wiring"),
        entry("wait", wait="soak", what="cooler", state="ended", seen="clean", step="soak"),
    ]

    def test_they_read_and_come_back_unchanged(self):
        raw = job_file(*self.good, engine=MODERN)
        file = read(canonical(raw).encode(), K)
        self.assertEqual(canonical(file.raw), canonical(raw))
        self.assertEqual(len(file.entries), len(self.good))

    def test_what_they_refuse(self):
        for bad, path in (
            (
                entry("symptom", symptom="stall", returns=[{"distance_km": 60, "starts": 2}]),
                "data.returns[0]",
            ),
            (entry("symptom", symptom="stall", returns=[{"hours": 0}]), "data.returns[0].hours"),
            (entry("drive", conditions="dry"), "data"),
            (entry("piece", name="tip", went="moon"), "data.went"),
            (entry("trim", cylinder=9, code="A", **{"from": "part"}), "data.cylinder"),
            (entry("action", action="replaced", what="x", repair="nope"), "data.repair"),
            (
                entry("action", action="replaced", what="x", repair="glow_plugs", cylinders=[7]),
                "data.cylinders",
            ),
            (entry("option", option="glow_set+nope"), "data.option"),
            (entry("proof_step", repair="general", step="nope", result="pass"), "data.step"),
            (
                entry("circuit", parts=[], hoses=[{"id": "h", "from": "a.out", "to": "b.in"}]),
                "data.hoses[0].from",
            ),
            (entry("wait", wait="soak", what="x", until="2301-01-01T00:00:00Z"), "data.until"),
            (entry("outcome", test="vacuum_hold", figures={"start_kpa": 60}, blocked=["x"]), "data.blocked"),
        ):
            with self.assertRaises(BadInput, msg=bad) as caught:
                check(job_file(bad, engine=MODERN), K)
            self.assertIn(f"entries[0].{path}", caught.exception.faults[0].path)


class Units(unittest.TestCase):
    def test_every_unit_of_the_contract_is_known(self):
        wanted = [
            "ohm",
            "kohm",
            "Mohm",
            "V",
            "mV",
            "A",
            "mA",
            "km/h",
            "mph",
            "W",
            "mbar",
            "kPa",
            "bar",
            "psi",
            "inHg",
            "mmHg",
            "degC",
            "degF",
            "km",
            "mi",
            "mm",
            "g",
            "mg",
            "ml",
            "l",
            "percent",
            "s",
            "min",
            "rpm",
            "mm3",
            "kg/h",
            "m3/h",
            "ppm",
        ] + ["N m", "m", "h", "count"]
        self.assertEqual(set(UNITS), set(wanted))

    def test_conversion(self):
        self.assertAlmostEqual(convert(1, "bar", "kPa"), 100)
        self.assertAlmostEqual(convert(212, "degF", "degC"), 100)
        self.assertAlmostEqual(convert(1, "mi", "km"), 1.609344)
        self.assertAlmostEqual(convert(1, "kohm", "ohm"), 1000)

    def test_what_is_typed(self):
        for text, unit, wanted in (
            ("12.6V", "V", (12.6, "V")),
            ("0,8", "ohm", (0.8, "ohm")),
            ("1.2 kΩ", "ohm", (1.2, "kohm")),
            ("-8 °C", "degC", (-8.0, "degC")),
            ("17F", "degC", (17.0, "degF")),
            (" 450 mbar ", "kPa", (450.0, "mbar")),
            ("50 mV", "V", (50.0, "mV")),
            (".5", "V", (0.5, "V")),
            ("O.L", "ohm", None),
            ("−3", "V", (-3.0, "V")),
        ):
            if wanted is None:
                with self.assertRaises(ValueError):
                    typed("OL", unit)
                self.assertEqual(typed(text, unit, True), ("OL", unit))
            else:
                self.assertEqual(typed(text, unit), wanted, text)
        for bad in ("", "abc", "12 parsecs", "12 V", "1.2.3", "1e9999", "<script>", "🔥"):
            with self.assertRaises(ValueError):
                got = typed(bad, "ohm")
                if got[0] == float("inf"):
                    raise ValueError("endless")


class Bounds(unittest.TestCase):
    """A file may be as large as a long job; one that only fills memory or time is refused with the reason."""

    def says(self, data):
        with self.assertRaises(BadInput) as caught:
            parse(data)
        return str(caught.exception)

    def peak(self, act):
        tracemalloc.start()
        try:
            act()
            return tracemalloc.get_traced_memory()[1]
        finally:
            tracemalloc.stop()

    def test_a_key_that_stands_twice_among_many_is_found_in_one_pass(self):
        keys = ",".join(f'"k{i}":1' for i in range(50_000))
        self.assertIn("'k49999' stands twice", self.says(f'{{{keys},"k49999":2}}'.encode()))
        keys = ",".join(f'"k{i}":1' for i in range(200_000))
        self.assertIn("200,000 keys", self.says(f"{{{keys}}}".encode()))

    def test_empty_lists_are_no_job(self):
        data = b"[" + b"[]," * 1_000_000 + b"[]]"
        self.assertLess(self.peak(lambda: self.says(data)), 1_000_000)

    def test_a_long_job_takes_less_than_ten_times_its_file(self):
        notes = [entry("note", text=f"note {i}, and what was seen there") for i in range(4000)]
        data = json.dumps(job_file(*notes), separators=(",", ":")).encode()
        self.assertLess(self.peak(lambda: parse(data)), 10 * len(data))

    def test_more_entries_than_any_job_has_are_refused(self):
        file = job_file()
        file["entries"] = [{}] * 100_001
        with self.assertRaises(BadInput) as caught:
            check(file, K)
        self.assertIn("100,001 entries", str(caught.exception))

    def test_faults_are_named_by_their_way_in_the_order_of_the_file(self):
        file = job_file(
            entry("note", text="a\x07"), entry("note", text="b"), entry("note", text="c" * 10_001)
        )
        with self.assertRaises(BadInput) as caught:
            parse(json.dumps(file).encode())
        self.assertEqual(
            [f.path for f in caught.exception.faults], ["entries[0].data.text", "entries[2].data.text"]
        )
        deep = {"a": 1}
        for _ in range(40):
            deep = {"a": [deep]}
        self.assertIn("nested deeper than 32", self.says(json.dumps(deep).encode()))
