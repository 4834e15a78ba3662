"""The day laid out: what holds on every plan, what the rule does, what the solver does better, and why."""

import unittest
from dataclasses import replace
from itertools import pairwise

from frosty_piston.core.day import (
    Bay,
    Day,
    DayLimits,
    Person,
    Piece,
    Pin,
    Placed,
    Plan,
    Work,
    cost,
    idle_minutes,
    in_time,
    nobody_says,
    one_after_other,
    parted,
    plain_rule,
    readiness,
    why,
)
from frosty_piston.job.day.solver import lay_out
from frosty_piston.knowledge.figures import general
from frosty_piston.rig.days import made_up_day

LIMITS = general(DayLimits)
LIFT = frozenset({"lift"})
WHOLE_DAY = ((0, 480),)
YLVA = Person("Ylva", frozenset({"measure", "fit"}), WHOLE_DAY)
TORVALD = Person("Torvald", frozenset({"measure"}), WHOLE_DAY)


def piece(name, minutes, **more):
    return Piece(name, name[0], f"Do {name}", minutes, **more)


def wait(name, minutes, **more):
    return piece(name, minutes, wait=True, **more)


def work(*pieces, due=None, coin=1, stands_in=""):
    return Work(pieces[0].job, f"Job {pieces[0].job}", pieces, due, coin, stands_in)


def starts(plan):
    return {p.piece: p.start for p in plan.placed}


def broken(day, plan):
    """What a plan breaks: an order, an absence, a right, two at once in one place."""
    faults, lanes = [], {}
    for one in day.works:
        placed = [plan.of[p.id] for p in one.pieces if p.id in plan.of]
        faults += [f"{b.piece} before {a.piece}" for a, b in pairwise(placed) if b.start < a.end]
        for stay in day.stays(one):
            ids = [p.id for p in one.pieces]
            inner = [i for i in ids[ids.index(stay.first) : ids.index(stay.last) + 1] if i in plan.of]
            if inner:
                bay = plan.of[stay.first].bay
                faults += [] if bay in stay.bays else [f"{stay.first} in {bay}"]
                lanes.setdefault(bay, []).append((plan.of[inner[0]].start, plan.of[inner[-1]].end))
    for p in plan.placed:
        what = day.pieces[p.piece]
        if not what.wait:
            person = next(x for x in day.people if x.name == p.person)
            if what.task not in ("", *person.tasks):
                faults.append(f"{p.person} may not do {p.piece}")
            if not any(s <= p.start and p.end <= e for s, e in person.there):
                faults.append(f"{p.person} is not there for {p.piece}")
            for lane in (p.person, *(what.tools & day.single_tools)):
                lanes.setdefault(lane, []).append((p.start, p.end))
    for lane, spans in lanes.items():
        faults += [f"{lane} twice at {b[0]}" for a, b in pairwise(sorted(spans)) if b[0] < a[1]]
    return faults


class Holds(unittest.TestCase):
    def test_no_plan_of_a_made_up_day_puts_anybody_or_anything_in_two_places(self):
        for seed in range(6):
            day = made_up_day(seed, 9, 3, LIMITS)
            rule = plain_rule(day, LIMITS)
            solved = lay_out(day, LIMITS, 0.5)
            for plan in (rule, one_after_other(day, LIMITS), solved):
                with self.subTest(seed=seed, by=plan.by):
                    self.assertEqual(broken(day, plan), [])
                    self.assertEqual(set(plan.of) | set(plan.left), set(day.pieces))
            self.assertLessEqual(cost(day, solved, LIMITS), cost(day, rule, LIMITS))
            if solved.bound is not None:  # a busy machine may not come to one in its time
                self.assertLessEqual(solved.bound, cost(day, solved, LIMITS) * 1.001)

    def test_the_order_of_the_jobs_as_given_does_not_matter_to_the_rule(self):
        day = made_up_day(3, 8, 2, LIMITS)
        turned = replace(day, works=day.works[::-1])
        self.assertEqual(starts(plain_rule(day, LIMITS)), starts(plain_rule(turned, LIMITS)))


