"""After an exercise: what each act told, the way that the proposals would have gone, the shortest that would
have been enough, how sure somebody was and how rightly, and the one thing to learn."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from frosty_piston.core.errors import BadInput
from frosty_piston.core.learning import brier
from frosty_piston.core.quantity import percent
from frosty_piston.core.words import counted, inside, listed
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.weighing import access
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import TestFinding
from frosty_piston.knowledge.training_shapes import LessonShape
from frosty_piston.rig.technician import MOST_STEPS, proposed, thought
from frosty_piston.rig.testing import Entry

from .exercise import (
    ENDS_WHEN_STARTED,
    Act,
    Bay,
    Fitted,
    Offered,
    Spec,
    Sure,
    begin,
    do,
    offer,
    offered,
    title_of,
    whole_coins,
)

ENOUGH = 0.8
MOST_TELLING = 4
MOST_QUICK = 12
TOLD_FROM = 0.02
AS_GOOD = 0.8
TELLS_APART = 0.3
EARLY_FROM = 75
LONG_FROM = 2
DEAR_FROM = 1.5
NOTHING = "Nothing is wrong"


@dataclass(frozen=True)
class Step:
    """One act as it is looked back on: when it was done, what it took, and what it did to the odds of the
    truth. `told`: whether it moved them."""

    does: str
    at: float
    minutes: float
    before: float
    after: float
    told: bool
    test: str = ""


@dataclass(frozen=True)
class Way:
    """A way through the vehicle: its tests, minutes of work, and whether it led to the right repair."""

    steps: tuple[str, ...]
    minutes: float
    right: bool
    repair: str = ""


@dataclass(frozen=True)
class Afterwards:
    """Everything that is said afterwards. `best`: None where no one or two tests would have been enough;
    `sure`: what was stated, in shares, with whether it was so; `cured`: nothing is wrong with it any
    more."""

    faults: tuple[str, ...]
    lesson: str
    cured: bool
    ended: str
    minutes: float
    waited: float
    money: int
    tests: int
    looks: int
    wrong_parts: tuple[str, ...]
    wrong_money: int
    steps: tuple[Step, ...]
    proposals: Way
    best: Way | None
    sure: tuple[tuple[float, bool], ...]
    score: float | None
    early: tuple[str, ...]
    long: int
    learn: str
    shelf: str

    def plain(self) -> dict[str, Any]:
        return asdict(self)


def tape_of(bay: Bay, acts: int | None = None) -> list[Entry]:
    """What stands on the tape after so many acts, what was recorded judged as it was."""
    upto = len(bay.written) if acts is None else acts + 1
    return [entry for entries in bay.written[:upto] for entry in entries]


def _odds(assessed: Assessed, faults: Sequence[str], knowledge: Knowledge) -> float:
    """The odds of the truth: of the repair that is least thought of among those it needs; of nothing at all,
    where nothing is wrong."""
    needed = assessed.suspicion.repairs_needed
    if not faults:
        return 1 - max(needed.values(), default=0.0)
    return min(needed.get(knowledge.repair_of[f], 0.0) for f in faults)


def by_hand(spec: Spec, acts: Sequence[Act], knowledge: Knowledge, rate: int) -> Bay:
    """The same acts, with what was recorded written down as somebody who reads it rightly would."""
    bay = begin(spec, knowledge, rate)
    bay.by_hand = True
    for act in acts:
        do(bay, act)
    return bay


def look_back(spec: Spec, acts: Sequence[Act], knowledge: Knowledge, rate: int) -> Afterwards:
    """Look back on an exercise that is over."""
    bay = by_hand(spec, acts, knowledge, rate)
    faults = spec.vehicle(knowledge).faults
    steps = _steps(bay, faults, knowledge)
    proposals = _proposed_way(spec, knowledge, rate)
    wrong = [f for f in bay.fitted if not f.right]
    stated = [(s.percent / 100, s.right) for s in bay.sure]
    early = tuple(_early(s, knowledge) for s in bay.sure if s.percent >= EARLY_FROM and not s.right)
    long = _went_on(bay)
    key, lesson = spec.lesson(knowledge)
    learn, shelf = _learn(
        bay, lesson, faults, wrong=wrong, steps=steps, proposals=proposals, early=early, long=long
    )
    return Afterwards(
        faults,
        key,
        not bay.vehicle.faults,
        ended=bay.ended,
        minutes=bay.minutes,
        waited=bay.waited,
        money=bay.money,
        tests=len(bay.tests),
        looks=bay.looks,
        wrong_parts=tuple(f.title for f in wrong),
        wrong_money=sum(f.money + whole_coins(rate * f.minutes / 60) for f in wrong),
        steps=steps,
        proposals=proposals,
        best=_best_way(spec, knowledge, rate, faults),
        sure=tuple(stated),
        score=brier([p for p, _ in stated], [t for _, t in stated]),
        early=early,
        long=long,
        learn=learn,
        shelf=shelf,
    )


def _early(sure: Sure, knowledge: Knowledge) -> str:
    what = inside(knowledge.repairs[sure.repair].title) if sure.repair else inside(NOTHING)
    return f"{sure.percent} % after {counted(sure.when, 'test')}: {what}"


def _went_on(bay: Bay) -> int:
    """Tests that were made once somebody was rightly sure, before anything was fitted."""
    first = next((s for s in bay.sure if s.right and s.percent >= EARLY_FROM), None)
    if first is None:
        return 0
    fitted = next((f.act for f in bay.fitted if f.right), len(bay.acts) + 1)
    return sum(first.act < t.act < fitted for t in bay.tests)


def _steps(bay: Bay, faults: Sequence[str], knowledge: Knowledge) -> tuple[Step, ...]:
    """Each act that told something or cost something, until the first part that cured."""
    steps = []
    before = _odds(thought(bay.vehicle, tape_of(bay, 0), knowledge), faults, knowledge)
    cured_at = next((f.act for f in bay.fitted if f.right), len(bay.acts) + 1)
    for number, act in enumerate(bay.acts, 1):
        if act["act"] in ("look", "sure"):
            continue
        after = before
        if bay.written[number] and number < cured_at:
            after = _odds(thought(bay.vehicle, tape_of(bay, number), knowledge), faults, knowledge)
        took = bay.clock[number] - bay.clock[number - 1]
        told = abs(after - before) >= TOLD_FROM
        steps.append(
            Step(_does(bay, number), bay.clock[number], took, before, after, told, str(act.get("test", "")))
        )
        before = after
    return tuple(steps)


def _does(bay: Bay, number: int) -> str:
    act = bay.acts[number - 1]
    if act["act"] == "test":
        return title_of(
            bay.knowledge, str(act["test"]), {p: str(act[p]) for p in ("point", "node") if act.get(p)}
        )
    return bay.says[number] or str(act["act"]).replace("_", " ").capitalize()


def close_up(bay: Bay) -> None:
    """Put back what must be on before it is started."""
    for off in sorted(bay.off & set(ENDS_WHEN_STARTED)):
        do(bay, {"act": "back", "access": off})


def _ready(bay: Bay, one: Offered) -> None:
    """Reach what a test needs, and put back what must be on before it runs."""
    warms = access.HOT in bay.missing(one.test, one.where)
    if warms or bay.runs(one.test, one.where) or bay.knowledge.tests[one.test].cranks:
        close_up(bay)
    for what in bay.missing(one.test, one.where):
        do(bay, {"act": "reach", "access": what})
        if bay.piece:
            do(bay, {"act": "search"})


def make_test(bay: Bay, one: Offered) -> None:
    """Make a test with everything that it needs before. Raises BadInput where it cannot be made."""
    _ready(bay, one)
    do(bay, {"act": "test", "test": one.test, **one.where, "ticks": list(one.ticks)})


def _scanned(spec: Spec, knowledge: Knowledge, rate: int) -> Bay:
    return by_hand(spec, [{"act": "scan"}], knowledge, rate)


def named_test(bay: Bay, test: str, where: dict[str, str]) -> Offered | None:
    """The test that is proposed, among those that can be made here."""
    asked = {key: value for key, value in where.items() if key != "channel"}
    mine = [there for made, there in bay.places if made == test]
    if asked in mine:
        there = asked
    elif mine:
        there = mine[0]
    else:
        there = None
    return None if there is None else offer(bay, test, there)


def _proposed_way(spec: Spec, knowledge: Knowledge, rate: int) -> Way:
    """What the proposals would have asked for on this vehicle, one after the other, until they say decide."""
    bay = _scanned(spec, knowledge, rate)
    made = dict[str, int]()
    titles: list[str] = []
    faults = bay.vehicle.faults
    assessed = thought(bay.vehicle, tape_of(bay), knowledge)
    while len(titles) < MOST_STEPS and (step := proposed(assessed)) and not bay.ended:
        one = named_test(bay, *step)
        if one is None or made.get(one.title, 0) > 1:
            break
        made[one.title] = made.get(one.title, 0) + 1
        try:
            make_test(bay, one)
        except BadInput:
            break
        titles.append(one.title)
        assessed = thought(bay.vehicle, tape_of(bay), knowledge)
    repair, odds = next(iter(assessed.suspicion.repairs_needed.items()), ("", 0.0))
    right = repair in {knowledge.repair_of[f] for f in faults} if faults else odds <= 0.5
    says = knowledge.repairs[repair].title if repair and (faults or odds > 0.5) else NOTHING
    return Way(tuple(titles), bay.minutes, right, says)


def _best_way(spec: Spec, knowledge: Knowledge, rate: int, faults: Sequence[str]) -> Way | None:
    """The fewest minutes after which the truth stood at four in five, knowing it: one test of those that show
    what is wrong, else two, the one among those that told most. None where two are not enough, and where
    nothing is wrong."""
    if not faults:
        return None
    shows = {
        t for t, found in knowledge.findings.items() if any(set(faults) & set(f.finding.shows) for f in found)
    }
    scanned = _scanned(spec, knowledge, rate)
    single = [(o,) for o in offered(scanned) if o.test in shows]
    ones = [tried for tests in single if (tried := _tried(scanned, faults, tests))]
    enough = [t for t in ones if t.odds >= ENOUGH]
    if not enough:
        told = sorted(ones, key=lambda t: -t.odds)[:MOST_TELLING]
        quick = sorted(ones, key=lambda t: t.minutes)[:MOST_QUICK]
        pairs = {frozenset((a.tests[0].title, b.tests[0].title)): (a, b) for a in told for b in quick}
        both = [(*a.tests, *b.tests) for a, b in pairs.values() if a is not b]
        second = [tried for tests in both if (tried := _tried(scanned, faults, tests))]
        enough = [t for t in second if t.odds >= ENOUGH]
    best = min(enough, key=lambda t: t.minutes, default=None)
    return None if best is None else Way(tuple(o.title for o in best.tests), best.minutes, True)


@dataclass(frozen=True)
class _Tried:
    """Some tests that were made: their minutes, and how the truth stood afterwards."""

    tests: tuple[Offered, ...]
    minutes: float
    odds: float


def _tried(scanned: Bay, faults: Sequence[str], tests: tuple[Offered, ...]) -> _Tried | None:
    """Make some tests on the vehicle as it came in; None where they cannot be made."""
    bay = scanned.copied()
    try:
        for one in tests:
            make_test(bay, one)
    except BadInput:
        return None
    if bay.ended or len(bay.tests) < len(tests):
        return None
    return _Tried(
        tests, bay.minutes, _odds(thought(bay.vehicle, tape_of(bay), bay.knowledge), faults, bay.knowledge)
    )


def _learn(
    bay: Bay,
    lesson: LessonShape,
    faults: Sequence[str],
    wrong: Sequence[Fitted],
    steps: Sequence[Step],
    proposals: Way,
    early: Sequence[str],
    long: int,
) -> tuple[str, str]:
    """The one thing to learn, and where on the Shelf it stands: what hurts first, then what cost most."""
    knowledge = bay.knowledge
    if ending := knowledge.training.endings.get(bay.ended):
        return ending.learn, "cautions"
    if wrong:
        return _of_wrong_part(bay, lesson, faults, wrong[0])
    if bay.vehicle.faults:
        left = bay.vehicle.faults[0]
        learn = lesson.learn if lesson.kind == "trap" and lesson.learn else ""
        return (
            learn or f"{knowledge.faults[left].title} was left: {knowledge.faults[left].shows}.",
            f"faults/{left}",
        )
    if early:
        return f"Sure too early: {early[0]}, and it was not so. Ask what would show you wrong.", "tests"
    if long >= LONG_FROM:
        says = f"You were rightly sure, and made {counted(long, 'test')} more. Repair, and prove it."
        return says, "tests"
    silent = max((s for s in steps if s.test and not s.told), key=lambda s: s.minutes, default=None)
    if silent and proposals.minutes and bay.minutes > DEAR_FROM * proposals.minutes:
        says = f"{silent.does} took {counted(round(silent.minutes), 'minute')} and told nothing here."
        return f"{says} Ask of a test what it can change before it is made.", f"tests/{silent.test}"
    return lesson.learn or "Nothing to mend: this is how it is done.", lesson.shelf or "tests"


def _of_wrong_part(bay: Bay, lesson: LessonShape, faults: Sequence[str], wrong: Fitted) -> tuple[str, str]:
    knowledge = bay.knowledge
    title = inside(wrong.title)
    if found := _would_have_told(bay, faults, wrong):
        one, minutes = found
        took = counted(round(minutes), "minute")
        return f"Bought and not needed: {title}. {one.title} would have told, in {took}.", f"tests/{one.test}"
    if lesson.kind == "trap" and lesson.learn:
        return lesson.learn, lesson.shelf
    true = listed([inside(knowledge.faults[f].title) for f in faults]) or "nothing at all"
    says = f"Bought and not needed: {title}. It was {true}, and you stood at {percent(wrong.sure / 100)}."
    return says, f"faults/{faults[0]}" if faults else "tests"


def _would_have_told(bay: Bay, faults: Sequence[str], wrong: Fitted) -> tuple[Offered, float] | None:
    """The quickest test, not made before, that tells the part that was bought from what was wrong."""
    knowledge = bay.knowledge
    start = begin(bay.spec, bay.knowledge, bay.rate)
    before = {(t.test, str(t.where)) for t in bay.tests if t.act < wrong.act}
    told = [
        (option, apart)
        for option in offered(start)
        if (option.test, str(option.where)) not in before
        if (apart := _apart(knowledge, option, knowledge.repairs[wrong.repair].cures, faults)) >= TELLS_APART
    ]
    best = max((apart for _, apart in told), default=0.0)
    ways = [
        (o.minutes + sum(knowledge.access[a].minutes for a in o.missing), o)
        for o, apart in told
        if apart >= AS_GOOD * best
    ]
    minutes, one = min(ways, key=lambda x: x[0], default=(0.0, None))
    return None if one is None else (one, minutes)


def _apart(knowledge: Knowledge, one: Offered, bought: Sequence[str], true: Sequence[str]) -> float:
    """How much surer a test shows the part that was bought, were it bad, than what was wrong."""
    return max(
        (_shown(f, bought) - _shown(f, true) for f in knowledge.findings[one.test] if _is_made(one, f)),
        default=0.0,
    )


def _is_made(one: Offered, known: TestFinding) -> bool:
    """Whether a test at a place makes a finding."""
    point = one.where.get("point")
    node = one.where.get("node")
    return (not point or point in known.shape.points) and (not node or node in known.shape.nodes)


def _shown(known: TestFinding, faults: Sequence[str]) -> float:
    """How likely a finding shows anything with some faults; where none of them is listed, by chance."""
    rows = [known.finding.shows[f] for f in faults if f in known.finding.shows]
    return max((float(row[1:].sum()) for row in rows), default=float(known.finding.general[1:].sum()))
