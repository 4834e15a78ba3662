"""Waiting on purpose: how a warm engine cools, when it can be touched, when it counts as cold."""

from dataclasses import dataclass
from math import exp, log

from .limits import Limit


@dataclass(frozen=True, slots=True)
class WaitLimits:
    """Cooling time constants in h, when a part can be touched, and how near to ambient counts as cold, C."""

    closed_tau_h: Limit
    touchable_c: Limit
    soaked_within_c: Limit


def temperature_after(hours: float, start_c: float, ambient_c: float, tau_h: float) -> float:
    """Return the temperature after some hours: ``T = Ta + (T0 - Ta)*exp(-t/tau)``, in C.

    Parameters: `hours`: hours; `start_c`: temperature at the start in °C; `ambient_c`: air outside in °C;
    `tau_h`: cooling time constant in h. Raises ValueError for a time constant that is not above zero. Source:
    Newton's law of cooling.

    >>> round(temperature_after(3, 90, 10, 3), 1)
    39.4
    """
    if tau_h <= 0:
        raise ValueError("the cooling time constant must be above zero")
    return ambient_c + (start_c - ambient_c) * exp(-hours / tau_h)


def hours_until(target_c: float, start_c: float, ambient_c: float, tau_h: float) -> float | None:
    """Return after how many hours a part has cooled to the target; None when it never gets there.

    Parameters: `target_c`: target in °C; `start_c`: temperature at the start in °C; `ambient_c`: air outside
    in °C; `tau_h`: cooling time constant in h. Source: Newton's law of cooling.

    >>> round(hours_until(55, 90, 10, 3), 2), hours_until(5, 90, 10, 3), hours_until(55, 40, 10, 3)
    (1.73, None, 0.0)
    """
    if start_c <= target_c:
        return 0.0
    if target_c <= ambient_c:
        return None
    return tau_h * log((start_c - ambient_c) / (target_c - ambient_c))


def cold_soaked_after_h(
    start_c: float, ambient_c: float, limits: WaitLimits, tau_h: float | None = None
) -> float:
    """Return after how many hours the engine is within 3 C of ambient: cold-soaked.

    Parameters: `start_c`: temperature at the start in °C; `ambient_c`: air outside in °C; `limits`: the
    limits of the area; `tau_h`: cooling time constant in h, that of a closed bonnet when None. Source:
    Newton's law of cooling, `figures/waiting.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(WaitLimits)
    >>> round(cold_soaked_after_h(80, -7, limits), 1), cold_soaked_after_h(-6, -7, limits)
    (10.1, 0.0)
    """
    tau = limits.closed_tau_h if tau_h is None else tau_h
    return hours_until(ambient_c + limits.soaked_within_c, start_c, ambient_c, tau) or 0.0


def fitted_tau_h(first_c: float, second_c: float, hours: float, ambient_c: float) -> float:
    """Return this vehicle's own cooling time constant from two readings some hours apart.

    ``tau = t/ln((T1 - Ta)/(T2 - Ta))``. Parameters: `first_c`: first temperature in °C; `second_c`: second
    temperature in °C; `hours`: hours; `ambient_c`: air outside in °C. Raises ValueError unless it cooled and
    stayed above ambient. Source: Newton's law of cooling, turned round.

    >>> round(fitted_tau_h(90, 39.43, 3, 10), 2)
    3.0
    """
    if not (first_c > second_c > ambient_c and hours > 0):
        raise ValueError("two falling temperatures above ambient, taken some time apart, are needed")
    return hours / log((first_c - ambient_c) / (second_c - ambient_c))
