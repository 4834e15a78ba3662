"""One plug or all: how soon the next one fails, and what can go wrong on the way out."""

from dataclasses import dataclass
from math import exp, log

SHAPE = 3.0
BREAKAWAY_NM = {"M8": 20.0, "M9": 22.0, "M10": 35.0, "M12": 45.0}
FITTING_NM = {"M8": 9.0, "M9": 12.0, "M10": 15.0, "M12": 22.0}
SNAP_SOUND, SNAP_DEAD = 0.01, 0.04


def life_scale(age: float, failed: int, count: int, shape: float = SHAPE) -> float:
    """Answer the Weibull scale of the plugs from `failed` of `count` dead at this age (km or months).

    ``F = failed/count``, ``scale = age/(-ln(1 - F))^(1/shape)``; with none or all dead ``F = (failed +
    0.5)/(count + 1)``. Raises ValueError when the counts make no sense or the age is not above zero.

    >>> round(life_scale(180_000, 1, 4))
    272668
    """
    if not 0 <= failed <= count or count < 1:
        raise ValueError("failed plugs must lie between 0 and the number of plugs")
    if age <= 0:
        raise ValueError("the age must be above zero")
    share = failed / count if 0 < failed < count else (failed + 0.5) / (count + 1)
    return age / (-log(1 - share)) ** (1 / shape)


def next_failure_chance(
    age: float, failed: int, count: int, ahead: float, left: int | None = None, shape: float = SHAPE
) -> float:
    """Answer the chance that at least one of the plugs left in fails within the distance or time ahead.

    Each survivor: ``1 - exp((age/scale)^k - ((age + ahead)/scale)^k)``; any of `left` (default the sound
    ones).

    >>> round(next_failure_chance(180_000, 1, 4, 20_000), 2)
    0.27
    """
    scale = life_scale(age, failed, count, shape)
    one = 1 - exp((age / scale) ** shape - ((age + ahead) / scale) ** shape)
    return 1 - (1 - one) ** (count - failed if left is None else left)


def new_set_failure_chance(scale: float, count: int, ahead: float, shape: float = SHAPE) -> float:
    """Answer the chance that one of a set of new plugs fails within the distance or time ahead.

    >>> round(new_set_failure_chance(272_668, 4, 20_000), 4)
    0.0016
    """
    return 1 - exp(-count * (ahead / scale) ** shape)


def snap_chance(dead_out: int, sound_out: int, warm: bool = True, oiled: bool = True) -> float:
    """Answer the chance that at least one plug snaps on the way out (general figures).

    4 % for a dead, sooted plug and 1 % for a sound one, when the engine is warm and oil has crept in; twice
    that for each of the two that is left out.

    >>> round(snap_chance(1, 0), 3), round(snap_chance(1, 3), 3), round(snap_chance(1, 0, warm=False), 3)
    (0.04, 0.069, 0.08)
    """
    worse = (1 if warm else 2) * (1 if oiled else 2)
    return 1 - (1 - SNAP_DEAD * worse) ** dead_out * (1 - SNAP_SOUND * worse) ** sound_out


@dataclass(frozen=True, slots=True)
class Torque:
    """A torque in N m, and whether it is the card's or a general figure."""

    nm: float
    general: bool
    thread: str


def breakaway(thread: str | None, card_nm: float | None) -> Torque:
    """Answer at which torque to stop when a plug will not come out.

    >>> breakaway("M10", None).nm, breakaway(None, 18.0).general
    (35.0, False)
    """
    return Torque(card_nm or BREAKAWAY_NM[thread or "M10"], card_nm is None, thread or "M10")


def fitting(thread: str | None, card_nm: float | None) -> Torque:
    """Answer the fitting torque of a plug.

    >>> fitting("M8", None).nm
    9.0
    """
    return Torque(card_nm or FITTING_NM[thread or "M10"], card_nm is None, thread or "M10")
