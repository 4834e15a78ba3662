"""What is known of one part at one place: the reading at the part itself decides, whatever was read from
afar; what stays unexplained then lies between the two."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from frosty_piston.job.judging.result import Result
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import TestFinding

DECIDED = ("sound", "marginal", "failed")
BAD = ("failed", "marginal")
# Which witness is nearer to the thing: one that sees it work, then one that measures at its own terminals.
NEARNESS = {"seen": 2, "at_part": 1}


@dataclass(frozen=True)
class Settled:
    """What the nearest reading says of a part at one cylinder, and what the others said of it; `at_part`:
    those made at the part itself, by identity."""

    part: str
    cylinder: int
    nearest: Result
    others: tuple[Result, ...]
    at_part: frozenset[int]

    @property
    def sound(self) -> bool:
        return self.nearest.judgement.verdict == "sound"

    def overrules(self, verdict: Result) -> bool:
        """Whether the nearest reading says otherwise than another one, or rules out what that one was."""
        own = self.nearest.judgement
        if own.verdict not in DECIDED:
            return verdict.judgement.cls in own.not_these
        return own.verdict != verdict.judgement.verdict

    @property
    def bad_from_afar(self) -> tuple[Result, ...]:
        """The readings that called it failed, although at itself it is not."""
        bad = (v for v in self.others if v.judgement.verdict == "failed")
        return tuple(v for v in bad if self.nearest.judgement.verdict not in BAD and self.overrules(v))


def settled(knowledge: Knowledge, verdicts: Sequence[Result]) -> list[Settled]:
    """Every part of which a reading at itself decided, with what else was read of it.

    Several readings at the part: one that decides before one that only rules something out, then the nearest
    witness, and of equals the last.
    """
    readings: dict[tuple[str, int], list[tuple[bool, int, int, Result]]] = {}
    for order, verdict in enumerate(verdicts):
        cylinder = verdict.where.get("cylinder")
        decides = verdict.judgement.verdict in DECIDED
        if isinstance(cylinder, int) and (decides or verdict.judgement.not_these):
            for known in _of_parts(knowledge, verdict):
                near = NEARNESS.get(known.shape.how, 0)
                readings.setdefault((known.shape.part or "", cylinder), []).append(
                    (decides, near, order, verdict)
                )
    found = []
    for (part, cylinder), of_place in readings.items():
        at_part = [x for x in of_place if x[1]]
        if at_part:
            nearest = max(at_part, key=lambda x: x[:3])[3]
            others = tuple(v for *_, v in of_place if v is not nearest)
            direct = frozenset(id(x[3]) for x in at_part)
            found.append(Settled(part, cylinder, nearest, others, direct))
    return found


def set_aside(places: Sequence[Settled]) -> set[int]:
    """The verdicts, by identity, that say nothing any more: bad from afar, which a bad or a sound part
    explains with what lies between, or read at the part and overruled by a nearer witness. What is sound from
    afar stays: it says that what lies between is sound too, and with a bad part both cannot be."""
    return {
        id(other)
        for place in places
        for other in place.others
        if _at_part(place, other)
        or other.judgement.verdict != "sound"
        and (place.overrules(other) or place.nearest.judgement.verdict in DECIDED)
    }


def at_odds(places: Sequence[Settled]) -> list[tuple[Settled, Result]]:
    """Places at which two readings at the part itself say the opposite, each with the one that was
    overruled."""
    opposite = {"sound", "failed"}
    return [
        (place, other)
        for place in places
        for other in place.others
        if _at_part(place, other) and {other.judgement.verdict, place.nearest.judgement.verdict} == opposite
    ]


def _at_part(place: Settled, verdict: Result) -> bool:
    return id(verdict) in place.at_part


def _of_parts(knowledge: Knowledge, verdict: Result) -> Iterator[TestFinding]:
    """The findings of a verdict that read the state of a part, cylinder by cylinder."""
    for known in knowledge.findings.get(verdict.test, ()):
        points = known.shape.points
        if known.shape.part and (not points or verdict.where.get("point") in points):
            yield known
