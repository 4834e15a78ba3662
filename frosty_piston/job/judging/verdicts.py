"""What each reading and outcome of a job is worth: every test judged once, when it is first asked for."""

from collections.abc import Iterable, Mapping
from dataclasses import replace

from frosty_piston.job.entries import Entry
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import UNITS, convert, retold, same_kind
from frosty_piston.knowledge import Knowledge

from . import JUDGES, TAKES_NEVER, Judge
from .readings import Readings
from .recorded import recorded
from .result import Result
from .shades import shaded, shifted
from .wiring import drives


def _as_typed(verdict: Result, units: Mapping[str, str]) -> Result:
    """A verdict on one reading that is printed in the unit in which that was typed."""
    judgement = verdict.judgement
    unit = units.get(verdict.entries[0]) if len(verdict.entries) == 1 else None
    if (
        judgement.value is None
        or not judgement.unit
        or unit in (None, judgement.unit)
        or unit not in UNITS
        or judgement.unit not in UNITS
    ):
        return verdict
    if not same_kind(judgement.unit, str(unit)):
        return verdict
    value = convert(judgement.value, judgement.unit, str(unit))
    u = judgement.uncertainty and abs(
        convert(judgement.value + judgement.uncertainty, judgement.unit, str(unit)) - value
    )
    because = retold(judgement.because, judgement.unit, str(unit))
    return replace(verdict, judgement=replace(judgement, typed=(value, u, str(unit)), because=because))


def _with_note(verdict: Result, notes: Mapping[str, str]) -> Result:
    """A verdict whose reason carries what was written beside its entries."""
    written = [notes[i] for i in verdict.entries if i in notes]
    if not written:
        return verdict
    because = " ".join([verdict.judgement.because, *(f"“{note}”" for note in written)])
    return replace(verdict, judgement=replace(verdict.judgement, because=because))


def _judged(judge: Judge, readings: Readings, latest: list[Entry]) -> list[Result]:
    """The verdicts of a judge; figures that nothing can be worked out from are implausible together."""
    try:
        return judge(readings, latest)
    except (ArithmeticError, ValueError):
        return [readings.unworkable(x) for x in latest]


class Verdicts:
    """The verdicts on the readings among some entries of a job."""

    def __init__(self, job: Job, knowledge: Knowledge, entries: Iterable[Entry]):
        self.readings = Readings(job, knowledge, entries, self.of)
        self._by_test: dict[str, list[Result]] = {}

    def of(self, test: str) -> list[Result]:
        """The verdicts on one test: by its judge, else by what its outcomes mean."""
        if test not in self._by_test:
            latest = self.readings.latest(test)
            judge = JUDGES.get(test)
            said = [] if test in TAKES_NEVER else [v for v in map(self.readings.said, latest) if v]
            impossible = said + [v for v in map(self.readings.impossible, latest) if v]
            barred = {v.entries[0] for v in impossible}
            possible = [x for x in latest if x.id not in barred]
            if possible and judge:
                judged = self._shaded(test, judge, possible)
            else:
                judged = [self.readings.as_recorded(x) for x in possible]
            powered = self.readings.powered
            found = [replace(v, energised=powered.get(v.entries[0])) for v in impossible + judged]
            found = [_as_typed(v, self.readings.units) for v in found]
            self._by_test[test] = [_with_note(v, self.readings.notes) for v in found]
        return self._by_test[test]

    def _shaded(self, test: str, judge: Judge, latest: list[Entry]) -> list[Result]:
        """The verdicts of a judge, and what it would call figures that lie a little beside those."""
        shape = self.readings.knowledge.tests[test]
        found = _judged(judge, self.readings, latest)
        if not shape.edges:
            return found

        def judged_at(by: float) -> list[Result]:
            moved = {x.id: shifted(x, shape, by) for x in self.readings.all_of(test)}
            return _judged(judge, self.readings.with_these(moved), [moved[x.id] for x in latest])

        return shaded(found, judged_at)

    def all(self) -> list[Result]:
        """Every verdict, recordings and drives with them, in the order of the entries."""
        order = {x.id: i for i, x in enumerate(self.readings.entries)}
        tests = self.readings.tests
        verdicts = [v for test in tests for v in self.of(test)] + recorded(self.readings)
        if "code_return" not in tests:
            verdicts += drives(self.readings)
        return sorted(verdicts, key=lambda v: (order.get(v.entries[0], 0), str(v.where)))
