"""What a running engine shows on simple gauges: oil pressure, warming up, the fuel filter, the time it takes
to stop."""

from dataclasses import dataclass

from .limits import Limit
from .quantity import Judgement, plain


@dataclass(frozen=True, slots=True)
class RunningLimits:
    """The figures that judge a running engine and how it stops, units in their names."""

    oil_idle_bar: Limit
    oil_fast_bar: Limit
    oil_fast_from_rpm: Limit
    warm_c: Limit
    warm_within_min: Limit
    filter_drop_share: Limit
    filter_backwards_share: Limit
    stops_s: Limit
    hangs_s: Limit
    coil_low_ohm: Limit
    coil_high_ohm: Limit
    coil_short_share: Limit
    coil_open_ohm: Limit


def judge_oil_pressure(bar: float, rpm: float | None, limits: RunningLimits) -> Judgement:
    """Judge the oil pressure of a hot engine: 1 bar at idle, 2.5 bar from 1 200 per minute up (general).

    Parameters: `bar`: pressure in bar; `rpm`: speed per minute, None is taken for idle; `limits`: the limits
    of the area. Source: general, `figures/running.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(RunningLimits)
    >>> [judge_oil_pressure(b, r, limits).cls for b, r in ((0.6, 800), (2.0, 2000), (1.4, 800))]
    ['low', 'low', 'ok']
    """
    fast = rpm is not None and rpm >= limits.oil_fast_from_rpm
    wanted = limits.oil_fast_bar if fast else limits.oil_idle_bar
    says = (
        f"{plain(bar)} bar at {'idle' if rpm is None else plain(rpm) + ' per minute'}; {plain(wanted)} is"
        f" wanted when hot ({wanted.source})."
    )
    low = bar < wanted
    return Judgement(
        "failed" if low else "sound", "low" if low else "ok", bar, unit="bar", uncertainty=None, because=says
    )


def judge_warm_up(coolant_c: float, minutes: float | None, limits: RunningLimits) -> Judgement:
    """Judge whether the coolant got warm on a drive: 75 C after 15 minutes (general).

    Parameters: `coolant_c`: coolant in °C; `minutes`: minutes driven, None when not noted; `limits`: the
    limits of the area. Source: general, `figures/running.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(RunningLimits)
    >>> [judge_warm_up(c, m, limits).cls for c, m in ((62, 25), (84, 12), (60, 6))]
    ['cool', 'warm', 'unclear']
    """
    warm = limits.warm_c
    says = f"{plain(coolant_c)} °C" + ("" if minutes is None else f" after {plain(minutes)} min")
    if coolant_c >= warm:
        return Judgement(
            "sound",
            "warm",
            coolant_c,
            unit="degC",
            uncertainty=None,
            because=f"{says}; {plain(warm)} is wanted ({warm.source}).",
        )
    if minutes is None or minutes < limits.warm_within_min:
        return Judgement(
            "unclear",
            "unclear",
            coolant_c,
            unit="degC",
            uncertainty=None,
            because=f"{says}: drive {plain(limits.warm_within_min)} min at least before it says anything.",
        )
    return Judgement(
        "failed",
        "cool",
        coolant_c,
        unit="degC",
        uncertainty=None,
        because=(
            f"{says}; {plain(warm)} is wanted ({warm.source}). A thermostat stuck open, or a sensor that"
            " lies: compare with a thermometer."
        ),
    )


def judge_filter_drop(before_bar: float, after_bar: float, limits: RunningLimits) -> Judgement:
    """Judge the fuel filter by what is lost across it: a fifth of the pressure before it at most (general).

    Parameters: `before_bar`: pressure before it in bar; `after_bar`: pressure after it in bar; `limits`: the
    limits of the area. Source: general, `figures/running.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(RunningLimits)
    >>> [judge_filter_drop(b, a, limits).cls for b, a in ((3.2, 3.0), (3.4, 1.9), (2.0, 2.4))]
    ['ok', 'drop', 'implausible']
    """
    lost = before_bar - after_bar
    if before_bar <= 0 or lost < -limits.filter_backwards_share * before_bar:
        return Judgement(
            "implausible",
            "implausible",
            lost,
            unit="bar",
            uncertainty=None,
            because="More after the filter than before it cannot be: check the gauge and its place.",
        )
    most = limits.filter_drop_share * before_bar
    dropped = lost > most
    says = (
        f"{plain(max(lost, 0.0))} bar lost of {plain(before_bar)}; up to"
        f" {plain(most)} is in order ({limits.filter_drop_share.source})."
    )
    return Judgement(
        "failed" if dropped else "sound",
        "drop" if dropped else "ok",
        max(lost, 0.0),
        unit="bar",
        uncertainty=None,
        because=says,
    )


