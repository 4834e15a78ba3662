"""What templates are given: drawings that measure, words for every kind of entry, and colours that can be
read."""

import re
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import SimpleNamespace

import frosty_piston.web
from frosty_piston.core.errors import BadInput
from frosty_piston.core.words import called
from frosty_piston.job.assessment import Assessed, job_of
from frosty_piston.job.entries import KINDS
from frosty_piston.job.judging.starts import plug_shares
from frosty_piston.job.stages import standing
from frosty_piston.job.tape.jobfile import check
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.demo.repairs import demo_jobs
from frosty_piston.store.timestamps import now
from frosty_piston.store.workshop import JobRecord
from frosty_piston.web.benches import battery, glow, relay
from frosty_piston.web.benches.margin import margin_view
from frosty_piston.web.benches.plugs import banks
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.frame.heat import heat_view
from frosty_piston.web.frame.links import bench_link
from frosty_piston.web.frame.page import ago, money, when
from frosty_piston.web.frame.tape_rows import tape_view
from frosty_piston.web.job.cells import Cell, cell_of, fill
from frosty_piston.web.job.vehicle import choices
from tests.cases import NORRA, SKARN, entry, job_file, meter, plugs, reading, symptom

K = load_knowledge()
STATIC = Path(frosty_piston.web.__file__).parent / "static"


def record(*entries, engine=NORRA):
    assessed = Assessed(job_of(check(job_file(*entries, engine=engine), K)), K)
    return JobRecord(1, assessed, standing(assessed), {}, None, {})


class Drawings(unittest.TestCase):
    def test_banks_in_engine_order(self):
        self.assertEqual(banks(4, "inline"), [[1, 2, 3, 4]])
        self.assertEqual(banks(8, "vee"), [[1, 3, 5, 7], [2, 4, 6, 8]])
        self.assertEqual(banks(3, None), [[1, 2, 3]])

    def test_a_plug_is_drawn_as_full_as_it_is_hot(self):
        view = glow.view(record(meter(), *plugs([1.0, "OL", 2.8])), K, "ohm", "harness_connector")
        self.assertEqual([p["glow_height"] for p in view["rows"][0]], [60.0, 0.0, 19.7, 0.0])
        self.assertTrue(all(abs(p["glow_y"] + p["glow_height"] - 139) < 0.11 for p in view["rows"][0]))
        self.assertEqual([p["share"] is None for p in view["rows"][0]], [False, False, False, True])

    def test_the_reading_at_the_plug_outweighs_the_connector(self):
        shares = plug_shares(record(meter(), *plugs(["OL"]), *plugs([1.0], "plug")).assessed.now)
        self.assertAlmostEqual(shares[1][0], 1.0)

    def test_a_connector_read_later_and_better_outweighs_the_plug(self):
        first, later = plugs(["OL"], "plug"), plugs([1.0])
        for entries, share in (([*first, *later], 1.0), ([*later, *first], 0.0)):
            with self.subTest(share):
                r = record(meter(), *entries)
                shares = plug_shares(r.assessed.now, [x.id for x in r.job.tape])
                self.assertAlmostEqual(shares[1][0], share)
                said = next(v for v in r.assessed.now if v.where.get("point") == "harness_connector")
                self.assertIn("read both again", said.judgement.because)

    def test_the_margin_has_a_curve_for_each_number_of_plugs_and_marks_tonight(self):
        view = margin_view(
            record(
                entry("condition", name="ambient", value=-8, unit="degC"),
                meter(),
                *plugs([1.0, "OL", 1.0, 1.0]),
            ),
            plug_shares(record(meter(), *plugs([1.0, "OL", 1.0, 1.0])).assessed.now),
        )
        self.assertEqual([c["working"] for c in view["curves"]], [4, 3, 2, 1, 0])
        left, width = view["chart"]["left"], view["chart"]["width"]
        self.assertAlmostEqual(view["tonight"]["x"], left + (-8 + 30) / 55 * width, delta=0.1)
        self.assertEqual(view["state"], "3 healthy, 1 dead")
        for curve in view["curves"]:
            ys = [float(p.split(",")[1]) for p in curve["path"].split()]
            self.assertTrue(all(b <= a + 0.11 for a, b in zip(ys, ys[1:], strict=False)))

    def test_a_measured_crank_moves_the_curves(self):
        slow = margin_view(record(reading("crank_speed", 195, "rpm")), {})
        fast = margin_view(record(reading("crank_speed", 240, "rpm")), {})
        none_working = [next(c["half"] for c in view["curves"] if c["working"] == 0) for view in (slow, fast)]
        self.assertGreater(none_working[0], none_working[1])
        self.assertTrue(slow["rpm_measured"])

    def test_every_bench_can_be_shown_for_any_card(self):
        for engine in (
            NORRA,
            SKARN,
            {"name": "x"},
            {"name": "x", "cylinders": 1, "glow": "ceramic", "glow_control": "electronic_module"},
            {"name": "x", "cylinders": 16, "arrangement": "vee"},
        ):
            shop = SimpleNamespace(knowledge=K)
            for method in ("ohm", "lamp", "current", "heat"):
                self.assertTrue(glow.view(record(engine=engine), K, method, "plug")["rows"])
            self.assertEqual(len(relay.shows(record(engine=engine), shop, Form({}))["cells"]), 5)
            self.assertGreaterEqual(len(battery.shows(record(engine=engine), shop, Form({}))["cells"]), 5)


