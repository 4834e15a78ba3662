"""Battery and cranking: charge, sag, speed, drop."""

from dataclasses import dataclass

from .limits import Limit, Points, between
from .quantity import Judgement, Measured, plain
from .relay import VoltMeter


@dataclass(frozen=True, slots=True)
class BatteryLimits:
    """The figures that judge battery and cranking, voltages of a 12 V battery. Tables: percent of charge by
    volts at rest, percent of capacity by battery temperature in C, least volts while cranking by it."""

    charge_percent: Points
    capacity_percent: Points
    crank_least_v: Points
    charged_v: Limit
    low_v: Limit
    surface_v: Limit
    rest_least_v: Limit
    rest_most_v: Limit
    crank_wavers_v: Limit
    start_least_rpm: Limit
    lazy_under_rpm: Limit
    crank_most_rpm: Limit
    speed_least_u_rpm: Limit
    speed_u_share: Limit
    drop_positive_v: Limit
    drop_ground_v: Limit
    drop_least_v: Limit
    drop_most_v: Limit
    current_base_a: Limit
    current_per_litre_a: Limit
    current_cold_share: Limit
    current_low_share: Limit
    current_high_share: Limit
    current_most_a: Limit


def charge_percent(rest_v: float, limits: BatteryLimits, system_v: int = 12) -> float:
    """Return the state of charge in percent from the voltage after two hours of rest (flooded, 25 C,
    general).

    Parameters: `rest_v`: volts at rest; `limits`: the limits of the battery; `system_v`: nominal voltage, 12
    or 24. Level beyond the table. Source: general table of flooded lead batteries, `figures/battery.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(BatteryLimits)
    >>> [round(charge_percent(v, limits, n), 1) for v, n in ((12.45, 12), (12.345, 12), (24.9, 24))]
    [75.0, 62.5, 75.0]
    """
    return between(limits.charge_percent, rest_v * 12 / system_v)


def cold_capacity_percent(battery_c: float, limits: BatteryLimits) -> float:
    """Return what is left of a battery's capacity in the cold, percent of that at 25 C (general).

    Parameters: `battery_c`: battery in °C, None when not known; `limits`: the limits of the area. Source:
    general table of flooded lead batteries, `figures/battery.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(BatteryLimits)
    >>> cold_capacity_percent(0, limits), cold_capacity_percent(-14, limits)
    (80.0, 57.5)
    """
    return between(limits.capacity_percent, battery_c)


def crank_limit_v(battery_c: float, limits: BatteryLimits, system_v: int = 12) -> float:
    """Return the least voltage while cranking: 9.6 V at 20 C, 8.5 V at -18 C, straight between (general).

    Parameters: `battery_c`: battery in °C, None when not known; `limits`: the limits of the area; `system_v`:
    nominal voltage, 12 or 24. Source: the usual load test, `figures/battery.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(BatteryLimits)
    >>> crank_limit_v(20, limits), crank_limit_v(-18, limits), round(crank_limit_v(1, limits), 2)
    (9.6, 8.5, 9.05)
    """
    return between(limits.crank_least_v, battery_c) * system_v / 12


def judge_rest(
    rest_v: float,
    limits: BatteryLimits,
    system_v: int = 12,
    battery_c: float | None = None,
    meter: VoltMeter | None = None,
) -> Judgement:
    """Judge a battery at rest. Classes: charged, low, flat, unclear. Below half charge fails, below 75 % is
    marginal.

    Parameters: `rest_v`: volts at rest; `limits`: the limits of the area; `system_v`: nominal voltage, 12 or
    24; `battery_c`: battery in °C, None when not known; `meter`: the meter, a general one when None. Source:
    `charge_percent`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(BatteryLimits)
    >>> judge_rest(12.6, limits).verdict, judge_rest(12.3, limits).cls, judge_rest(11.9, limits).verdict
    ('sound', 'low', 'failed')
    """
    u = (meter or VoltMeter()).u(rest_v)
    per12 = Measured(*(v * 12 / system_v for v in (rest_v, rest_v - u, rest_v + u)))
    if not limits.rest_least_v <= per12.value <= limits.rest_most_v:
        return Judgement(
            "implausible",
            "implausible",
            rest_v,
            unit="V",
            uncertainty=u,
            because=(
                f"{plain(rest_v)} V cannot be a {system_v} V battery at rest: probes, range, or a"
                " single-battery reading?"
            ),
        )
    if per12.value > limits.surface_v:
        return Judgement(
            "implausible",
            "implausible",
            rest_v,
            unit="V",
            uncertainty=u,
            because=(
                f"{plain(rest_v)} V is a charging or surface voltage: lights on for a minute, wait two hours,"
                " read again."
            ),
        )
    charge = charge_percent(rest_v, limits, system_v)
    says = f"{plain(rest_v)} V at rest is about {round(charge)} % charged"
    if battery_c is not None and battery_c < 20:
        says += (
            f"; at {plain(battery_c)} °C it gives about {round(cold_capacity_percent(battery_c, limits))} %"
            " of its capacity"
        )
    for limit in (limits.low_v, limits.charged_v):
        if per12.straddles(limit):
            return Judgement(
                "unclear",
                "unclear",
                rest_v,
                unit="V",
                uncertainty=u,
                because=(
                    f"{says}; the limit of {plain(limit * system_v / 12)} V lies within the meter's"
                    f" {plain(u)} V. Charge it and test while cranking."
                ),
            )
    if per12.value >= limits.charged_v:
        return Judgement("sound", "charged", rest_v, unit="V", uncertainty=u, because=f"{says}.")
    if per12.value >= limits.low_v:
        return Judgement(
            "marginal",
            "low",
            rest_v,
            unit="V",
            uncertainty=u,
            because=f"{says}: charge it before the other tests.",
        )
    return Judgement(
        "failed",
        "flat",
        rest_v,
        unit="V",
        uncertainty=u,
        because=f"{says}: charge it, rest it, then test it while cranking.",
    )


