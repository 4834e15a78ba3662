"""Finding a leak with block-offs: against figures by hand, and against the fewest minutes there can be."""

import math
import random
import unittest
from functools import cache

from frosty_piston.core.isolate import Branches, Site, optimum_minutes


def chain(count, minutes=6.0, odds=1.0):
    return Branches([Site(n - 1, odds, minutes) for n in range(count)])


def expected(b, left):
    @cache
    def go(rest):
        off = b.next_block_off(rest)
        if off is None:
            return 0.0
        inside = off.tests & rest
        return off.minutes + (1 - off.holds) * go(inside) + off.holds * go(rest & ~inside)

    return go(left)


class Isolating(unittest.TestCase):
    def test_on_an_even_chain_it_halves(self):
        for count in (2, 4, 8, 16):
            b = chain(count)
            self.assertEqual(b.next_block_off(b.everything).site, count // 2)
            self.assertAlmostEqual(b.still_to(b.everything).steps, math.log2(count))
            self.assertAlmostEqual(b.still_to(b.everything).minutes, 6 * math.log2(count))

    def test_by_hand(self):
        # three on a chain, odds 6, 3, 1, 5 min each: first the second place (holds at 0.6), then between the
        # two, 0.4 of the time: 5 + 0.4 * 5 = 7. One by one each is clamped off, half a minute:
        # 0.6 * 5.5 + 0.3 * 11 + 0.1 * 11 = 7.7
        b = Branches([Site(-1, 6, 5), Site(0, 3, 5), Site(1, 1, 5)])
        first = b.next_block_off(b.everything)
        self.assertEqual((first.site, round(first.holds, 6)), (1, 0.6))
        self.assertAlmostEqual(b.still_to(b.everything).minutes, 7.0)
        self.assertAlmostEqual(b.one_by_one(b.everything).minutes, 7.7)
        self.assertAlmostEqual(optimum_minutes(b, b.everything), 7.0)

    def test_a_quick_look_at_the_likeliest_comes_first(self):
        b = Branches([Site(-1, 1, 20), Site(0, 1, 20), Site(1, 8, 2), Site(0, 1, 20)])
        self.assertEqual(b.next_block_off(b.everything).site, 2)

    def test_what_is_cleared_splits_nothing(self):
        b = chain(5)
        left = b.beyond[3]
        self.assertEqual({(o.site, o.alone) for o in b.block_offs(left)}, {(4, False), (3, True)})
        self.assertIsNone(b.next_block_off(1 << 2))
        self.assertEqual(b.still_to(1 << 2).steps, 0.0)

    def test_a_side_branch_is_seen_from_before_it_only(self):
        # 0 at the pump, 1 and 2 hang on it
        b = Branches([Site(-1, 1, 5), Site(0, 1, 5), Site(0, 1, 5)])
        self.assertEqual([b.beyond[n] for n in range(3)], [0b111, 0b010, 0b100])

    def test_places_that_cannot_be(self):
        for sites in ([Site(0, 1, 1)], [Site(-1, 0, 1)], [Site(-1, 1, 0)], [Site(-1, 1, 1), Site(1, 1, 1)]):
            with self.assertRaises(ValueError):
                Branches(sites)

    def test_near_the_optimum_and_never_under_it(self):
        rng, named, best = random.Random(11), 0.0, 0.0
        for _ in range(25):
            sites = []
            for n in range(rng.randint(4, 9)):
                on = rng.randrange(n) if n else -1
                sites.append(Site(on, rng.lognormvariate(0, 1), rng.choice((2.0, 5.0, 9.0, 20.0))))
            b = Branches(sites)
            mine, least = expected(b, b.everything), optimum_minutes(b, b.everything)
            self.assertGreaterEqual(mine, least - 1e-9)
            named, best = named + mine, best + least
        self.assertLess(named, 1.05 * best)

    def test_too_much_to_work_out_is_said(self):
        b = chain(30)
        self.assertIsNone(optimum_minutes(b, b.everything, most_states=20))


if __name__ == "__main__":
    unittest.main()
