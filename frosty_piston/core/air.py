"""Air path: barometer, key-on agreement, expected air, EGR share, swirl compare, boost leak."""

from statistics import median

from .quantity import Judgement, percent, plain

GENERAL = "general figure, check your service data"
AGREE_KPA, ZERO_KPA = 2.0, 1.0
FILLING, GAS = 0.85, 287.0
FITS = 0.10
EGR_SHARE = 0.10
RELEASED_BETTER = 0.25
LEAK_LEFT, LEAK_S = 0.8, 60.0


def barometer_kpa(altitude_m: float) -> float:
    """Answer the usual barometer at an altitude: ``101.3*(1 - 2.2558e-5*h)**5.2559`` kPa (standard
    atmosphere).

    >>> round(barometer_kpa(0), 1), round(barometer_kpa(1500), 1)
    (101.3, 84.5)
    """
    return 101.3 * (1 - 2.2558e-5 * altitude_m) ** 5.2559


def judge_key_on(pressures_kpa: dict[str, float]) -> dict[str, Judgement]:
    """Judge all pressures with the key on and the engine off: they stand in the same air.

    Parameters: absolute kPa by channel; `differential` as a difference, which must be 0 within 1 kPa. The
    others agree within 2 kPa; with three or more the odd one is named, with two only that they disagree.

    >>> judged = judge_key_on({"barometer": 98.5, "manifold": 112.0, "exhaust": 98.9, "differential": 0.2})
    >>> {name: j.cls for name, j in judged.items()}
    {'differential': 'agree', 'barometer': 'agree', 'manifold': 'manifold_odd', 'exhaust': 'agree'}
    """
    found: dict[str, Judgement] = {}
    if (dp := pressures_kpa.get("differential")) is not None:
        off = abs(dp) > ZERO_KPA
        found["differential"] = Judgement(
            "failed" if off else "sound",
            "differential_off" if off else "agree",
            dp,
            "kPa",
            None,
            f"{plain(dp)} kPa across the filter with the engine off; 0 within {plain(ZERO_KPA)} is right."
            f" {'Zero or change the sensor before anything is believed' if off else 'Its zero is right'}.",
        )
    rest = {name: v for name, v in pressures_kpa.items() if name != "differential"}
    for name, v in rest.items():
        others = [x for n, x in rest.items() if n != name]
        if not others:
            found[name] = Judgement(
                "unclear",
                "unclear",
                v,
                "kPa",
                None,
                f"{plain(v)} kPa. Read a second pressure to compare it with.",
            )
            continue
        middle = median(others)
        apart = abs(v - middle) > AGREE_KPA
        if not apart:
            found[name] = Judgement(
                "sound",
                "agree",
                v,
                "kPa",
                None,
                f"{plain(v)} kPa, within {plain(AGREE_KPA)} kPa of the others.",
            )
        elif len(others) == 1:
            found[name] = Judgement(
                "marginal",
                "disagree",
                v,
                "kPa",
                None,
                f"{plain(v)} kPa, the other {plain(middle)}: one of the two is wrong; a third would tell"
                " which.",
            )
        elif max(others) - min(others) <= AGREE_KPA:
            odd = f"{name}_odd" if name in ("barometer", "manifold", "exhaust") else "disagree"
            found[name] = Judgement(
                "failed",
                odd,
                v,
                "kPa",
                None,
                f"{plain(v)} kPa while the others agree near {plain(middle)}: this sensor, its port or its"
                " wires.",
            )
        else:
            found[name] = Judgement(
                "sound", "agree", v, "kPa", None, f"{plain(v)} kPa; another one stands apart."
            )
    return found


def expected_air_mg(
    manifold_kpa: float, displacement_l: float, cylinders: int, intake_c: float, filling: float = FILLING
) -> float:
    """Answer the air a cylinder draws per stroke in mg, EGR shut: ``m = eta*p*Vd/(R*T*z)``.

    Parameters: absolute manifold pressure in kPa, displacement of the whole engine in l, number of cylinders,
    intake temperature in C, filling (general 0.85). R = 287 J/(kg K).

    >>> round(expected_air_mg(100, 2.2, 4, 30))
    537
    """
    return (
        filling * manifold_kpa * 1000 * displacement_l / 1000 / (GAS * (intake_c + 273.15) * cylinders) * 1e6
    )


def judge_air_mass(air_mg: float, expected_mg: float) -> Judgement:
    """Judge measured air per stroke against the expected; within 10 % fits (general).

    >>> judge_air_mass(300, 537).cls, judge_air_mass(560, 537).cls
    ('reads_low', 'fits')
    """
    off = air_mg / expected_mg - 1
    says = (
        f"{plain(air_mg)} mg per stroke, {plain(expected_mg)} expected with the EGR shut: {percent(abs(off))}"
        f" {'over' if off > 0 else 'under'}; 10 % fits ({GENERAL})."
    )
    if abs(off) <= FITS:
        return Judgement("sound", "fits", air_mg, "mg", 0.1 * expected_mg, says)
    if off < 0:
        return Judgement(
            "failed",
            "reads_low",
            air_mg,
            "mg",
            0.1 * expected_mg,
            f"{says} EGR that does not shut, or the sensor reads low.",
        )
    return Judgement(
        "failed",
        "reads_high",
        air_mg,
        "mg",
        0.1 * expected_mg,
        f"{says} Air lost behind the sensor, or it reads high.",
    )


