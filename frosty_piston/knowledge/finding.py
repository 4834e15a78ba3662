"""What a test, a symptom or a code speaks for, as the knowledge files say it."""

from dataclasses import dataclass, field

import numpy as np

from frosty_piston.core.cached import cached_property
from frosty_piston.core.suspects.space import Finding

from .shapes import FindingShape, WitnessShape

LEAST_OF_ALARM = 8
NOT_SEEN = "not_seen"
SEEN = "seen"
OF_ALL = "all_"


@dataclass(frozen=True)
class CodeEntry:
    """A known code in our own words. `group` is empty for a code that only this workshop has described.
    `cylinder`: the one it names."""

    code: str
    title: str
    system: str
    kind: str
    group: str
    cylinder: int | None = None


@dataclass(frozen=True, eq=False)
class TestFinding:
    """What one test, at some points, speaks for. `lesser`: each outcome by itself, seen beside a worse one or
    not. `between`: bad from afar and sound here, a yes or no, where that speaks for anything. `by_state`:
    its outcomes in each state of the line that it looks at, each shape (K,)."""

    test: str
    shape: FindingShape
    witness: WitnessShape
    finding: Finding
    lesser: dict[str, Finding]
    between: Finding | None = None
    file: str = ""
    by_state: dict[str, np.ndarray] = field(default_factory=dict)

    def seen_at(self, places: int, outcome: str) -> Finding:
        """The finding when an outcome was seen at so many places: the number of bad ones counts."""
        return self._again(self.finding, places, outcome)

    def between_at(self, places: int) -> Finding:
        """Bad from afar and sound here, at so many places. Raises AssertionError when that speaks for
        nothing."""
        assert self.between is not None
        return self._again(self.between, places, SEEN)

    def _again(self, finding: Finding, places: int, outcome: str) -> Finding:
        if places < 2 or outcome == finding.outcomes[0]:
            return finding
        key = (finding.id, places, outcome)
        if key not in self._repeated:
            w = self.witness
            least = w.false_alarm / LEAST_OF_ALARM
            self._repeated[key] = finding.repeated(outcome, places, w.repeats, least)
        return self._repeated[key]

    @cached_property
    def _repeated(self) -> dict[tuple[str, int, str], Finding]:
        return {}