def judge_stop_time(seconds: float, limits: RunningLimits) -> Judgement:
    """Judge the time from key off to silence: under 2 s is healthy, over 4 s a partial leak (general).

    Parameters: `seconds`: time in s; `limits`: the limits of the area. Source: general,
    `figures/running.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_stop_time(s, general(RunningLimits)).cls for s in (1.2, 3, 6)]
    ['quick', 'slow', 'hangs']
    """
    says = (
        f"{plain(seconds)} s to silence; under {plain(limits.stops_s)} is healthy, over"
        f" {plain(limits.hangs_s)} means vacuum is lost on the way ({limits.hangs_s.source})."
    )
    if seconds < limits.stops_s:
        return Judgement("sound", "quick", seconds, unit="s", uncertainty=None, because=says)
    hangs = seconds > limits.hangs_s
    return Judgement(
        "failed" if hangs else "marginal",
        "hangs" if hangs else "slow",
        seconds,
        unit="s",
        uncertainty=None,
        because=says,
    )


def judge_key_switch(passes_off: bool | None, seals_on: bool | None, vents: bool | None) -> Judgement:
    """Judge the vacuum switch at the key by three answers: passes with the key off, seals with it on, vents.

    None: not tried. Sound only when all three were tried and are true; one no condemns it. Parameters:
    `passes_off`: passes with the key off, None when not tried; `seals_on`: seals with the key on, None when
    not tried.

    >>> (
    ...     judge_key_switch(True, True, True).cls,
    ...     judge_key_switch(False, None, None).cls,
    ...     judge_key_switch(True, None, True).cls,
    ... )
    ('sound', 'faulty', 'unclear')
    """
    asked = {"passes with the key off": passes_off, "seals with the key on": seals_on, "vents": vents}
    wrong = [name for name, answer in asked.items() if answer is False]
    if wrong:
        return Judgement(
            "failed",
            "faulty",
            None,
            unit=None,
            uncertainty=None,
            because=f"Does not do what it must: {', '.join(wrong)}.",
        )
    untried = [name for name, answer in asked.items() if answer is None]
    if untried:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=None,
            uncertainty=None,
            because=f"Not tried yet: {', '.join(untried)}.",
        )
    return Judgement("sound", "sound", None, unit=None, uncertainty=None, because="Passes, seals and vents.")


def judge_coil(ohm: float | None, limits: RunningLimits) -> Judgement:
    """Judge a solenoid's coil: 10 to 60 Ω (general). None is an open circuit.

    Parameters: resistance in ohm; the limits. Source: general, `figures/running.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_coil(ohm, general(RunningLimits)).cls for ohm in (28, None, 2, 90)]
    ['ok', 'open', 'short', 'unclear']
    """
    low = limits.coil_low_ohm
    high = limits.coil_high_ohm
    if ohm is None or ohm > limits.coil_open_ohm:
        return Judgement(
            "failed",
            "open",
            ohm,
            unit="ohm",
            uncertainty=None,
            because="Open circuit: the coil, or its pins.",
        )
    says = f"{plain(ohm)} Ω; {plain(low)} to {plain(high)} is usual ({low.source})."
    if ohm < limits.coil_short_share * low:
        return Judgement("failed", "short", ohm, unit="ohm", uncertainty=None, because=says)
    return Judgement(
        "sound" if low <= ohm <= high else "unclear",
        "ok" if low <= ohm <= high else "unclear",
        ohm,
        unit="ohm",
        uncertainty=None,
        because=says,
    )
