"""The figures that judge: one row each, read by a rule, refused when it is missing, twice or of no use."""

import shutil
import tempfile
import unittest
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import get_args, get_type_hints

import frosty_piston
from frosty_piston import knowledge
from frosty_piston.core.air import AirLimits
from frosty_piston.core.errors import BadKnowledge
from frosty_piston.core.glow import GlowLimits
from frosty_piston.core.limits import CARD, GENERAL
from frosty_piston.core.relay import RelayLimits
from frosty_piston.knowledge import load_knowledge
from frosty_piston.knowledge.figures import AREAS, Figures, general
from frosty_piston.knowledge.reader import Reader

K = load_knowledge()
SHIPPED = Path(knowledge.__path__[0]) / "figures"


class Rows(unittest.TestCase):
    def test_the_card_goes_before_the_general_figure_for_its_own_area_only(self):
        own = K.limits(RelayLimits, {"relay_feed_drop_v": 0.5, "glow_plug_thread": "M10"})
        self.assertEqual((own.feed_drop_v, own.feed_drop_v.source), (0.5, CARD))
        self.assertEqual((own.contact_drop_v, own.contact_drop_v.source), (0.5, GENERAL))
        self.assertIs(K.limits(AirLimits, {"relay_feed_drop_v": 0.5}), K.limits(AirLimits))

    def test_kinds_and_tables_come_through(self):
        limits = K.limits(GlowLimits, {"glow_kinds_rod_12v_high_ohm": 2.0})
        self.assertEqual(limits.kind("rod_12v").high_ohm, 2.0)
        self.assertEqual(limits.kind("unknown kind").name, "12 V rod plug")
        self.assertEqual(general(RelayLimits).on_time_low_s[0], (-20.0, 14.0))

    def test_every_figure_lies_in_its_own_bounds_and_says_where_it_is_from(self):
        for key, row in K.figures.items():
            with self.subTest(key):
                self.assertLess(row.low, row.high)
                if row.general:
                    self.assertTrue(row.low <= row.general <= row.high, row)
                self.assertTrue(row.source or row.general == 0, "no source")

    def test_every_figure_is_asked_for_by_a_rule(self):
        rules = "".join(p.read_text() for p in Path(frosty_piston.__path__[0]).rglob("*.py"))
        unused = [
            f"{cls.__name__}.{name}" for cls in AREAS for name in _names(cls) if f".{name}" not in rules
        ]
        self.assertEqual(unused, [])


def _names(cls):
    hints = get_type_hints(cls)
    for f in fields(cls):
        yield f.name
        for inner in (hints[f.name], *get_args(hints[f.name])):
            if is_dataclass(inner):
                yield from (g.name for g in fields(inner) if g.name != "name")


class Refused(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)
        shutil.copytree(SHIPPED, self.folder / "figures")

    def refused(self, old, new):
        path = self.folder / "figures" / "nox.toml"
        path.write_text(path.read_text().replace(old, new))
        with self.assertRaises(BadKnowledge) as caught:
            Figures(Reader(self.folder))
        return str(caught.exception)

    def test_what_is_wrong_is_named_with_file_and_line(self):
        for old, new, says in (
            ("agree_share =", "agreement =", "missing"),
            ("general = 0.5, ", 'general = "much", ', "valid number"),
            ('source = "two sensors', 'card = "nox_good_share", source = "two sensors', "twice"),
        ):
            with self.subTest(new):
                self.setUp()
                told = self.refused(old, new)
                self.assertIn("figures/nox.toml, line", told)
                self.assertIn(says, told)
