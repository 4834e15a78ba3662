"""What a recording says of one thing."""

from dataclasses import dataclass
from typing import Any

from frosty_piston.core.boost import BoostReport
from frosty_piston.core.quantity import Judgement
from frosty_piston.core.traces import Signal

Channels = dict[str, Signal]
Written = tuple[str, dict[str, Any]]


@dataclass(frozen=True, slots=True)
class Analysed:
    """What a recording says of one thing. `test`: the test it answers, empty when it answers none of the
    vocabulary.

    `writes`: kind and data of the entries it makes. `found`: figures to show, name and text. `stretches`:
    where in the recording it was found, from, to in s, and what stands there. `points`: where a reading may
    belong, for the technician to say.
    """

    name: str
    title: str
    test: str
    judgement: Judgement
    writes: tuple[Written, ...] = ()
    found: tuple[tuple[str, str], ...] = ()
    stretches: tuple[tuple[float, float, str], ...] = ()
    points: tuple[str, ...] = ()
    boost: BoostReport | None = None
