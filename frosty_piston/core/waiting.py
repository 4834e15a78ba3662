"""Waiting on purpose: how a warm engine cools, when it can be touched, when it counts as cold."""

from math import exp, log

TAU_H = {"exhaust": 0.5, "engine_closed": 3.0, "engine_open": 2.0}
TOUCHABLE_C = 55.0
SOAKED_WITHIN_C = 3.0


def temperature_after(hours: float, start_c: float, ambient_c: float, tau_h: float) -> float:
    """Answer the temperature after some hours: ``T = Ta + (T0 - Ta)*exp(-t/tau)``, in C.

    >>> round(temperature_after(3, 90, 10, 3), 1)
    39.4
    """
    if tau_h <= 0:
        raise ValueError("the cooling time constant must be above zero")
    return ambient_c + (start_c - ambient_c) * exp(-hours / tau_h)


def hours_until(target_c: float, start_c: float, ambient_c: float, tau_h: float) -> float | None:
    """Answer after how many hours a part has cooled to the target; None when it never gets there.

    >>> round(hours_until(55, 90, 10, 3), 2), hours_until(5, 90, 10, 3), hours_until(55, 40, 10, 3)
    (1.73, None, 0.0)
    """
    if start_c <= target_c:
        return 0.0
    if target_c <= ambient_c:
        return None
    return tau_h * log((start_c - ambient_c) / (target_c - ambient_c))


def cold_soaked_after_h(start_c: float, ambient_c: float, tau_h: float = TAU_H["engine_closed"]) -> float:
    """Answer after how many hours the engine is within 3 C of ambient: cold-soaked. General tau 3 h, bonnet
    closed.

    >>> round(cold_soaked_after_h(80, -7), 1), cold_soaked_after_h(-6, -7)
    (10.1, 0.0)
    """
    return hours_until(ambient_c + SOAKED_WITHIN_C, start_c, ambient_c, tau_h) or 0.0


def fitted_tau_h(first_c: float, second_c: float, hours: float, ambient_c: float) -> float:
    """Answer this vehicle's own cooling time constant from two readings some hours apart.

    ``tau = t/ln((T1 - Ta)/(T2 - Ta))``. Raises ValueError unless it cooled and stayed above ambient.

    >>> round(fitted_tau_h(90, 39.43, 3, 10), 2)
    3.0
    """
    if not (first_c > second_c > ambient_c and hours > 0):
        raise ValueError("two falling temperatures above ambient, taken some time apart, are needed")
    return hours / log((first_c - ambient_c) / (second_c - ambient_c))