class Rule(unittest.TestCase):
    def plan(self, *works, people=(YLVA,), bays=(), tools=(), pins=()):
        self.day = Day(works, people, bays, frozenset(tools), pins)
        return plain_rule(self.day, LIMITS)

    def test_a_wait_is_filled_with_other_work(self):
        plan = self.plan(work(piece("a1", 20), wait("a2", 60), piece("a3", 10)), work(piece("b1", 50)))
        self.assertEqual(starts(plan), {"a1": 0, "b1": 20, "a2": 20, "a3": 80})

    def test_the_earliest_deadline_goes_first_then_the_longest_path(self):
        for due_a, due_b, first in ((200, 100, "b1"), (None, 400, "b1"), (None, None, "a1")):
            with self.subTest(due_a=due_a, due_b=due_b):
                plan = self.plan(work(piece("a1", 40), due=due_a), work(piece("b1", 30), due=due_b))
                self.assertEqual(starts(plan)[first], 0)

    def test_who_may_not_does_not(self):
        plan = self.plan(work(piece("a1", 30, task="fit")), people=(TORVALD,))
        self.assertEqual(plan.left, {"a1": "Nobody here may do it: do a1."})
        plan = self.plan(work(piece("a1", 30, task="fit"), piece("a2", 5)), people=(TORVALD, YLVA))
        self.assertEqual(plan.of["a1"].person, "Ylva")

    def test_somebody_goes_on_with_what_they_have_in_hand_unless_it_waits_long(self):
        """A change of hands counts as fifteen minutes."""
        for busy, who in ((14, "Torvald"), (16, "Ylva")):
            with self.subTest(busy=busy):
                first = work(piece("a1", 10), wait("a2", 10), piece("a3", 10), due=100)
                other = work(piece("b1", 10 + busy, task="measure"), due=101)
                pins = (Pin("a1", "Torvald"), Pin("b1", "Torvald"))
                plan = self.plan(first, other, people=(TORVALD, YLVA), pins=pins)
                self.assertEqual(plan.of["a3"].person, who)

    def test_nobody_works_in_a_break_and_long_work_is_parted_by_it(self):
        there = replace(YLVA, there=((0, 60), (90, 480)))
        plan = self.plan(work(*parted(piece("a1", 80), 45)), people=(there,))
        self.assertEqual([(p.start, p.end) for p in plan.placed], [(0, 40), (90, 130)])

    def test_a_bay_holds_one_vehicle_until_it_is_let_out(self):
        bays = (Bay("Lift 1", "lift"),)
        for lets_out, second in ((True, 10), (False, 130)):
            with self.subTest(lets_out=lets_out):
                first = work(
                    piece("a1", 10, bays=LIFT),
                    wait("a2", 110, lets_out=lets_out),
                    piece("a3", 10, bays=LIFT),
                    due=50,
                )
                plan = self.plan(first, work(piece("b1", 20, bays=LIFT)), bays=bays)
                self.assertEqual((starts(plan)["b1"], broken(self.day, plan)), (second, []))

    def test_a_vehicle_that_stands_in_a_bay_holds_it_from_the_start(self):
        first = work(wait("a1", 60), piece("a2", 10, bays=LIFT), stands_in="Lift 1")
        plan = self.plan(first, work(piece("b1", 20, bays=LIFT)), bays=(Bay("Lift 1", "lift"),))
        self.assertEqual(starts(plan), {"a1": 0, "a2": 60, "b1": 70})

    def test_a_tool_there_is_one_of_is_in_one_place(self):
        scan = frozenset({"scan"})
        works = (work(piece("a1", 20, tools=scan), due=50), work(piece("b1", 20, tools=scan)))
        for tools, second in (((), 0), (("scan",), 20)):
            with self.subTest(tools=tools):
                plan = self.plan(*works, people=(YLVA, TORVALD), tools=tools)
                self.assertEqual(starts(plan)["b1"], second)

    def test_what_is_pinned_stays_and_what_has_begun_runs_on(self):
        works = (work(piece("a1", 20), piece("a2", 10)), work(piece("b1", 30), due=40))
        plan = self.plan(*works, pins=(Pin("a1", "", 100),))
        self.assertEqual(starts(plan), {"b1": 0, "a1": 100, "a2": 120})
        begun = (Pin("a1", "Ylva", -25, 32),)
        plan = self.plan(*works, pins=begun)
        self.assertEqual(starts(plan), {"a1": -25, "b1": 7, "a2": 37})
        self.assertEqual(starts(lay_out(self.day, LIMITS, 2.0))["a1"], -25)

    def test_no_bay_nobody_too_late(self):
        day = Day((), (YLVA,), (Bay("Lift 1", "lift"),))
        for what, says in (
            (piece("a", 30, bays=frozenset({"floor"})), "There is no bay for it: do a."),
            (piece("a", 30, task="road"), "Nobody here may do it: do a."),
            (piece("a", 30), "It comes after something that cannot be laid out, or after the days that"),
        ):
            self.assertTrue(nobody_says(day, what).startswith(says), says)

    def test_what_no_window_holds_is_left_with_all_that_follows(self):
        plan = self.plan(work(piece("a1", 500), piece("a2", 5)))
        self.assertEqual((plan.placed, sorted(plan.left)), ((), ["a1", "a2"]))