def judge_crank(
    crank_v: float,
    battery_c: float | None,
    limits: BatteryLimits,
    system_v: int = 12,
    meter: VoltMeter | None = None,
) -> Judgement:
    """Judge the battery voltage while cranking. Classes: holds, sags, unclear.

    Parameters: `crank_v`: lowest volts while cranking; `battery_c`: battery in °C, None when not known;
    `limits`: the limits of the area; `system_v`: nominal voltage, 12 or 24; `meter`: the meter, a general one
    when None. Source: `crank_limit_v`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(BatteryLimits)
    >>> [judge_crank(v, c, limits).cls for v, c in ((9.9, 20), (8.8, 20), (8.8, -15))]
    ['holds', 'sags', 'holds']
    """
    u = (meter or VoltMeter()).u(crank_v) + limits.crank_wavers_v
    if not 0 <= crank_v <= limits.rest_most_v * system_v / 12:
        return Judgement(
            "implausible",
            "implausible",
            crank_v,
            unit="V",
            uncertainty=u,
            because=f"{plain(crank_v)} V cannot be a {system_v} V battery under the starter: read again.",
        )
    limit = crank_limit_v(20 if battery_c is None else battery_c, limits, system_v)
    at = "20 °C (taken)" if battery_c is None else f"{plain(battery_c)} °C"
    says = f"{plain(crank_v)} V while cranking; {plain(limit)} V is the least at {at} (general)."
    if Measured(crank_v, crank_v - u, crank_v + u).straddles(limit):
        return Judgement(
            "unclear",
            "unclear",
            crank_v,
            unit="V",
            uncertainty=u,
            because=f"{says} Too near to call: charge fully and repeat.",
        )
    if crank_v >= limit:
        return Judgement("sound", "holds", crank_v, unit="V", uncertainty=u, because=f"{says} It holds.")
    return Judgement(
        "failed",
        "sags",
        crank_v,
        unit="V",
        uncertainty=u,
        because=(
            f"{says} It sags: weak battery, or a starter that draws too much. Cable drop and current tell"
            " them apart."
        ),
    )


def judge_speed(rpm: float, limits: BatteryLimits) -> Judgement:
    """Judge the cranking speed: under 150 per minute no diesel starts by itself, whatever the plugs; a sound
    starter turns it at 180 or more.

    Parameters: `rpm`: speed per minute; `limits`: the limits of the area. Source: general,
    `figures/battery.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(BatteryLimits)
    >>> [judge_speed(rpm, limits).cls for rpm in (120, 150, 165, 210)]
    ['too_slow', 'unclear', 'slow', 'fast_enough']
    """
    u = max(limits.speed_least_u_rpm, limits.speed_u_share * rpm)
    least = plain(limits.start_least_rpm)
    if not 0 <= rpm <= limits.crank_most_rpm:
        return Judgement(
            "implausible",
            "implausible",
            rpm,
            unit="rpm",
            uncertainty=u,
            because=f"{plain(rpm)} per minute is no cranking speed (20 to 400 is): read again.",
        )
    if rpm + u < limits.start_least_rpm:
        return Judgement(
            "failed",
            "too_slow",
            rpm,
            unit="rpm",
            uncertainty=u,
            because=f"{plain(rpm)} per minute: under {least} it does not start by itself, whatever the plugs"
            " do. Battery,"
            " cables, starter first.",
        )
    if rpm - u < limits.start_least_rpm:
        return Judgement(
            "unclear",
            "unclear",
            rpm,
            unit="rpm",
            uncertainty=u,
            because=f"{plain(rpm)} per minute, at the limit of {least}: charge the battery and repeat.",
        )
    if rpm < limits.lazy_under_rpm:
        return Judgement(
            "marginal",
            "slow",
            rpm,
            unit="rpm",
            uncertainty=u,
            because=f"{plain(rpm)} per minute: it may start, but a sound starter turns it at"
            f" {plain(limits.lazy_under_rpm)} or more ({limits.lazy_under_rpm.source}). Battery, cables,"
            " starter.",
        )
    return Judgement(
        "sound",
        "fast_enough",
        rpm,
        unit="rpm",
        uncertainty=u,
        because=f"{plain(rpm)} per minute is fast enough (over {least}, general).",
    )


