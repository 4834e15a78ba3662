"""The drawing of the engine: it measures the card, and different cards give different plans."""

import re
import unittest

from frosty_piston.job.engine import EngineCard
from frosty_piston.job.weighing.suspicion import Step
from frosty_piston.knowledge import load_knowledge
from frosty_piston.rig.demo.world import CARDS
from frosty_piston.web.drawing.engine_drawing import HEIGHT, WIDTH, bores, draw
from frosty_piston.web.drawing.name_places import name_box, runs
from frosty_piston.web.drawing.part_symbols import inside, outline
from frosty_piston.web.drawing.trail import BIG_HEIGHT, EDGE, sparkline, trail_view

K = load_knowledge()
DEMO = [EngineCard.model_validate(c) for c in CARDS]
EVERY = [
    *DEMO,
    EngineCard(),
    EngineCard(cylinders=1),
    EngineCard(cylinders=16, arrangement="vee"),
    EngineCard(cylinders=6, arrangement="flat"),
    EngineCard(cylinders=12),
    EngineCard(stop="vacuum", injection="rotary_pump", glow="none", vacuum_pump=True),
    EngineCard(turbo="none", egr=[], dpf=False, scr=False, vacuum_pump=False),
]


class Drawn(unittest.TestCase):
    def test_one_bore_for_each_cylinder_and_none_over_another(self):
        for engine in EVERY:
            found = bores(engine)
            self.assertEqual([b.number for b in found], list(range(1, (engine.cylinders or 4) + 1)))
            for a in found:
                for b in found:
                    if a is not b:
                        self.assertGreaterEqual(((a.x - b.x) ** 2 + (a.y - b.y) ** 2) ** 0.5, a.r + b.r - 0.1)

    def test_banks_lie_across_and_odd_ones_above(self):
        vee = bores(EngineCard(cylinders=8, arrangement="vee"))
        self.assertEqual({b.y for b in vee if b.number % 2}, {min(b.y for b in vee)})
        self.assertTrue(all(b.turned == (b.number % 2 == 0) for b in vee))
        self.assertEqual(len({b.y for b in bores(EngineCard(cylinders=8, arrangement="inline"))}), 1)
        self.assertGreater(
            max(b.y for b in bores(EngineCard(cylinders=6, arrangement="flat"))), max(b.y for b in vee)
        )

    def test_everything_stays_on_the_sheet(self):
        for engine in EVERY:
            for s in draw(engine).shapes:
                self.assertTrue(
                    s.x >= 0 and s.x + s.w <= WIDTH and s.y >= 0 and s.y + s.h <= HEIGHT, (engine.name, s)
                )

    def test_every_part_is_drawn_somewhere(self):
        drawn = {s.part for engine in EVERY for s in draw(engine).shapes} | {"injectors", "glow_plugs"}
        drawn |= {
            s.part
            for s in draw(
                EngineCard(
                    intake_heater=True,
                    swirl_flaps="motor",
                    egr_cooler_bypass="electric",
                    turbo="wastegate",
                    stop="vacuum",
                    vacuum_pump=True,
                )
            ).shapes
        }
        self.assertEqual(set(K.parts) - drawn, set())
        self.assertEqual(drawn - set(K.parts), set())

    def test_no_name_lies_over_a_pipe_a_part_or_another_name(self):
        def over(a, b):
            return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]

        for engine in EVERY:
            drawing = draw(engine)
            lines = [run for p in drawing.pipes for run in runs(p.d)]
            named = [s for s in drawing.shapes if s.label and s.symbol != "block"]
            boxes = {s: name_box(s) for s in named}
            crossed = [s.label for s in named if any(over(boxes[s], line) for line in lines)]
            covered = [
                (s.label, o.part)
                for s in named
                for o in drawing.shapes
                if o is not s and over(boxes[s], (o.x, o.y, o.x + o.w, o.y + o.h))
            ]
            twice = [
                (a.label, b.label) for a in named for b in named if a is not b and over(boxes[a], boxes[b])
            ]
            with self.subTest(engine.name):
                self.assertLessEqual(
                    len(crossed) + len(covered), 0 if engine in DEMO else 3, (crossed, covered)
                )
                self.assertEqual(twice, [])

    def test_runs_of_a_path(self):
        self.assertEqual(
            [tuple(v for v in r) for r in runs("M10 20H30v-10M0 0h5")],
            [(5, 15, 35, 25), (25, 5, 35, 25), (-5, -5, 10, 5)],
        )

    def test_different_cards_give_different_plans(self):
        plans = [{s.part for s in draw(e).shapes} for e in DEMO]
        self.assertEqual(len({frozenset(p) for p in plans}), len(DEMO))
        modern, groomer, plough = plans[0], plans[1], plans[2]
        self.assertTrue({"scr", "dpf", "egr_valve", "bypass_flap", "swirl_flaps", "rail"} <= modern)
        self.assertFalse({"scr", "dpf", "egr_valve", "rail"} & groomer)
        self.assertIn("boost_solenoid", groomer)
        self.assertTrue({"stop_actuator", "key_switch", "stop_line"} <= plough)
        self.assertNotIn("turbo", plough)
        self.assertEqual(sum(s.part == "egr_valve" for s in draw(DEMO[0]).shapes), 2, "high and low pressure")
        self.assertEqual(sum(s.part == "battery" for s in draw(DEMO[1]).shapes), 2)

    def test_every_symbol_is_a_closed_path_in_its_box(self):
        for engine in EVERY:
            for s in draw(engine).shapes:
                self.assertRegex(outline(s.symbol.split()[0], s.x, s.y, s.w, s.h), r"^M.*z$")
                self.assertNotIn("nan", inside(s.symbol.split()[0], s.x, s.y, s.w, s.h))


class Trails(unittest.TestCase):
    STEPS = [
        Step("Before anything was found", (), 0.1),
        Step("a", ("e1",), 0.6),
        Step("b", ("e2",), 0.55),
        Step("c", ("e3",), 0.9),
    ]

    def test_the_line_measures_the_odds(self):
        view = trail_view(self.STEPS)
        ys = [y for _, y in view["spots"]]
        inner = BIG_HEIGHT - 2 * EDGE
        for step, y in zip(self.STEPS, ys, strict=True):
            self.assertAlmostEqual(1 - (y - EDGE) / inner, step.odds, places=2)
        self.assertEqual([n["says"] for n in view["named"]], ["a", "b", "c"])
        self.assertEqual([n["up"] for n in view["named"]], [True, False, True])

    def test_the_small_one_goes_the_same_way(self):
        small = sparkline(self.STEPS)
        self.assertEqual(len(re.findall("H", small["d"])), 3)
        self.assertEqual(small["label"], "from 10 % to 90 % in 3 findings")
        self.assertEqual(len(sparkline(self.STEPS[:1])["d"].split("H")), 1)
