"""How the readings of each test are judged, by area of the engine: a table from the test to its judge."""

from collections.abc import Callable

from ..entries import Entry
from ..readings import Readings
from ..result import Result
from . import aftertreatment, air, glow, injection, relay, running, start, vacuum, wiring

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
