"""What is still to do on a job, in its order: the next step, the tests still expected, the work plan, the
proof, and the waits between them. The day plan lays it out."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from frosty_piston.core.cached import cached_property
from frosty_piston.core.countdown import CountdownLimits
from frosty_piston.core.day import DayLimits, Piece, Work, parted
from frosty_piston.core.waiting import WaitLimits
from frosty_piston.core.words import counted, inside, sentence
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Entry
from frosty_piston.job.next_step import WAIT_WORDS, NextStep, wait_says
from frosty_piston.job.place import Page, Part, Place, test_place
from frosty_piston.job.repair.countdown import Countdown, countdown_of
from frosty_piston.job.repair.countdown_count import KM
from frosty_piston.job.repair.decide import Offer, Prices, cylinders_of, weigh_offers
from frosty_piston.job.repair.fit import chosen, missing_pieces, plan_state
from frosty_piston.job.repair.prove import TO_COME
from frosty_piston.job.repair.waits import open_waits, soak_estimate
from frosty_piston.job.repair.work import all_done, plan_of, to_do
from frosty_piston.job.stages import Standing
from frosty_piston.job.weighing.access import COLD, WARMS, access_reached, minutes_to, states
from frosty_piston.job.weighing.proof_evidence import conditions_of
from frosty_piston.job.weighing.proposals import ROAD, NextTest
from frosty_piston.knowledge.repair_shapes import StepShape
from frosty_piston.knowledge.repairs import Option

TASKS = {
    "talk": "Ask the owner, decide, hand over",
    "measure": "Measure and look",
    "fit": "Take apart and fit",
    "road": "Drive on the road",
}
LIFT = "lift"
FLOOR = "floor"
OUTSIDE = "outside"
BAY_KINDS = {LIFT: "Lift", FLOOR: "Floor", OUTSIDE: "Outside"}
ANYWHERE = frozenset(BAY_KINDS)
UNDER_A_ROOF = frozenset({LIFT, FLOOR})
RAISED = ("raised", "undertray_off", "wheel_arch_liner_off")
LEAVES_FROM_MIN = 60
WORKDAY_MIN = 480
MOST_TESTS = 4
STAYS_FOR = ("soak", "bath", "cure", "cool_down", "cold_soak", "routine", "burn", "starter", "charge", "thaw")
OWN_RANGE = 3.0


@dataclass
class _Draft:
    """A piece before it is timed: `key` tells it apart on its job; `cold`: the engine must be cold; `warms`:
    it is not cold afterwards, `cools`: it is; `starts`, `km`: what the countdown pays for it."""

    key: str
    title: str
    minutes: float
    task: str = "talk"
    bays: frozenset[str] = frozenset()
    tools: frozenset[str] = frozenset()
    where: Place | None = None
    wait: bool = False
    lets_out: bool = False
    cold: bool = False
    warms: bool = False
    cools: bool = False
    starts: int = 0
    km: float = 0.0
    spread: float | None = None


@dataclass(frozen=True)
class JobDay:
    """What is still to do on a job. `places`: where each piece is done, by its id; `notes`: what is not laid
    out, and why."""

    work: Work
    places: dict[str, Place | None]
    notes: tuple[str, ...]


def job_day(standing: Standing, name: str, at: datetime, offers: list[Offer]) -> JobDay:
    """Return what is still to do on a job from a moment on. `offers`: what can be done about it, cheapest
    first, as Decide lays it out."""
    return _Following(standing, name, at, offers).made()


def offers_of(standing: Standing, prices: Prices) -> list[Offer]:
    """What can be done about a job, where nothing is picked yet and something was found."""
    if chosen(standing.assessed.job) is not None or standing.proof.status != "none":
        return []
    return weigh_offers(standing.assessed, prices)


class _Following:
    def __init__(self, standing: Standing, name: str, at: datetime, offers: list[Offer]):
        self.standing = standing
        self.name = name
        self.at = at
        self.offers = offers
        self.assessed: Assessed = standing.assessed
        self.job = self.assessed.job
        self.knowledge = self.assessed.knowledge
        self.limits = self.assessed.readings.limits(DayLimits)
        self.first = standing.after_waits
        self.notes: list[str] = []

    def made(self) -> JobDay:
        drafts = list(self._timed(self._chain()))
        prefix = f"{self.job.id}/"
        pieces: list[Piece] = []
        places: dict[str, Place | None] = {}
        for draft in drafts:
            spread = draft.spread if draft.spread is not None else self.limits.spread_share * draft.minutes
            whole = Piece(
                prefix + draft.key,
                self.job.id,
                draft.title[:160],
                max(1, round(draft.minutes)),
                spread,
                draft.wait,
                "" if draft.wait else draft.task,
                draft.bays,
                draft.tools,
                draft.lets_out,
                why="Nobody starts it before: it has to be cold." if draft.cold else "",
            )
            pieces += parted(whole, self.limits.chunk_min)
            places[whole.id] = draft.where
        deadline = self.job.deadline
        due = None if deadline is None else int((deadline.data.until - self.at).total_seconds() // 60)
        per_day = deadline.data.standstill_per_day if deadline else 0
        coin = max(int(self.limits.least_coin_per_min), round(per_day / WORKDAY_MIN))
        return JobDay(Work(self.job.id, self.name, tuple(pieces), due, coin), places, tuple(self.notes))

    # the chain

    def _chain(self) -> Iterator[_Draft]:
        waiting = self._running_wait()
        if waiting is not None:
            yield waiting
            if waiting.minutes <= 0:
                return
        yield from self._after_waits()

    def _after_waits(self) -> Iterator[_Draft]:
        step = self.first
        proof = self.standing.proof
        if step.stage == "arrive":
            yield self._step(step)
            self.notes.append("What follows is known once the complaint and the codes are written down.")
        elif all_done(self.assessed) and proof.status not in ("none", "failed"):
            yield from self._proof_left()
        elif missing_pieces(self.job):
            yield self._step(step)
            self.notes.append("What follows is known once the piece is found.")
        elif chosen(self.job) is not None:
            yield from self._picked()
        else:
            yield from self._look()

    def _look(self) -> Iterator[_Draft]:
        yield self._step(self.first)
        if self.first.kind in ("test", "judge"):
            for n in self._expected_tests():
                yield self._test(n)
        if self.first.kind != "decide":
            yield self._word("decide", "Decide what to repair", Place(Page.DECIDE))
        if not self.offers or self._likely_sound():
            yield self._hand_over()
            return
        best = next((o for o in self.offers if not any(x.shape.temporary for x in o.options)), self.offers[0])
        yield self._word("consent", "Ask the owner", Place(Page.DECIDE, part=Part.CONSENT))
        yield self._answer()
        if (days := max(o.shape.days for o in best.options)) > 0:
            yield self._wait("parts", "parts", days * 24 * 60.0, 0.3, lets_out=True)
        for option in best.options:
            yield from self._fit(option, plan_of(option), cylinders_of(self.assessed, option))
        yield from self._proof_of(best.repairs)

    def _likely_sound(self) -> bool:
        sound = self.assessed.suspicion.sound
        return sound > max(self.assessed.suspicion.repairs_needed.values(), default=0.0)

    def _picked(self) -> Iterator[_Draft]:
        if self.first.stage == "decide":
            yield self._step(self.first)
            yield self._answer()
        work = [w for w in to_do(self.assessed) if w.entry is None]
        for n, w in enumerate(work):
            option = self.knowledge.options[w.option_id]
            begun = self.first if n == 0 and self.first.stage == "fit" else None
            yield from self._fit(option, w.plan.id, w.cylinders, begun)
        yield from self._proof_of(tuple(dict.fromkeys(w.repair for w in to_do(self.assessed))))

    # the tests still expected

    def _expected_tests(self) -> list[NextTest]:
        """The best tests after the first, until what they tell leaves little open."""
        chance = self.assessed.proposals.belief.sets
        groups = np.bincount(self.assessed.proposals.belief.groups, weights=chance)
        groups = groups[groups > 0] / groups.sum()
        open_bits = float(-(groups * np.log2(groups)).sum())
        tests = self.assessed.proposals.next_tests[: MOST_TESTS + 1]
        expected: list[NextTest] = []
        for n, test in enumerate(tests):
            if n and open_bits <= self.limits.sure_bits:
                break
            if n:
                expected.append(test)
            open_bits -= test.gain_bits
        return expected

    def _test(self, next_test: NextTest) -> _Draft:
        shape = self.knowledge.tests[next_test.test]
        road = ROAD in shape.cautions
        key = f"test-{next_test.test}-{'-'.join(map(str, next_test.where.values()))}".rstrip("-")
        return _Draft(
            key,
            next_test.title,
            next_test.minutes,
            "road" if road else "measure",
            self._bays(next_test.access),
            frozenset(next_test.tools),
            test_place(self.knowledge, next_test.test, next_test.where),
            cold=COLD in next_test.access,
            warms=shape.runs or shape.cranks or any(x in WARMS for x in next_test.access),
            starts=int(shape.runs or shape.cranks),
            km=self._drive_km if road else 0.0,
        )

    @property
    def _drive_km(self) -> float:
        return float(self.assessed.readings.limits(CountdownLimits).drive_km)

    def _bays(self, access: Iterable[str]) -> frozenset[str]:
        return frozenset({LIFT}) if any(x in RAISED for x in access) else ANYWHERE

    def _step(self, next_step: NextStep) -> _Draft:
        """The one next step, as it is said everywhere."""
        proves = next_step.where.item if next_step.where.part is Part.PROOF else ""
        if next_step.stage == "prove" and proves in self.knowledge.proofs.conditions:
            return replace(self._condition(proves), title=next_step.does)
        n = (
            self.assessed.proposals.first
            if next_step.kind == "test" and next_step.stage == "measure"
            else None
        )
        if n is not None and n.title == next_step.does:
            return self._test(n)
        task = {
            "arrive": "measure",
            "narrow": "measure",
            "measure": "measure",
            "fit": "fit",
            "prove": "measure",
        }
        if next_step.stage == "fit":
            bays = UNDER_A_ROOF
        elif next_step.stage == "decide":
            bays = frozenset()
        else:
            bays = ANYWHERE
        test = self.knowledge.tests.get(next_step.where.test)
        if next_step.kind == "drive":
            road = self._proof("drive", next_step.does, float(self.limits.drive_min), starts=1)
            return replace(
                road, task="road", bays=frozenset(), where=next_step.where, km=self._drive_km, warms=True
            )
        spot = "-".join(str(v) for v in next_step.where.as_open().values())
        return _Draft(
            f"next-{next_step.stage}-{next_step.kind}-{spot}",
            next_step.does,
            next_step.minutes or float(self.limits.check_min),
            task.get(next_step.stage, "talk"),
            bays,
            frozenset(test.tools) if test else frozenset(),
            next_step.where,
            warms=bool(test and (test.runs or test.cranks)),
            starts=int(bool(test and (test.runs or test.cranks))),
        )

    # words and waits

    def _word(self, key: str, title: str, where: Place) -> _Draft:
        return _Draft(key, title, float(self.limits.word_min), where=where)

    def _hand_over(self) -> _Draft:
        return self._word("handover", "Hand over", Place(Page.PROVE, part=Part.HANDOVER))

    def _wait(
        self, key: str, kind: str, minutes: float, spread: float, what: str = "", lets_out: bool = False
    ) -> _Draft:
        where = Place(Page.FIT, part=Part.WAITS)
        says = sentence(WAIT_WORDS[kind])
        return _Draft(
            f"wait-{key}",
            f"{says}: {inside(what)}" if what else says,
            minutes,
            wait=True,
            lets_out=lets_out,
            cools=kind == "cold_soak",
            where=where,
            spread=spread * minutes,
        )

    def _answer(self) -> _Draft:
        return self._wait("answer", "consent", float(self.limits.answer_min), 0.7)

    def _running_wait(self) -> _Draft | None:
        """The wait that holds the work up; with no end known it is laid out no further."""
        running = [x for x in open_waits(self.job) if x.data.until is None or x.data.until > self.at]
        open_end = next((x for x in running if x.data.until is None), None)
        if open_end is not None:
            self.notes.append(
                f"{self._wait_words(open_end)}: no date is known, so it is laid out no further."
            )
            return self._wait(open_end.id, open_end.data.wait, 0, 0)
        if not running:
            return None
        last = max(running, key=lambda x: x.data.until)
        minutes = -(-(last.data.until - self.at).total_seconds() // 60)
        on_bench = any(w.plan.on_bench for w in to_do(self.assessed))
        out = minutes >= LEAVES_FROM_MIN and not on_bench and last.data.wait not in STAYS_FOR
        return self._wait(last.id, last.data.wait, minutes, 0.0, last.data.what, out)

    def _wait_words(self, entry: Entry) -> str:
        return wait_says(entry.data.wait, entry.data.what)

    # the work plan

    def _fit(
        self, option: Option, plan: str, cylinders: tuple[int, ...], begun: NextStep | None = None
    ) -> Iterator[_Draft]:
        state = plan_state(self.job, self.knowledge, plan, cylinders, option.shape.act)
        left = [s for s in state.steps if s.state in ("open", "begun", "part")]
        repair = self.knowledge.repairs[option.repair].shape
        bays = frozenset({LIFT}) if any(x in RAISED for x in repair.access) else UNDER_A_ROOF
        count = {s.shape.id: len(s.cylinders_left) or (len(cylinders) or 1) for s in left}
        planned = sum(s.shape.minutes * (count[s.shape.id] if s.shape.per_piece else 1) for s in state.steps)
        still = minutes_to(self.knowledge, access_reached(self.job, self.knowledge))
        priced = repair.minutes * option.shape.minutes + sum(still.get(x, 0.0) for x in repair.access)
        longer = min(OWN_RANGE, max(1.0, priced / planned)) if planned else 1.0
        block: list[StepShape] = []
        minutes = 0.0
        for n, step in enumerate(left):
            takes = step.shape.minutes * (count[step.shape.id] if step.shape.per_piece else 1) * longer
            if n == 0 and begun is not None:
                yield replace(
                    self._step(begun), key=f"fit-{plan}-{step.shape.id}", minutes=max(takes, 1), bays=bays
                )
            else:
                block = [*block, step.shape]
                minutes = minutes + takes
            if step.shape.wait and step.shape.id not in self._waited:
                yield from self._block(option, plan, block, minutes, bays)
                block = []
                minutes = 0.0
                yield self._plan_wait(plan, step.shape)
        if not left and begun is not None:
            yield replace(self._step(begun), key=f"fit-{plan}-done")
        yield from self._block(option, plan, block, minutes, bays)

    @cached_property
    def _waited(self) -> set[str]:
        """The steps whose wait was begun already."""
        return {x.data.step for x in self.job.since_failure if x.kind == "wait" and x.data.step}

    def _block(
        self, option: Option, plan: str, block: list[StepShape], minutes: float, bays: frozenset[str]
    ) -> Iterator[_Draft]:
        if block:
            title = f"{option.title}: {inside(block[0].does)}"
            more = f", and {counted(len(block) - 1, 'step')} more" if len(block) > 1 else ""
            where = Place(Page.FIT, part=Part.STEP, item=block[0].id)
            yield _Draft(f"fit-{plan}-{block[0].id}", title + more, max(minutes, 1), "fit", bays, where=where)

    def _plan_wait(self, plan: str, step: StepShape) -> _Draft:
        minutes = step.hours * 60 or float(self.limits.cool_min)
        return self._wait(f"{plan}-{step.id}", str(step.wait), minutes, 0.1)

    # the proof

    def _proof_of(self, repairs: tuple[str, ...]) -> Iterator[_Draft]:
        """The proof of a repair that is still to be done."""
        knowledge = self.knowledge
        limits = self.limits
        yield self._proof("remeasure", "Read again what failed", float(limits.check_min), starts=0)
        for r in dict.fromkeys(key for repair in repairs for key in knowledge.repairs[repair].resets):
            shape = knowledge.proofs.resets[r]
            if shape.always or self.job.engine.choice(shape.card) == "yes":
                yield self._proof(r, shape.does, float(limits.reset_min), starts=0)
        yield self._proof("codes", knowledge.proofs.checks["codes"].does, float(limits.check_min), starts=0)
        for name in conditions_of(self.job, knowledge):
            yield self._condition(name)
        yield self._hand_over()

    def _proof_left(self) -> Iterator[_Draft]:
        """What the proof still misses, the next step first."""
        if self.first.kind == "hand_over":
            yield self._hand_over()
            return
        yield self._step(self.first)
        said = self.first.where.item if self.first.where.part is Part.PROOF else ""
        for step in self.standing.proof.steps:
            if step.needed and step.result in TO_COME and step.id != said and step.id != "remeasure":
                if step.kind == "condition":
                    yield self._condition(step.id)
                else:
                    minutes = self.limits.reset_min if step.kind == "reset" else self.limits.check_min
                    yield self._proof(step.id, step.shape.does, float(minutes), starts=0)
        yield self._hand_over()

    def _proof(self, key: str, title: str, minutes: float, starts: int) -> _Draft:
        where = Place(Page.PROVE, part=Part.PROOF, item=key)
        return _Draft(f"proof-{key}", title, minutes, "measure", ANYWHERE, where=where, starts=starts)

    def _condition(self, name: str) -> _Draft:
        shape = self.knowledge.proofs.conditions[name]
        minutes = float(self.limits.drive_min if shape.drive else self.limits.condition_min) + shape.wait_min
        draft = self._proof(name, shape.does, minutes, starts=1)
        if shape.drive or ROAD in shape.cautions:
            draft = replace(draft, task="road", bays=frozenset(), km=self._drive_km)
        return replace(draft, cold=shape.needs_cold, warms=True)

    # heat, and what the countdown pays

    def _timed(self, chain: Iterable[_Draft]) -> Iterator[_Draft]:
        """The chain with the waits for a cold engine put in, cut where the countdown has nothing left."""
        cold_min = self._cold_min()
        warm = cold_min > 0
        left = self._budget()
        for d in chain:
            if d.cold and warm:
                yield self._wait(f"cold-{d.key}", "cold_soak", cold_min, 0.1)
            if left is not None and (paid := d.starts if left[1] == "starts" else d.km):
                left = (left[0] - paid, left[1])
                if left[0] < 0:
                    self.notes.append(
                        f"Not laid out from “{inside(d.title)}” on: the countdown has not enough left for it."
                    )
                    return
            yield d
            if d.warms:
                warm = True
                cold_min = self._soak_min
            elif d.cold or d.cools:
                warm = False

    @property
    def _soak_min(self) -> float:
        return soak_estimate(self.job, self.assessed.readings.limits(WaitLimits)).cold_h * 60

    def _cold_min(self) -> float:
        """How long it still takes to be cold: nothing when it was said to be; what ran since is not known
        better than by the tape."""
        if COLD in states(self.job, self.knowledge):
            return 0.0
        last = max((x.at for x in self.job.live if x.at), default=None)
        stood = (self.at - last).total_seconds() / 60 if last else 0.0
        return max(0.0, self._soak_min - stood)

    def _budget(self) -> tuple[float, str] | None:
        counts: Countdown | None = countdown_of(self.assessed, self.standing.proof)
        if counts is None:
            return None
        axis = "km" if counts.axis == KM else "starts"
        return counts.budget.left - counts.floor, axis
