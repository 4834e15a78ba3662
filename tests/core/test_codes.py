"""Codes out of any text."""

import unittest

from frosty_piston.core.codes import decode, read_block


class Decode(unittest.TestCase):
    def test_parts(self):
        for code, area, common in (
            ("P0671", "powertrain", True),
            ("P2263", "powertrain", True),
            ("P1234", "powertrain", False),
            ("P3401", "powertrain", True),
            ("P3001", "powertrain", False),
            ("U0100", "network", True),
            ("B1000", "body", False),
            ("C0035", "chassis", True),
        ):
            found = decode(code)
            self.assertEqual((found.area, found.common), (area, common), code)

    def test_fault_type_byte(self):
        self.assertEqual(decode("p0671-11").fault_type_says, "short to ground")
        self.assertEqual(decode("P067113").kind, "circuit")

    def test_nonsense_is_refused_with_what_is_allowed(self):
        for given in ("", "P067", "X0671", "P06711", "P0O71", "<script>", "P0671-1"):
            with self.assertRaisesRegex(ValueError, "P0671"):
                decode(given)


class Block(unittest.TestCase):
    def test_many_layouts(self):
        text = (
            "1) P0671 - Glow circuit (Stored)\nP0380;pending;engine\n\tU0106:87 permanent\nfreeze frame"
            " 3\nHistory codes\nP0672\nC0035 B1000-12"
        )
        found = read_block(text)
        self.assertEqual(
            [(c.code, c.fault_type, c.status) for c in found.codes],
            [
                ("P0671", None, "stored"),
                ("P0380", None, "pending"),
                ("U0106", "87", "permanent"),
                ("P0672", None, "history"),
                ("C0035", None, "history"),
                ("B1000", "12", "history"),
            ],
        )
        self.assertEqual(found.not_understood, ("freeze frame 3",))

    def test_the_letter_o_is_read_as_zero_and_said(self):
        code = read_block("PO671").codes[0]
        self.assertEqual((code.code, code.mended), ("P0671", True))

    def test_repeats_and_words_that_only_look_like_codes(self):
        self.assertEqual(len(read_block("P0671\nP0671 pending\nAP06712 XP0671").codes), 1)
        self.assertEqual(read_block("\x00\n\n").codes, ())
