"""Which cylinders a repair is about: those that its tests condemned, and whether they were read at the part
itself."""

from collections.abc import Sequence
from dataclasses import dataclass

from frosty_piston.job.judging.result import Result, latest_of_each
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.completeness import proving_tests

from .places import BAD, settled


def tests_of(knowledge: Knowledge, repair: str) -> tuple[str, ...]:
    """The tests that show whether a repair is needed: those its table names, and those that can find what it
    cures."""
    shape = knowledge.repairs[repair]
    tests = [*shape.shape.remeasure, *(shape.shape.at_part.tests if shape.shape.at_part else ())]
    return tuple(
        dict.fromkeys(
            [*tests, *(test for fault in shape.cures for test, *_ in proving_tests(knowledge, fault))]
        )
    )


@dataclass(frozen=True)
class Condemned:
    """The cylinders that a repair is about, with the class each was given; `afar`: those never read at the
    part itself; `contradicted`: one was bad from afar and sound at itself."""

    classes: dict[int, str]
    afar: frozenset[int]
    contradicted: bool = False

    @property
    def confirmed(self) -> bool:
        """Whether the same was found at one of the parts themselves, and nowhere else at one of them: then
        the wires between are not what fails."""
        at_it = {cls for c, cls in self.classes.items() if c not in self.afar}
        return not self.contradicted and bool(at_it) and set(self.classes.values()) <= at_it

    @property
    def cylinders(self) -> tuple[int, ...]:
        return tuple(sorted(self.classes))


def condemned(knowledge: Knowledge, repair: str, verdicts: list[Result]) -> Condemned:
    """Return which cylinders the tests of a repair condemn. One that is sound at the part itself is not
    condemned by what was read elsewhere."""
    if repair not in knowledge.repairs:
        return Condemned({}, frozenset())
    at_part = knowledge.repairs[repair].shape.at_part
    tests = tests_of(knowledge, repair)
    bad: dict[int, str] = {}
    at_it: set[int] = set()
    cleared: set[int] = set()
    for verdict in verdicts:
        cylinder = verdict.where.get("cylinder")
        if not isinstance(cylinder, int) or verdict.test not in tests:
            continue
        here = (
            at_part is None or verdict.test in at_part.tests or verdict.where.get("point") in at_part.points
        )
        if verdict.judgement.verdict in BAD:
            bad.setdefault(cylinder, verdict.judgement.cls)
            at_it |= {cylinder} if here else set()
        elif here and at_part is not None and verdict.judgement.verdict == "sound":
            cleared.add(cylinder)
    bad = {c: cls for c, cls in bad.items() if c not in cleared or c in at_it}
    contradicted = bool(cleared & set(bad) - at_it)
    for place in settled(knowledge, [v for v in verdicts if v.test in tests]):
        if place.nearest.judgement.verdict in BAD or place.bad_from_afar or place.sound:
            bad.pop(place.cylinder, None)
        contradicted = contradicted or bool(place.bad_from_afar)
        if place.nearest.judgement.verdict in BAD:
            bad[place.cylinder] = place.nearest.judgement.cls
            at_it.add(place.cylinder)
    return Condemned(bad, frozenset(set(bad) - at_it), contradicted)


def failed_cylinders(knowledge: Knowledge, judged: Sequence[list[Result]], repair: str) -> set[int]:
    """The cylinders that the tests of a repair condemned in some times of a job."""
    return set(condemned(knowledge, repair, latest_of_each(judged)).classes)
