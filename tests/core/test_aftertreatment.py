"""Exhaust temperatures, cold and warm: the middle of even counts, and the edges."""

import unittest

from frosty_piston.core.aftertreatment import HeatLimits, judge_exhaust_temps
from frosty_piston.knowledge.figures import general


def classes(temps, cold=True):
    judged = judge_exhaust_temps(
        {f"exhaust_{i}": t for i, t in enumerate(temps, 1)}, cold, general(HeatLimits)
    )
    return [j.cls for j in judged.values()]


class ExhaustTemperatures(unittest.TestCase):
    def test_cold_edges_by_hand(self):
        rows = [
            # four of them: the middle of 10, 12, 17, 18 is 14.5, and all stand within 5 of it
            ([10, 12, 17, 18], ["agree"] * 4),
            ([9.5, 12, 17, 18], ["agree"] * 4),
            ([9.4, 12, 17, 18], ["odd_one_out", "agree", "agree", "agree"]),
            ([12, 64, 13], ["agree", "odd_one_out", "agree"]),
            # of two nobody knows which is wrong
            ([10, 15], ["agree"] * 2),
            ([10, 15.1], ["unclear"] * 2),
            ([10], ["unclear"]),
            ([10, 12, 1201], ["agree", "agree", "odd_one_out"]),
        ]
        for temps, wanted in rows:
            self.assertEqual(classes(temps), wanted, temps)

    def test_warm_edges(self):
        for second, wanted in ((400, "agree"), (410, "agree"), (410.1, "out_of_order")):
            self.assertEqual(classes([400, second], cold=False)[1], wanted, second)


if __name__ == "__main__":
    unittest.main()
