"""The countdown of the emission control: what is left of it, and what is planned against it."""

from dataclasses import dataclass

from .limits import Limit


@dataclass(frozen=True, slots=True)
class CountdownLimits:
    """What a workshop keeps back, and when it is warned: km and starts; what a drive takes whose length is
    not known, in km."""

    floor_km: Limit
    floor_starts: Limit
    warn_km: Limit
    warn_starts: Limit
    drive_km: Limit


@dataclass(frozen=True, slots=True)
class Budget:
    """What is left now, and what would be left after all that is planned. `state`: `zero`, `floor`, `last`,
    `short` (the plan does not fit above the floor) or `counting`."""

    left: float
    after: float
    state: str


def budget(said: float, used: float, planned: float, floor: float, warn: float) -> Budget:
    """Return what a countdown leaves.

    Parameters, all in km or all in starts: `said`: what the dash showed; `used`: what was driven or started
    since; `planned`: what the tests and the proof will take; `floor`: what the workshop keeps back; `warn`:
    from where on each is one of the last. Source: subtraction; the floor is the workshop's.

    >>> budget(80, 30, 25, 20, 50)
    Budget(left=50, after=25, state='last')
    >>> [budget(80, used, 45, 20, 30).state for used in (0, 20, 60, 80)]
    ['counting', 'short', 'floor', 'zero']
    """
    left = max(0, said - used)
    after = max(0, left - planned)
    if left <= 0:
        return Budget(left, after, "zero")
    if left <= floor:
        return Budget(left, after, "floor")
    if after < floor:
        return Budget(left, after, "short")
    return Budget(left, after, "last" if left <= warn else "counting")