class Cells(unittest.TestCase):
    def test_a_cell_shows_the_latest_reading_in_its_own_unit_or_says_the_other(self):
        cells = [
            Cell("glow_resistance", "1", "ohm", {"point": "plug", "cylinder": 1}),
            Cell("battery_rest", "b", "V", {"point": "battery_1"}),
        ]
        filled = fill(
            record(
                reading("glow_resistance", "OL", "ohm", point="plug", cylinder=1),
                reading("battery_rest", 12600, "mV", point="battery_1"),
            ),
            cells,
        )
        self.assertEqual([f.text for f in filled], ["OL", "12600 mV"])
        self.assertEqual(filled[0].verdict.judgement.cls, "open")

    def test_inrush_and_steady_are_two_cells(self):
        steady, inrush = (
            Cell("glow_current", "1", "A", {"cylinder": 1}, conditions={"after_s": s}) for s in (10.0, 1.0)
        )
        filled = fill(
            record(
                reading("glow_current", 22, "A", {"after_s": 1}, cylinder=1),
                reading("glow_current", 11, "A", {"after_s": 10}, cylinder=1),
            ),
            [steady, inrush],
        )
        self.assertEqual([f.text for f in filled], ["11", "22"])
        self.assertNotEqual(steady.id, inrush.id)

    def test_a_cell_is_found_again_from_its_form(self):
        form = Form(
            {
                k: [v]
                for k, v in {"test": "glow_current", "cylinder": "3", "unit": "A", "after_s": "10.0"}.items()
            }
        )
        self.assertEqual(
            cell_of(form).id, Cell("glow_current", "", "A", {"cylinder": 3}, conditions={"after_s": 10.0}).id
        )


class Forms(unittest.TestCase):
    def form(self, **values):
        return Form({k: [v] for k, v in values.items()})

    def test_figures_money_choices_and_moments(self):
        f = self.form(a="1 250,50", b="12.5", c="2030-01-01T10:00", d="yes", e="-3", f="13", g="soon")
        self.assertEqual(
            (f.money("a"), f.figure("b", "", 0, 20), f.choice("d", ("yes", "no"))), (125050, 12.5, "yes")
        )
        self.assertEqual(f.moment("c").year, 2030)
        self.assertFalse(f.faults)
        self.assertIsNone(f.money("e"))
        self.assertIsNone(f.whole("b", 1, 16))
        self.assertIsNone(f.moment("g"))
        self.assertEqual({x.path for x in f.faults}, {"e", "b", "g"})
        with self.assertRaises(BadInput) as caught:
            f.done()
        self.assertEqual(caught.exception.kept["a"], "1 250,50")

    def test_ids_come_from_the_page_and_nothing_else_gets_in(self):
        self.assertEqual(self.form(entry_id="0a1b-2c").entry("note", {"text": "x"})["id"], "0a1b-2c")
        for bad in ("", "../..", "a" * 80, "<x>"):
            self.assertRegex(self.form(entry_id=bad).entry("note", {"text": "x"})["id"], r"^[0-9a-f-]{36}$")

    def test_the_card_form_offers_the_words_of_the_card(self):
        self.assertEqual(set(choices("glow")), {"rod_12v", "fast_7v", "fast_5v", "ceramic", "none"})
        self.assertEqual(choices("dpf"), ("yes", "no"))
        self.assertEqual(set(choices("system_voltage")), {"12", "24"})


