"""Air path: barometer, key-on agreement, expected air, EGR share, swirl compare, boost leak."""

from dataclasses import dataclass
from statistics import median

from .limits import Limit
from .quantity import Judgement, kelvin, percent, plain

GAS = 287.0
LOWEST_M = -5000.0
HIGHEST_M = 11_000.0


@dataclass(frozen=True, slots=True)
class AirLimits:
    """The figures that judge the air path: pressures in kPa, shares of the expected air, of the air with the
    EGR shut, of the time as it is, or of the pressure of a leak test."""

    agree_kpa: Limit
    zero_kpa: Limit
    filling_share: Limit
    intake_c: Limit
    underbonnet_c: Limit
    fits_share: Limit
    shut_low_share: Limit
    egr_share: Limit
    egr_gas_c: Limit
    egr_closed_percent: Limit
    egr_far_times: Limit
    released_share: Limit
    leak_left_share: Limit
    leak_s: Limit
    leak_least_kpa: Limit


def barometer_kpa(altitude_m: float) -> float:
    """Return the usual barometer at an altitude: ``101.3*(1 - 2.2558e-5*h)**5.2559`` kPa (standard
    atmosphere).

    Parameters: `altitude_m`: altitude in m, -5,000 to 11,000. Raises ValueError outside of that, where the
    formula does not hold. Source: ISO 2533.

    >>> round(barometer_kpa(0), 1), round(barometer_kpa(1500), 1)
    (101.3, 84.5)
    """
    if not LOWEST_M <= altitude_m <= HIGHEST_M:
        raise ValueError(f"the barometer is known from {LOWEST_M:g} to {HIGHEST_M:g} m")
    return float(101.3 * (1 - 2.2558e-5 * altitude_m) ** 5.2559)


def judge_key_on(pressures_kpa: dict[str, float], limits: AirLimits) -> dict[str, Judgement]:
    """Judge all pressures with the key on and the engine off: they stand in the same air.

    Parameters: `pressures_kpa`: absolute kPa by channel, `differential` as a difference; `limits`: the limits
    of the area. The others agree within 2 kPa; with three or more the odd one is named, with two only that
    they disagree. Source: two sensors of one percent each, `figures/air.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> kpa = {"barometer": 98.5, "manifold": 112.0, "exhaust": 98.9, "differential": 0.2}
    >>> judged = judge_key_on(kpa, general(AirLimits))
    >>> {name: j.cls for name, j in judged.items()}
    {'differential': 'agree', 'barometer': 'agree', 'manifold': 'manifold_odd', 'exhaust': 'agree'}
    """
    judgements: dict[str, Judgement] = {}
    if (dp := pressures_kpa.get("differential")) is not None:
        off = abs(dp) > limits.zero_kpa
        judgements["differential"] = Judgement(
            "failed" if off else "sound",
            "differential_off" if off else "agree",
            dp,
            unit="kPa",
            uncertainty=None,
            because=(
                f"{plain(dp)} kPa across the filter with the engine off; 0 within {plain(limits.zero_kpa)}"
                " is right."
                f" {'Zero or change the sensor before anything is believed' if off else 'Its zero is right'}."
            ),
        )
    rest = {name: v for name, v in pressures_kpa.items() if name != "differential"}
    for name, v in rest.items():
        others = [x for n, x in rest.items() if n != name]
        if not others:
            judgements[name] = Judgement(
                "unclear",
                "unclear",
                v,
                unit="kPa",
                uncertainty=None,
                because=f"{plain(v)} kPa. Read a second pressure to compare it with.",
            )
            continue
        middle = median(others)
        apart = abs(v - middle) > limits.agree_kpa
        if not apart:
            judgements[name] = Judgement(
                "sound",
                "agree",
                v,
                unit="kPa",
                uncertainty=None,
                because=f"{plain(v)} kPa, within {plain(limits.agree_kpa)} kPa of the others.",
            )
        elif len(others) == 1:
            judgements[name] = Judgement(
                "marginal",
                "disagree",
                v,
                unit="kPa",
                uncertainty=None,
                because=(
                    f"{plain(v)} kPa, the other {plain(middle)}: one of the two is wrong; a third would tell"
                    " which."
                ),
            )
        elif max(others) - min(others) <= limits.agree_kpa:
            odd = f"{name}_odd" if name in ("barometer", "manifold", "exhaust") else "disagree"
            judgements[name] = Judgement(
                "failed",
                odd,
                v,
                unit="kPa",
                uncertainty=None,
                because=(
                    f"{plain(v)} kPa while the others agree near {plain(middle)}: this sensor, its port or"
                    " its wires."
                ),
            )
        else:
            judgements[name] = Judgement(
                "sound",
                "agree",
                v,
                unit="kPa",
                uncertainty=None,
                because=f"{plain(v)} kPa; another one stands apart.",
            )
    return judgements


