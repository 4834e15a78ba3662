"""How the readings of each test are judged, by area of the engine: a table from the test to its judge."""

from collections.abc import Callable

from frosty_piston.job.entries import Entry

from . import aftertreatment, air, glow, injection, relay, running, start, vacuum, wiring
from .readings import Readings
from .result import Result

# Tests of two halves: that one was never reached means something beside the other.
TAKES_NEVER = ("swirl_compare",)
Judge = Callable[[Readings, list[Entry]], list[Result]]
JUDGES: dict[str, Judge] = {
    **glow.JUDGES,
    **relay.JUDGES,
    **start.JUDGES,
    **injection.JUDGES,
    **wiring.JUDGES,
    **air.JUDGES,
    **vacuum.JUDGES,
    **aftertreatment.JUDGES,
    **running.JUDGES,
}
# What every judge may answer.
OF_EVERY_JUDGE = ("sound", "unclear", "implausible", "recorded", "never", "not_possible")
ANSWERS: dict[str, tuple[str, ...]] = {
    **glow.ANSWERS,
    **relay.ANSWERS,
    **start.ANSWERS,
    **injection.ANSWERS,
    **wiring.ANSWERS,
    **air.ANSWERS,
    **vacuum.ANSWERS,
    **aftertreatment.ANSWERS,
    **running.ANSWERS,
}