class Zones(unittest.TestCase):
    def test_every_kind_of_entry_has_a_line_in_words(self):
        seen = set()
        for raw in demo_jobs(now()):
            job = job_of(check(raw, K))
            known = {x.id: x for x in job.tape}
            for x in job.tape:
                says = x.data.says(K, known)
                self.assertTrue(says.strip(), x.kind)
                self.assertNotIn("_", says.replace("__", ""), x.kind)
                seen.add(x.kind)
        rest = [
            entry("drive", distance_km=12, codes_back=["P0671"]),
            entry("trace", channels={"a": "rail_pressure"}, file="x.csv"),
            entry("lamp", lamp="Glow", state="on"),
            entry("context", context="short_trips"),
            entry("card_change", changes={"glow": [None, "rod_12v"]}),
            entry("outcome", test="wiggle", figures={"wiggle_s": 30, "dropouts": 2}),
            entry("warning", text="brake line", urgency="stop"),
            entry("note", text="x"),
            entry("picture", image="0" * 64, shows="before", note="x"),
            entry("shift", did=["x"], next="y", note="z"),
            entry("state", state="engine_cold"),
            entry("stretch", trace="e1", start_s=1.0, end_s=2.0, name="pull"),
            entry("code_clear", module="all"),
            entry("before", text="x"),
            entry("history", text="x"),
            entry("piece", name="tip", went="bore"),
            entry("trim", cylinder=1, code="A1B2", **{"from": "part"}),
            entry("circuit", parts=[{"id": "pump", "kind": "pump", "title": "Pump"}], hoses=[]),
            entry("reset_step", plan="x", step="codes", result="done"),
            entry("top_up", litres=10.0, source="hut cans"),
            entry("deadline", until="2030-01-01T00:00:00Z"),
        ]
        job = record(*rest).job
        for x in job.tape:
            self.assertTrue(x.data.says(K, {}).strip())
            seen.add(x.kind)
        self.assertEqual(set(KINDS) - seen, set())

    def test_the_tape_is_newest_first_and_says_what_is_older(self):
        view = tape_view(record(*[entry("note", text=str(i)) for i in range(20)]), K)
        self.assertEqual((view["rows"][0].says, len(view["rows"]), view["more"]), ("19", 12, 8))

    def test_the_heat_list_stays_empty_until_there_is_something_to_weigh(self):
        self.assertEqual(heat_view(record())["suspects"], [])
        warm = heat_view(record(symptom("hard_start_cold"), meter(), *plugs([1.0, "OL", 1.0, 1.0])))
        self.assertEqual(warm["suspects"][0]["warmth"], 4)
        self.assertEqual(
            [s["width"] for s in warm["suspects"]],
            sorted((s["width"] for s in warm["suspects"]), reverse=True),
        )

    def test_links_lead_to_the_bench_of_a_test(self):
        self.assertEqual(
            bench_link(K, "j", "glow_lamp_test", "plug"), "/jobs/j/measure/glow?method=lamp&point=plug"
        )
        self.assertEqual(bench_link(K, "j", "crank_speed"), "/jobs/j/measure/battery")
        self.assertEqual(
            bench_link(K, "j", "rail_pressure_crank"), "/jobs/j/measure/fuel#step-rail_pressure_crank"
        )
        self.assertEqual(bench_link(K, "j", "oil_condition"), "/jobs/j/measure/test/oil_condition")


class Words(unittest.TestCase):
    def test_times_money_and_ids(self):
        self.assertTrue(when(datetime.now(UTC)).startswith("today "))
        self.assertTrue(when(datetime.now(UTC) + timedelta(days=1)).startswith("tomorrow "))
        self.assertEqual(ago(datetime.now(UTC) + timedelta(minutes=95, seconds=5)), "1 h 35 min")
        self.assertEqual(
            (money(380000), money(136563), money(None)), ("3\u00a0800 kr", "1\u00a0365,63 kr", "")
        )
        self.assertEqual((called("rod_12v"), called("no_click")), ("12 V rod", "no click"))


class Colours(unittest.TestCase):
    """Contrast by WCAG 2.2: 4.5 for text, 3 for marks, in both variants."""

    def variants(self):
        css = (STATIC / "css" / "frost.css").read_text()
        light = re.search(r':root, \[data-theme="light"\] \{(.*?)\}', css, re.S).group(1)
        dark = re.search(r'\n\[data-theme="dark"\] \{(.*?)\}', css, re.S).group(1)
        return [dict(re.findall(r"--([a-z0-9-]+): (#[0-9a-f]{6})", block)) for block in (light, dark)]

    def contrast(self, one, two):
        def light(colour):
            parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
            r, g, b = (p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
            return 0.2126 * r + 0.7152 * g + 0.0722 * b

        high, low = sorted((light(one), light(two)), reverse=True)
        return (high + 0.05) / (low + 0.05)

    def test_text_can_be_read_on_every_ground_it_stands_on(self):
        for colours in self.variants():
            for ink, grounds in {
                "ink": ("ground", "sheet", "ice", "brass-pale", "pine-pale"),
                "soft": ("ground", "sheet"),
                "frost": ("ground", "sheet"),
                "ember": ("ground", "sheet"),
                "pine": ("sheet", "pine-pale"),
                "brass": ("sheet", "brass-pale"),
                "frost-ink": ("frost",),
            }.items():
                for ground in grounds:
                    self.assertGreaterEqual(self.contrast(colours[ink], colours[ground]), 4.5, (ink, ground))

    def test_both_dark_variants_are_the_same(self):
        css = (STATIC / "css" / "frost.css").read_text()
        system = re.search(
            r'prefers-color-scheme: dark\) \{\s*:root:not\(\[data-theme="light"\]\) \{(.*?)\}', css, re.S
        ).group(1)
        chosen = re.search(r'\n\[data-theme="dark"\] \{(.*?)\}', css, re.S).group(1)
        self.assertEqual(re.findall(r"--[^;]+", system), re.findall(r"--[^;]+", chosen))

    def test_everything_vendored_is_listed_with_its_licence(self):
        listed = (STATIC / "vendor" / "README.md").read_text()
        for path in (STATIC / "vendor").iterdir():
            if path.name not in ("README.md", "licences"):
                self.assertIn(f"`{path.name}`", listed)
        texts = {path.stem for path in (STATIC / "vendor" / "licences").iterdir()}
        self.assertEqual(
            texts, {"alpine", "atkinson-hyperlegible-next", "barlow", "bulma", "htmx", "idb", "uplot"}
        )
        self.assertIn("SIL Open Font License", listed)