def expected_air_mg(
    manifold_kpa: float, displacement_l: float, cylinders: int, intake_c: float, filling_share: float
) -> float:
    """Return the air a cylinder draws per stroke in mg, EGR shut: ``m = eta*p*Vd/(R*T*z)``.

    Parameters: `manifold_kpa`: absolute manifold pressure in kPa; `displacement_l`: displacement of the whole
    engine in l; `cylinders`: number of cylinders; `intake_c`: intake air in °C; `filling_share`: filling,
    0.85 in general. R = 287 J/(kg K). Raises ValueError for air at absolute zero. Source: the gas law.

    >>> round(expected_air_mg(100, 2.2, 4, 30, 0.85))
    537
    """
    return filling_share * manifold_kpa * displacement_l / (GAS * kelvin(intake_c) * cylinders) * 1e6


def judge_air_mass(air_mg: float, expected_mg: float, limits: AirLimits) -> Judgement:
    """Judge measured air per stroke against the expected; within 10 % fits (general).

    Parameters: `air_mg`: measured air in mg per stroke; `expected_mg`: expected air in mg per stroke, None
    when not known; `limits`: the limits of the area. Where no air is expected at all, the pressure was read
    wrongly. Source: `expected_air_mg`, `figures/air.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(AirLimits)
    >>> judge_air_mass(300, 537, limits).cls, judge_air_mass(560, 537, limits).cls
    ('reads_low', 'fits')
    """
    if expected_mg <= 0:
        says = "No engine draws air from a manifold without any: repeat the pressure reading."
        return Judgement("implausible", "implausible", None, unit=None, uncertainty=None, because=says)
    off = air_mg / expected_mg - 1
    fits = limits.fits_share
    u = fits * expected_mg
    says = (
        f"{plain(air_mg)} mg per stroke, {plain(expected_mg)} expected with the EGR shut: {percent(abs(off))}"
        f" {'over' if off > 0 else 'under'}; {percent(fits)} fits ({fits.source})."
    )
    if abs(off) <= fits:
        return Judgement("sound", "fits", air_mg, unit="mg", uncertainty=u, because=says)
    if off < 0:
        return Judgement(
            "failed",
            "reads_low",
            air_mg,
            unit="mg",
            uncertainty=u,
            because=f"{says} EGR that does not shut, or the sensor reads low.",
        )
    return Judgement(
        "failed",
        "reads_high",
        air_mg,
        unit="mg",
        uncertainty=u,
        because=f"{says} Air lost behind the sensor, or it reads high.",
    )


def judge_egr_rest(percent_open: float, limits: AirLimits) -> Judgement:
    """Judge the EGR position with the engine off: shut within the limit (general 5 %); far open is stuck.

    Parameters: `percent_open`: percent open; `limits`: the limits of the area. Source: the card, or general,
    `figures/air.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_egr_rest(p, general(AirLimits)).cls for p in (2, 9, 38)]
    ['closed', 'does_not_close', 'far_open']
    """
    limit = limits.egr_closed_percent
    says = (
        f"{plain(percent_open)} % with the engine off; up to {plain(limit)} % counts as shut"
        f" ({limit.source})."
    )
    if percent_open <= limit:
        return Judgement("sound", "closed", percent_open, unit="percent", uncertainty=None, because=says)
    if percent_open <= limits.egr_far_times * limit:
        return Judgement(
            "marginal",
            "does_not_close",
            percent_open,
            unit="percent",
            uncertainty=None,
            because=f"{says} It does not close fully.",
        )
    return Judgement(
        "failed",
        "far_open",
        percent_open,
        unit="percent",
        uncertainty=None,
        because=f"{says} Stuck open: no need to start.",
    )


