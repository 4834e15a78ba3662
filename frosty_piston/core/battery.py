"""Battery and cranking: charge, sag, speed, drop."""

from .quantity import Judgement, Measured, plain
from .relay import VoltMeter

CHARGE_TABLE = ((11.89, 0.0), (12.06, 25.0), (12.24, 50.0), (12.45, 75.0), (12.65, 100.0))
CAPACITY_TABLE = ((-18.0, 50.0), (-10.0, 65.0), (0.0, 80.0), (25.0, 100.0))
MIN_START_RPM = 150.0
DROP_LIMITS_V = {"positive": 0.5, "ground": 0.3}


def _between(table: tuple[tuple[float, float], ...], x: float) -> float:
    if x <= table[0][0]:
        return table[0][1]
    for (x0, y0), (x1, y1) in zip(table, table[1:], strict=False):
        if x <= x1:
            return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
    return table[-1][1]


def charge_percent(rest_v: float, system_v: int = 12) -> float:
    """Answer the state of charge in percent from the voltage after two hours of rest (flooded, 25 C,
    general).

    >>> round(charge_percent(12.45)), round(charge_percent(12.345), 1), round(charge_percent(24.9, 24))
    (75, 62.5, 75)
    """
    return _between(CHARGE_TABLE, rest_v * 12 / system_v)


def cold_capacity_percent(battery_c: float) -> float:
    """Answer what is left of a battery's capacity in the cold, percent of that at 25 C (general).

    >>> cold_capacity_percent(0), cold_capacity_percent(-14)
    (80.0, 57.5)
    """
    return _between(CAPACITY_TABLE, battery_c)


def crank_limit_v(battery_c: float, system_v: int = 12) -> float:
    """Answer the least voltage while cranking: 9.6 V at 20 C, 8.5 V at -18 C, straight between (general).

    >>> crank_limit_v(20), crank_limit_v(-18), round(crank_limit_v(1), 2)
    (9.6, 8.5, 9.05)
    """
    return _between(((-18.0, 8.5), (20.0, 9.6)), battery_c) * system_v / 12


def judge_rest(
    rest_v: float, system_v: int = 12, battery_c: float | None = None, meter: VoltMeter | None = None
) -> Judgement:
    """Judge a battery at rest. Classes: charged, low, flat, unclear. Below half charge fails, below 75 % is
    marginal.

    >>> judge_rest(12.6).verdict, judge_rest(12.3).cls, judge_rest(11.9).verdict
    ('sound', 'low', 'failed')
    """
    u = (meter or VoltMeter()).u(rest_v)
    per12 = Measured(*(v * 12 / system_v for v in (rest_v, rest_v - u, rest_v + u)))
    if not 1 <= per12.value <= 16:
        return Judgement(
            "implausible",
            "implausible",
            rest_v,
            "V",
            u,
            f"{plain(rest_v)} V cannot be a {system_v} V battery at rest: probes, range, or a single-battery"
            " reading?",
        )
    if per12.value > 13.1:
        return Judgement(
            "implausible",
            "implausible",
            rest_v,
            "V",
            u,
            f"{plain(rest_v)} V is a charging or surface voltage: lights on for a minute, wait two hours,"
            " read again.",
        )
    charge = charge_percent(rest_v, system_v)
    says = f"{plain(rest_v)} V at rest is about {round(charge)} % charged"
    if battery_c is not None and battery_c < 20:
        says += (
            f"; at {plain(battery_c)} degC it gives about {round(cold_capacity_percent(battery_c))} % of its"
            " capacity"
        )
    for limit in (12.24, 12.45):
        if per12.straddles(limit):
            return Judgement(
                "unclear",
                "unclear",
                rest_v,
                "V",
                u,
                f"{says}; the limit of {plain(limit * system_v / 12)} V lies within the meter's {plain(u)} V."
                " Charge it and test while cranking.",
            )
    if per12.value >= 12.45:
        return Judgement("sound", "charged", rest_v, "V", u, f"{says}.")
    if per12.value >= 12.24:
        return Judgement("marginal", "low", rest_v, "V", u, f"{says}: charge it before the other tests.")
    return Judgement(
        "failed", "flat", rest_v, "V", u, f"{says}: charge it, rest it, then test it while cranking."
    )


