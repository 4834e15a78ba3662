"""One plug or all: how soon the next one fails, and what can go wrong on the way out."""

from collections.abc import Mapping
from dataclasses import dataclass
from math import exp, log

from .limits import Limit

GENERAL_THREAD = "M10"


@dataclass(frozen=True, slots=True, eq=False)
class PlugLifeLimits:
    """Wear of glow plugs and what it takes to get one out: shape of their life, chances that one snaps, what
    each omission multiplies them by, torques in N m by thread."""

    life_shape: Limit
    snap_sound_share: Limit
    snap_dead_share: Limit
    snap_worse_times: Limit
    breakaway_nm: Mapping[str, Limit]
    fitting_nm: Mapping[str, Limit]


def life_scale(age: float, failed: int, count: int, shape: float) -> float:
    """Return the Weibull scale of the plugs from `failed` of `count` dead at this age (km or months).

    ``F = failed/count``, ``scale = age/(-ln(1 - F))^(1/shape)``; with none or all dead ``F = (failed +
    0.5)/(count + 1)``. Parameters: age in km or months (> 0); plugs dead and in all; shape of the wear, 3 in
    general. Raises ValueError when the counts make no sense or the age is not above zero. Source: Weibull's
    law of wear.

    >>> round(life_scale(180_000, 1, 4, 3))
    272668
    """
    if not 0 <= failed <= count or count < 1:
        raise ValueError("failed plugs must lie between 0 and the number of plugs")
    if age <= 0:
        raise ValueError("the age must be above zero")
    share = failed / count if 0 < failed < count else (failed + 0.5) / (count + 1)
    return float(age / (-log(1 - share)) ** (1 / shape))


def next_failure_chance(
    age: float, failed: int, count: int, ahead: float, shape: float, left: int | None = None
) -> float:
    """Return the chance that at least one of the plugs left in fails within the distance or time ahead.

    Each survivor: ``1 - exp((age/scale)^k - ((age + ahead)/scale)^k)``; any of `left` (default the sound
    ones). Parameters: `age`: age in km or months, above 0; `failed`: plugs that are dead; `count`: plugs in
    all; `ahead`: distance or time ahead in the unit of the age; `shape`: shape of the wear, 3 in general;
    `left`: how many are left in. Raises ValueError as `life_scale` does. Source: Weibull's law of wear.

    >>> round(next_failure_chance(180_000, 1, 4, 20_000, 3), 2)
    0.27
    """
    scale = life_scale(age, failed, count, shape)
    one = 1 - exp((age / scale) ** shape - ((age + ahead) / scale) ** shape)
    return 1 - (1 - one) ** (count - failed if left is None else left)


def new_set_failure_chance(scale: float, count: int, ahead: float, shape: float) -> float:
    """Return the chance that one of a set of new plugs fails within the distance or time ahead.

    Parameters: `scale`: scale of their life; `count`: how many new ones; `ahead`: distance or time ahead in
    the unit of the age; `shape`: shape of the wear, 3 in general. Source: Weibull's law of wear.

    >>> round(new_set_failure_chance(272_668, 4, 20_000, 3), 4)
    0.0016
    """
    return 1 - exp(-count * (ahead / scale) ** shape)


def snap_chance(
    dead_out: int, sound_out: int, limits: PlugLifeLimits, warm: bool = True, oiled: bool = True
) -> float:
    """Return the chance that at least one plug snaps on the way out (general figures).

    4 % for a dead, sooted plug and 1 % for a sound one, when the engine is warm and oil has crept in; twice
    that for each of the two that is left out.

    Parameters: `dead_out`: dead plugs to take out; `sound_out`: sound plugs to take out; `limits`: the limits
    of the area; `warm`: whether the engine is warm; `oiled`: whether oil has crept in. Source: general,
    `figures/plug_life.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(PlugLifeLimits)
    >>> [round(snap_chance(1, n, limits, warm), 3) for n, warm in ((0, True), (3, True), (0, False))]
    [0.04, 0.069, 0.08]
    """
    worse = (1 if warm else limits.snap_worse_times) * (1 if oiled else limits.snap_worse_times)
    return (
        1
        - (1 - limits.snap_dead_share * worse) ** dead_out
        * (1 - limits.snap_sound_share * worse) ** sound_out
    )


@dataclass(frozen=True, slots=True)
class Torque:
    """A torque in N m, and whether it is the card's or a general figure."""

    nm: float
    general: bool
    thread: str


def breakaway(thread: str | None, card_nm: float | None, limits: PlugLifeLimits) -> Torque:
    """Return at which torque to stop when a plug will not come out.

    Parameters: `thread`: thread as M10, None is taken as M10; `card_nm`: the card's torque in N m, None when
    it has none; `limits`: the limits of the area. Raises KeyError for a thread that is not listed. Source:
    the card, or general, `figures/plug_life.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(PlugLifeLimits)
    >>> breakaway("M10", None, limits).nm, breakaway(None, 18.0, limits).general
    (35.0, False)
    """
    return _torque(thread, card_nm, limits.breakaway_nm)


def fitting(thread: str | None, card_nm: float | None, limits: PlugLifeLimits) -> Torque:
    """Return the fitting torque of a plug.

    Parameters: `thread`: thread as M10, None is taken as M10; `card_nm`: the card's torque in N m, None when
    it has none; `limits`: the limits of the area. Raises KeyError for
    a thread that is not listed. Source: as of `breakaway`.

    >>> from frosty_piston.knowledge.figures import general
    >>> fitting("M8", None, general(PlugLifeLimits)).nm
    9.0
    """
    return _torque(thread, card_nm, limits.fitting_nm)


def _torque(thread: str | None, card_nm: float | None, by_thread: Mapping[str, Limit]) -> Torque:
    of_thread = by_thread[thread or GENERAL_THREAD]
    nm = of_thread.value if card_nm is None else card_nm
    return Torque(nm, card_nm is None, thread or GENERAL_THREAD)