def exhaust_share(shut_mg: float, open_mg: float, intake_c: float, gas_c: float) -> float:
    """Return how much of the charge is exhaust with the EGR open: less than the air that is missing, since
    the gas also warms the charge, and a warmer charge weighs less.

    ``x = (1 - r)/(1 + r (Tg/Ta - 1))`` with r the air open over shut: the mass of a filling goes with 1/T,
    and the mixture has ``T = Ta + x (Tg - Ta)``.

    Parameters: `shut_mg`, `open_mg`: air per stroke with the valve shut and open, mg, shut above 0;
    `intake_c`: air, `gas_c`: exhaust where it joins, C. Raises ValueError for no air with the valve shut.
    Source: the gas law at equal pressure, the heat of both gases taken as alike.

    >>> round(exhaust_share(533, 360, 30, 100), 2), round(exhaust_share(533, 360, 30, 30), 3)
    (0.28, 0.325)
    """
    if shut_mg <= 0:
        raise ValueError("air with the valve shut is wanted")
    left = open_mg / shut_mg
    return (1 - left) / (1 + left * (kelvin(gas_c) / kelvin(intake_c) - 1))


def judge_egr_air(
    shut_mg: float, open_mg: float, limits: AirLimits, expected_mg: float | None = None
) -> Judgement:
    """Judge the air mass with the EGR driven shut and then open at the same speed: ``(m_shut -
    m_open)/m_shut``.

    Under 10 % nothing flows (general); low even when shut, against the expected air, means it never shuts.

    Parameters: `shut_mg`: air with the valve shut, mg per stroke; `open_mg`: air with it open, mg per stroke;
    `limits`: the limits of the area; `expected_mg`: expected air in mg per stroke, None when not known.
    Source: general, `figures/air.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(AirLimits)
    >>> [
    ...     judge_egr_air(s, o, limits, e).cls
    ...     for s, o, e in ((520, 330, None), (520, 505, None), (330, 325, 530))
    ... ]
    ['flows', 'no_change', 'low_when_shut']
    """
    if shut_mg <= 0:
        return Judgement(
            "implausible",
            "implausible",
            None,
            unit=None,
            uncertainty=None,
            because="No air with the valve shut: repeat the reading.",
        )
    share = (shut_mg - open_mg) / shut_mg
    exhaust = exhaust_share(shut_mg, open_mg, limits.intake_c, limits.egr_gas_c)
    says = (
        f"{plain(shut_mg)} mg shut, {plain(open_mg)} mg open: {round(share * 100)} % less air; under"
        f" {percent(limits.egr_share)} nothing flows ({limits.egr_share.source})."
    )
    if share >= limits.egr_share:
        mixed = f"{says} With the heat it brings, about {round(exhaust * 100)} % of the charge is exhaust."
        return Judgement("sound", "flows", share * 100, unit="percent", uncertainty=None, because=mixed)
    if expected_mg is not None and shut_mg < limits.shut_low_share * expected_mg:
        return Judgement(
            "failed",
            "low_when_shut",
            share * 100,
            unit="percent",
            uncertainty=None,
            because=(
                f"{says} And low even when shut ({plain(expected_mg)} mg expected): it does not shut, or air"
                " leaks in before the sensor."
            ),
        )
    return Judgement(
        "failed",
        "no_change",
        share * 100,
        unit="percent",
        uncertainty=None,
        because=f"{says} Valve, passage or cooler.",
    )