def judge_egr_rest(percent_open: float, limit: float = 5.0) -> Judgement:
    """Judge the EGR position with the engine off: shut within the limit (general 5 %); far open is stuck.

    >>> judge_egr_rest(2).cls, judge_egr_rest(9).cls, judge_egr_rest(38).cls
    ('closed', 'does_not_close', 'far_open')
    """
    says = f"{plain(percent_open)} % with the engine off; up to {plain(limit)} % counts as shut ({GENERAL})."
    if percent_open <= limit:
        return Judgement("sound", "closed", percent_open, "percent", None, says)
    if percent_open <= 4 * limit:
        return Judgement(
            "marginal", "does_not_close", percent_open, "percent", None, f"{says} It does not close fully."
        )
    return Judgement(
        "failed", "far_open", percent_open, "percent", None, f"{says} Stuck open: no need to start."
    )


def judge_egr_air(shut_mg: float, open_mg: float, expected_mg: float | None = None) -> Judgement:
    """Judge the air mass with the EGR driven shut and then open at the same speed: ``(m_shut -
    m_open)/m_shut``.

    Under 10 % nothing flows (general); low even when shut, against the expected air, means it never shuts.

    >>> judge_egr_air(520, 330).cls, judge_egr_air(520, 505).cls, judge_egr_air(330, 325, 530).cls
    ('flows', 'no_change', 'low_when_shut')
    """
    if shut_mg <= 0:
        return Judgement(
            "implausible", "implausible", None, None, None, "No air with the valve shut: repeat the reading."
        )
    share = (shut_mg - open_mg) / shut_mg
    says = (
        f"{plain(shut_mg)} mg shut, {plain(open_mg)} mg open: {round(share * 100)} % less air; under 10 %"
        f" nothing flows ({GENERAL})."
    )
    if share >= EGR_SHARE:
        return Judgement("sound", "flows", share * 100, "percent", None, says)
    if expected_mg is not None and shut_mg < (1 - 2 * FITS) * expected_mg:
        return Judgement(
            "failed",
            "low_when_shut",
            share * 100,
            "percent",
            None,
            f"{says} And low even when shut ({plain(expected_mg)} mg expected): it does not shut, or air"
            " leaks in before the sensor.",
        )
    return Judgement("failed", "no_change", share * 100, "percent", None, f"{says} Valve, passage or cooler.")


def judge_swirl(as_is_s: float, released_s: float) -> Judgement:
    """Judge the rev test with the flaps as they are and released: better by over a quarter speaks for flaps
    or manifold.

    >>> judge_swirl(6.0, 3.9).cls, judge_swirl(4.0, 3.8).cls
    ('better_released', 'same')
    """
    if as_is_s <= 0 or released_s <= 0:
        return Judgement(
            "implausible", "implausible", None, None, None, "A time of nothing: repeat the rev test."
        )
    gain = (as_is_s - released_s) / as_is_s
    says = (
        f"{plain(as_is_s)} s as it is, {plain(released_s)} s released: {round(gain * 100)} % quicker; over 25"
        f" % is the mark ({GENERAL})."
    )
    if gain > RELEASED_BETTER:
        return Judgement(
            "failed",
            "better_released",
            gain * 100,
            "percent",
            None,
            f"{says} The manifold is choked or the flaps are uneven.",
        )
    return Judgement(
        "sound", "same", gain * 100, "percent", None, f"{says} The flaps are not what holds it back."
    )


def leak_down_kpa(start_kpa: float, end_kpa: float, seconds: float, at_s: float) -> float:
    """Answer the pressure at a moment of a leak test, in kPa: it falls exponentially through start and end.

    >>> round(leak_down_kpa(70, 35, 60, 60)), round(leak_down_kpa(70, 35, 60, 120), 1)
    (35, 17.5)
    """
    return start_kpa * (max(end_kpa, 0.01 * start_kpa) / start_kpa) ** (at_s / seconds)


def judge_boost_leak(start_kpa: float, end_kpa: float, seconds: float) -> Judgement:
    """Judge the leak test of the boost side by its loss, taken to 60 s; over a fifth of the pressure leaks
    (general).

    >>> judge_boost_leak(70, 40, 60).cls, judge_boost_leak(70, 66, 60).cls
    ('leaks', 'tight')
    """
    if start_kpa <= 1:
        return Judgement(
            "failed", "leaks", 0.0, "kPa", None, "No pressure built up: a gross leak, or the cap is off."
        )
    if seconds <= 0 or end_kpa > start_kpa:
        return Judgement(
            "implausible",
            "implausible",
            None,
            None,
            None,
            "The pressure cannot rise by itself, and a time is wanted: repeat the test.",
        )
    left = leak_down_kpa(start_kpa, end_kpa, seconds, LEAK_S) / start_kpa
    says = (
        f"{plain(start_kpa)} to {plain(end_kpa)} kPa in {plain(seconds)} s, {round((1 - left) * 100)} % in a"
        f" minute; a fifth is the mark ({GENERAL})."
    )
    return (
        Judgement("failed", "leaks", (1 - left) * 100, "percent", None, f"{says} Smoke or soap shows where.")
        if left < LEAK_LEFT
        else Judgement("sound", "tight", (1 - left) * 100, "percent", None, says)
    )
