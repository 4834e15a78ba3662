"""Where a fault is that can be at many things: one wire of many, one output stage of many. A code or a bad
reading names the place, and what is sound somewhere else clears nothing."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from frosty_piston.core.cached import cached_property
from frosty_piston.core.suspects.space import Finding
from frosty_piston.core.telling import TellingLimits
from frosty_piston.core.words import inside
from frosty_piston.job.judging.result import Result
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.finding import TestFinding

from .codes_seen import CodeSeen

BAD = ("failed", "marginal")


@dataclass(frozen=True)
class Addresses:
    """The places of the faults of one job that can be at many things.

    `codes`: those that bear; `verdicts`: the tests of the same time.
    """

    job: Job
    knowledge: Knowledge
    codes: Sequence[CodeSeen]
    verdicts: Sequence[Result]

    def found_sound(self, known: TestFinding, finding: Finding) -> Finding:
        """A finding as it is weighed when it came out sound: what it did not reach it does not clear."""
        return self._weighed(known, finding)

    def to_come(self, known: TestFinding, finding: Finding) -> Finding:
        """A finding as it is weighed before the test is made: it finds what is here."""
        return self._weighed(known, finding)

    def likeliest(self, fault: str) -> str | None:
        """The part at which a fault is most likely; None where nothing names one."""
        named = self._named.get(fault, ())
        return max(named, key=lambda part: self._bad_at.count(part)) if named else None

    def in_words(self, fault: str) -> str:
        """Where a fault is likeliest: the part read bad, else what the code is of; empty where nothing names
        one."""
        part = self.likeliest(fault)
        if part is None:
            return ""
        if part in self._bad_at:
            return inside(self.knowledge.parts[part].title)
        naming = (c.group for c in self.codes if part in self._named_by(c).get(fault, ()))
        return inside(self.knowledge.groups[next(naming)].title)

    def here(self, fault: str, parts: Collection[str]) -> float:
        """How likely a fault, if it is there, is at one of some parts: 0 to 1. Codes and bad readings name
        parts, and name the right one as often as `address_named` says; named none, every part is as likely.
        At the control unit the wires of all of them end."""
        if self.knowledge.faults[fault].part in parts:
            return 1.0
        of_card = [part for part in self.knowledge.addresses[fault] if self._fitted(part)]
        reached = set(parts).intersection(of_card)
        named = self._named.get(fault, frozenset())
        others = len(of_card) - len(named)
        right = self._right if named and others > 0 else float(bool(named))
        share = right * len(reached & named) / len(named) if named else 0.0
        return min(1.0, share + (1 - right) * len(reached - named) / max(1, others))

    @cached_property
    def _right(self) -> float:
        return float(self.knowledge.limits(TellingLimits, self.job.engine.limits).address_named)

    @cached_property
    def _named(self) -> dict[str, frozenset[str]]:
        """The parts that codes and bad readings name, by fault."""
        named: dict[str, set[str]] = {}
        for code in self.codes:
            for fault, parts in self._named_by(code).items():
                named.setdefault(fault, set()).update(parts)
        for fault in self.knowledge.addresses:
            named.setdefault(fault, set()).update(self._bad_at)
        return {
            f: frozenset(p for p in parts if p in self.knowledge.addresses[f]) for f, parts in named.items()
        }

    def _named_by(self, code: CodeSeen) -> dict[str, frozenset[str]]:
        return self.knowledge.named_by_group.get(code.group, {}) if code.place == "bears" else {}

    @cached_property
    def _bad_at(self) -> tuple[str, ...]:
        """The parts at which a pin or a signal was read bad."""
        bad = (v for v in self.verdicts if v.judgement.verdict in BAD and v.where.get("node"))
        nodes = (self.knowledge.nodes.get(str(v.where["node"])) for v in bad)
        return tuple(node.part for node in nodes if node is not None)

    def _fitted(self, part: str) -> bool:
        """Whether this engine card has a part: what its faults need is not ruled out."""
        of_part = [x for x in self.knowledge.faults.values() if x.part == part]
        return not of_part or any(not self.job.engine.rules_out(x.needs) for x in of_part)

    def _weighed(self, known: TestFinding, finding: Finding) -> Finding:
        faults = self.knowledge.addresses.keys() & finding.shows.keys()
        parts = self.knowledge.parts_reached(known)
        if not faults or not parts:
            return finding
        there = tuple((fault, round(self.here(fault, parts), 3)) for fault in sorted(faults))
        return if_here(finding, there)


@lru_cache(maxsize=2048)
def if_here(finding: Finding, there: Iterable[tuple[str, float]]) -> Finding:
    """A finding that shows a fault only if the fault is where the test looks; elsewhere it shows what it
    shows without the fault. `there`: each fault with how likely it is here, 0 to 1."""
    shows = dict(finding.shows)
    for fault, chance in there:
        shows[fault] = chance * shows[fault] + (1 - chance) * finding.general
    return replace(finding, shows=shows)