def judge_swirl(as_is_s: float | None, released_s: float | None, limits: AirLimits) -> Judgement:
    """Judge the rev test with the flaps as they are and released: better by over a quarter speaks for flaps
    or manifold.

    Parameters: `as_is_s`: time as it is, s, None when it never got there; `released_s`: time with the flaps
    released, s, None when it never got there; `limits`: the limits of the area. Source: general,
    `figures/air.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(AirLimits)
    >>> judge_swirl(6.0, 3.9, limits).cls, judge_swirl(4.0, 3.8, limits).cls
    ('better_released', 'same')
    >>> judge_swirl(None, 1.9, limits).cls, judge_swirl(None, None, limits).cls
    ('better_released', 'same')
    """
    if any(s is not None and s <= 0 for s in (as_is_s, released_s)):
        says = "A time of nothing: repeat the rev test."
        return Judgement("implausible", "implausible", None, unit=None, uncertainty=None, because=says)
    if as_is_s is None and released_s is not None:
        says = (
            f"Never as it is, {plain(released_s)} s released. The manifold is choked or the flaps are uneven."
        )
        return Judgement("failed", "better_released", None, unit=None, uncertainty=None, because=says)
    if as_is_s is None or released_s is None:
        both = "It never got there, released or not" if as_is_s is None else "It got there only as it is"
        says = f"{both}. The flaps are not what holds it back."
        return Judgement("sound", "same", None, unit=None, uncertainty=None, because=says)
    gain = (as_is_s - released_s) / as_is_s
    mark = limits.released_share
    says = (
        f"{plain(as_is_s)} s as it is, {plain(released_s)} s released: {round(gain * 100)} % quicker; over"
        f" {percent(mark)} is the mark ({mark.source})."
    )
    if gain > mark:
        says += " The manifold is choked or the flaps are uneven."
        return Judgement(
            "failed", "better_released", gain * 100, unit="percent", uncertainty=None, because=says
        )
    says += " The flaps are not what holds it back."
    return Judgement("sound", "same", gain * 100, unit="percent", uncertainty=None, because=says)


def leak_down_kpa(start_kpa: float, end_kpa: float, seconds: float, at_s: float) -> float:
    """Return the pressure at a moment of a leak test, in kPa: it falls exponentially through start and end.

    Parameters: `start_kpa`: pressure at the start in kPa; `end_kpa`: pressure at the end in kPa; `seconds`:
    time in s; `at_s`: the moment in s. Raises ZeroDivisionError without a time. Source: a leak through a
    small hole, near enough exponential.

    >>> round(leak_down_kpa(70, 35, 60, 60)), round(leak_down_kpa(70, 35, 60, 120), 1)
    (35, 17.5)
    """
    return float(start_kpa * (max(end_kpa, 0.01 * start_kpa) / start_kpa) ** (at_s / seconds))


def judge_boost_leak(start_kpa: float, end_kpa: float, seconds: float, limits: AirLimits) -> Judgement:
    """Judge the leak test of the boost side by its loss, taken to 60 s; over a fifth of the pressure leaks
    (general).

    Parameters: `start_kpa`: pressure over ambient at the start, kPa; `end_kpa`: pressure over ambient at the
    end, kPa; `seconds`: time in s; `limits`: the limits of the area. Source: `leak_down_kpa`,
    `figures/air.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(AirLimits)
    >>> judge_boost_leak(70, 40, 60, limits).cls, judge_boost_leak(70, 66, 60, limits).cls
    ('leaks', 'tight')
    """
    if start_kpa <= limits.leak_least_kpa:
        return Judgement(
            "failed",
            "leaks",
            0.0,
            unit="kPa",
            uncertainty=None,
            because="No pressure built up: a gross leak, or the cap is off.",
        )
    if seconds <= 0 or end_kpa > start_kpa:
        return Judgement(
            "implausible",
            "implausible",
            None,
            unit=None,
            uncertainty=None,
            because="The pressure cannot rise by itself, and a time is wanted: repeat the test.",
        )
    left = leak_down_kpa(start_kpa, end_kpa, seconds, limits.leak_s) / start_kpa
    says = (
        f"{plain(start_kpa)} to {plain(end_kpa)} kPa in {plain(seconds)} s, {round((1 - left) * 100)} % in a"
        f" minute; {percent(1 - limits.leak_left_share)} is the mark ({limits.leak_left_share.source})."
    )
    return (
        Judgement(
            "failed",
            "leaks",
            (1 - left) * 100,
            unit="percent",
            uncertainty=None,
            because=f"{says} Smoke or soap shows where.",
        )
        if left < limits.leak_left_share
        else Judgement("sound", "tight", (1 - left) * 100, unit="percent", uncertainty=None, because=says)
    )