class Solver(unittest.TestCase):
    def test_it_holds_back_five_minutes_for_a_deadline_which_the_rule_does_not(self):
        """By hand: the rule takes the hour at once and is 15 minutes late; begun at 5, b is ready at 50."""
        slow, urgent = work(piece("a1", 60)), work(piece("b1", 45, earliest=5), due=90, coin=10)
        day = Day((slow, urgent), (YLVA,), ())
        rule, solved = plain_rule(day, LIMITS), lay_out(day, LIMITS, 2.0)
        self.assertEqual((starts(rule), in_time(day, rule)), ({"a1": 0, "b1": 60}, 0))
        self.assertEqual((starts(solved), in_time(day, solved)), ({"b1": 5, "a1": 50}, 1))
        self.assertEqual(cost(day, solved, LIMITS), 10 * 50 + 110)
        self.assertEqual(cost(day, rule, LIMITS), 60 + 10 * (105 + 10 * 15 + 240))

    def test_a_change_of_hands_is_paid(self):
        day = Day((work(piece("a1", 10), piece("a2", 10), coin=2),), (YLVA, TORVALD), ())
        for second, paid in (("Ylva", 40), ("Torvald", 40 + 2 * 15)):
            plan = Plan((Placed("a1", 0, 10, "Ylva"), Placed("a2", 10, 20, second)), "rule")
            self.assertEqual(cost(day, plan, LIMITS), paid)

    def test_nothing_to_lay_out_is_a_plan_of_nothing(self):
        self.assertEqual(lay_out(Day((), (YLVA,), ()), LIMITS).placed, ())
        self.assertEqual(lay_out(Day((work(piece("a1", 5)),), (), ()), LIMITS).placed, ())


class Says(unittest.TestCase):
    def test_why_a_piece_stands_where_it_does(self):
        scan = frozenset({"scan"})
        lift = (Bay("Lift 1", "lift"),)
        late = replace(YLVA, there=((30, 480),))
        first = work(piece("a1", 20, bays=LIFT, tools=scan), due=50)
        by_torvald = (Pin("a1", "Ylva"), Pin("b1", "Torvald"))
        for works, people, pins, what, says in (
            ((work(piece("a1", 5)),), (YLVA,), (), "a1", "It can begin now."),
            ((work(piece("a1", 5), piece("a2", 5)),), (YLVA,), (), "a2", "It comes after: do a1."),
            ((work(piece("a1", 5)),), (late,), (), "a1", "Ylva is there from then on."),
            ((first, work(piece("b1", 5))), (YLVA,), (), "b1", "Ylva is at Job a until then: do a1."),
            (
                (first, work(piece("b1", 5, bays=LIFT))),
                (YLVA, TORVALD),
                by_torvald,
                "b1",
                "Job a stands in the bay until then.",
            ),
            (
                (first, work(piece("b1", 5, tools=scan))),
                (YLVA, TORVALD),
                by_torvald,
                "b1",
                "Job a has the scan until then, and",
            ),
            ((work(piece("a1", 5, earliest=9, why="Cold first.")),), (YLVA,), (), "a1", "Cold first."),
            (
                (work(piece("a1", 5)),),
                (YLVA,),
                (Pin("a1", "", 40),),
                "a1",
                "Somebody pinned it to this time.",
            ),
            ((work(piece("a1", 5)),), (YLVA,), (Pin("a1", "Ylva", -3, 8),), "a1", "It has begun."),
            ((work(piece("a1", 5)),), (YLVA,), (Pin("a1", "Ylva"),), "a1", "Ylva has it in hand."),
            ((work(*parted(piece("a1", 60), 45)),), (YLVA,), (), "a1#2", "It goes on with the same: do a1."),
        ):
            with self.subTest(says):
                day = Day(works, people, lift, scan, pins)
                self.assertIn(says, why(day, plain_rule(day, LIMITS), what))

    def test_how_sure_a_deadline_is_falls_as_it_comes_nearer_and_with_the_spread(self):
        chances = []
        for due, spread in ((200, 20), (120, 20), (105, 20), (90, 20), (105, 40)):
            day = Day((work(piece("a1", 100, spread_min=spread), due=due),), (YLVA,), ())
            chances.append(readiness(day, plain_rule(day, LIMITS))["a"].chance)
        self.assertEqual(chances[:4], sorted(chances[:4], reverse=True))
        self.assertGreater(chances[0], 0.99)
        self.assertLess(chances[3], 0.4)
        self.assertLess(abs(chances[4] - 0.6), 0.1)

    def test_what_runs_over_pushes_what_follows_and_nothing_spreads_where_nothing_is_open(self):
        fixed = Day((work(piece("a1", 60), piece("a2", 30), due=95),), (YLVA,), ())
        self.assertEqual(readiness(fixed, plain_rule(fixed, LIMITS))["a"].chance, 1.0)
        open_ = Day((work(piece("a1", 60, spread_min=30), piece("a2", 30), due=95),), (YLVA,), ())
        self.assertLess(readiness(open_, plain_rule(open_, LIMITS))["a"].chance, 0.9)

    def test_idle_minutes_are_those_without_work_until_all_is_done(self):
        day = Day((), (YLVA, TORVALD), ())
        plan = Plan((Placed("a", 0, 30, "Ylva"), Placed("b", 50, 60, "Torvald")), "rule")
        self.assertEqual(idle_minutes(day, plan), 2 * 60 - 40)


if __name__ == "__main__":
    unittest.main()
