"""What the benches print is worked out as it says."""

import unittest

from frosty_piston.benchmarks.learning import STEPS, OfWorkshop, workshop


class Learning(unittest.TestCase):
    def test_the_difference_is_taken_vehicle_by_vehicle_with_its_standard_error(self):
        general, after = [True, False, True, False], [True, True, True, False]
        gain, unsure = OfWorkshop("card", general, {10: after}).better(10)
        self.assertEqual((gain, unsure), (0.25, 0.25))
        self.assertEqual(OfWorkshop("card", general, {10: general}).better(10), (0.0, 0.0))

    def test_one_workshop_is_the_same_from_its_seed(self):
        one = workshop(11, 6)
        self.assertEqual({n: len(hits) for n, hits in one.after.items()}, dict.fromkeys(STEPS, 6))
        self.assertEqual(len(one.general), 6)
        self.assertEqual(workshop(11, 6), one)


if __name__ == "__main__":
    unittest.main()
