"""How the readings of each test are judged, by area of the engine: a table from the test to its judge."""

from collections.abc import Callable
from typing import Any

from . import aftertreatment, air, injection, running, vacuum, wiring

JUDGES: dict[str, Callable[..., list[Any]]] = {
    **injection.JUDGES,
    **wiring.JUDGES,
    **air.JUDGES,
    **vacuum.JUDGES,
    **aftertreatment.JUDGES,
    **running.JUDGES,
}