WARM_OIL_C = 20.0


def crank_current_a(displacement_l: float, oil_c: float, limits: BatteryLimits, system_v: int = 12) -> float:
    """Return the steady current that a sound starter draws while it turns an engine of this size, in A.

    Parameters: `displacement_l`: displacement in litres; `oil_c`: oil temperature in °C, warm from 20 up;
    `limits`: the limits of the area; `system_v`: nominal voltage, 12 or 24. Source: general,
    `figures/battery.toml`; the same work takes half the current at twice the voltage.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(BatteryLimits)
    >>> [round(crank_current_a(2.0, c, limits, v)) for c, v in ((20, 12), (-10, 12), (20, 24))]
    [210, 304, 105]
    """
    cold = 1 + limits.current_cold_share * max(0.0, WARM_OIL_C - oil_c)
    return (limits.current_base_a + limits.current_per_litre_a * displacement_l) * cold * 12 / system_v


def judge_crank_current(
    amps: float, displacement_l: float, oil_c: float | None, limits: BatteryLimits, system_v: int = 12
) -> Judgement:
    """Judge the steady cranking current against what an engine of this size takes at this oil temperature.

    Parameters: `amps`: steady current in A; `displacement_l`: displacement in litres; `oil_c`: oil in °C,
    None when not known: then it is held against warm and against -10 °C, and is unclear between; `limits`:
    the limits of the area; `system_v`: nominal voltage, 12 or 24. Source: general, `figures/battery.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(BatteryLimits)
    >>> [judge_crank_current(a, 2.0, 20, limits).cls for a in (60, 220, 420, 4000)]
    ['low', 'as_expected', 'high', 'implausible']
    >>> judge_crank_current(360, 2.0, None, limits).cls
    'unclear'
    """
    if not 0 <= amps <= limits.current_most_a:
        says = f"{plain(amps)} A is no cranking current: zero the clamp, look at its range, read again."
        return Judgement("implausible", "implausible", amps, unit="A", uncertainty=None, because=says)
    temperatures = (WARM_OIL_C, -10.0) if oil_c is None else (oil_c,)
    wanted = [crank_current_a(displacement_l, c, limits, system_v) for c in temperatures]
    at = "oil not said" if oil_c is None else f"oil at {plain(oil_c)} °C"
    span = " to ".join(plain(round(a)) for a in dict.fromkeys(wanted))
    says = (
        f"{plain(amps)} A; about {span} A is usual for {plain(displacement_l)} l, {at}"
        f" ({limits.current_per_litre_a.source})."
    )
    if amps < limits.current_low_share * wanted[0]:
        says += " Too little gets through: battery, cables, or worn brushes. Measure the drops."
        return Judgement("failed", "low", amps, unit="A", uncertainty=None, because=says)
    if amps > limits.current_high_share * wanted[-1]:
        says += " It draws hard: the starter drags, or the engine turns heavily."
        return Judgement("failed", "high", amps, unit="A", uncertainty=None, because=says)
    if amps > limits.current_high_share * wanted[0]:
        says += " Much for warm oil, usual for cold: note the oil temperature."
        return Judgement("unclear", "unclear", amps, unit="A", uncertainty=None, because=says)
    return Judgement("sound", "as_expected", amps, unit="A", uncertainty=None, because=says)


def judge_drop(drop_v: float, side: str, limits: BatteryLimits, meter: VoltMeter | None = None) -> Judgement:
    """Judge the drop along a cable while cranking: 0.5 V on the positive side, 0.3 V on the ground (general).

    Parameters: `drop_v`: drop in V; `side`: `positive`, anything else is the ground; `limits`: the limits of
    the area; `meter`: the meter, a general one when None. Source: general for starter cables,
    `figures/battery.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(BatteryLimits)
    >>> judge_drop(0.9, "positive", limits).cls, judge_drop(0.1, "ground", limits).verdict
    ('drops', 'sound')
    """
    limit = limits.drop_positive_v if side == "positive" else limits.drop_ground_v
    u = (meter or VoltMeter()).u(drop_v)
    says = f"{plain(drop_v)} V lost on the {side} side while cranking; {plain(limit)} V allowed (general)."
    if not limits.drop_least_v <= drop_v <= limits.drop_most_v:
        return Judgement(
            "implausible",
            "implausible",
            drop_v,
            unit="V",
            uncertainty=u,
            because=(
                f"{plain(drop_v)} V cannot be a cable drop: both probes on the same cable's ends, polarity"
                " right?"
            ),
        )
    if Measured(drop_v, drop_v - u, drop_v + u).straddles(limit):
        return Judgement(
            "unclear",
            "unclear",
            drop_v,
            unit="V",
            uncertainty=u,
            because=f"{says} At the limit: repeat while it cranks longer.",
        )
    if drop_v <= limit:
        return Judgement("sound", "sound", drop_v, unit="V", uncertainty=u, because=says)
    return Judgement(
        "failed",
        "drops",
        drop_v,
        unit="V",
        uncertainty=u,
        because=f"{says} Clean and tighten the ends, then measure piece by piece.",
    )
