"""What a workshop has added to the knowledge: its patterns, its texts for a maker's own codes, the tools it
lacks."""

from dataclasses import dataclass, field
from datetime import datetime

from frosty_piston.job.weighing.own_odds import Own

LEAST_TIMES = 0.2
MOST_TIMES = 5.0


@dataclass(frozen=True)
class Pattern:
    """Experience as odds: on this engine card, this fault is so many times as likely. Who says so, when and
    why."""

    id: int
    engine: str
    fault: str
    times: float
    by: str
    at: datetime
    why: str


@dataclass(frozen=True)
class OwnCode:
    """A maker's own code in the workshop's words."""

    code: str
    text: str
    system: str
    kind: str
    by: str


@dataclass(frozen=True)
class Experience:
    """All of it; empty for a job file by itself. `floors`: what is kept back of a countdown, by its axis;
    `own`: what its own proven jobs teach."""

    patterns: tuple[Pattern, ...] = ()
    codes: dict[str, OwnCode] = field(default_factory=dict)
    lacking: frozenset[str] = frozenset()
    floors: dict[str, float] = field(default_factory=dict)
    own: Own = Own()

    def for_engine(self, name: str) -> tuple[Pattern, ...]:
        return tuple(p for p in self.patterns if p.engine == name)


def capped_times(patterns: tuple[Pattern, ...], fault: str) -> float:
    """How many times as likely all patterns together make a fault: never more than five times either way."""
    times = 1.0
    for p in patterns:
        if p.fault == fault:
            times *= p.times
    return min(MOST_TIMES, max(LEAST_TIMES, times))


NO_EXPERIENCE = Experience()