def judge_crank(
    crank_v: float, battery_c: float | None, system_v: int = 12, meter: VoltMeter | None = None
) -> Judgement:
    """Judge the battery voltage while cranking. Classes: holds, sags, unclear.

    >>> judge_crank(9.9, 20).verdict, judge_crank(8.8, 20).cls, judge_crank(8.8, -15).verdict
    ('sound', 'sags', 'sound')
    """
    u = (meter or VoltMeter()).u(crank_v) + 0.05
    if not 0 <= crank_v <= 16 * system_v / 12:
        return Judgement(
            "implausible",
            "implausible",
            crank_v,
            "V",
            u,
            f"{plain(crank_v)} V cannot be a {system_v} V battery under the starter: read again.",
        )
    limit = crank_limit_v(20 if battery_c is None else battery_c, system_v)
    at = "20 degC (taken)" if battery_c is None else f"{plain(battery_c)} degC"
    says = f"{plain(crank_v)} V while cranking; {plain(limit)} V is the least at {at} (general)."
    if Measured(crank_v, crank_v - u, crank_v + u).straddles(limit):
        return Judgement(
            "unclear", "unclear", crank_v, "V", u, f"{says} Too near to call: charge fully and repeat."
        )
    if crank_v >= limit:
        return Judgement("sound", "holds", crank_v, "V", u, f"{says} It holds.")
    return Judgement(
        "failed",
        "sags",
        crank_v,
        "V",
        u,
        f"{says} It sags: weak battery, or a starter that draws too much. Cable drop and current tell them"
        " apart.",
    )


def judge_speed(rpm: float) -> Judgement:
    """Judge the cranking speed: under 150 per minute no diesel starts by itself, whatever the plugs.

    >>> judge_speed(120).cls, judge_speed(210).verdict, judge_speed(150).verdict
    ('too_slow', 'sound', 'unclear')
    """
    u = max(3.0, 0.02 * rpm)
    if not 0 <= rpm <= 600:
        return Judgement(
            "implausible",
            "implausible",
            rpm,
            "rpm",
            u,
            f"{plain(rpm)} per minute is no cranking speed (20 to 400 is): read again.",
        )
    if rpm + u < MIN_START_RPM:
        return Judgement(
            "failed",
            "too_slow",
            rpm,
            "rpm",
            u,
            f"{plain(rpm)} per minute: under 150 it does not start by itself, whatever the plugs do. Battery,"
            " cables, starter first.",
        )
    if rpm - u < MIN_START_RPM:
        return Judgement(
            "unclear",
            "unclear",
            rpm,
            "rpm",
            u,
            f"{plain(rpm)} per minute, at the limit of 150: charge the battery and repeat.",
        )
    return Judgement(
        "sound", "fast_enough", rpm, "rpm", u, f"{plain(rpm)} per minute is fast enough (over 150, general)."
    )


def judge_drop(drop_v: float, side: str, meter: VoltMeter | None = None) -> Judgement:
    """Judge the drop along a cable while cranking: 0.5 V on the positive side, 0.3 V on the ground (general).

    >>> judge_drop(0.9, "positive").cls, judge_drop(0.1, "ground").verdict
    ('drops', 'sound')
    """
    limit = DROP_LIMITS_V.get(side, 0.3)
    u = (meter or VoltMeter()).u(drop_v)
    says = f"{plain(drop_v)} V lost on the {side} side while cranking; {plain(limit)} V allowed (general)."
    if not -0.5 <= drop_v <= 30:
        return Judgement(
            "implausible",
            "implausible",
            drop_v,
            "V",
            u,
            f"{plain(drop_v)} V cannot be a cable drop: both probes on the same cable's ends, polarity"
            " right?",
        )
    if Measured(drop_v, drop_v - u, drop_v + u).straddles(limit):
        return Judgement(
            "unclear", "unclear", drop_v, "V", u, f"{says} At the limit: repeat while it cranks longer."
        )
    if drop_v <= limit:
        return Judgement("sound", "sound", drop_v, "V", u, says)
    return Judgement(
        "failed", "drops", drop_v, "V", u, f"{says} Clean and tighten the ends, then measure piece by piece."
    )
