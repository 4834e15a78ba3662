"""What a running engine shows on simple gauges: oil pressure, warming up, the fuel filter, the time it takes
to stop."""

from .quantity import Judgement, plain

GENERAL = "general figure, check your service data"
IDLE_BAR, FAST_BAR, IDLE_TO_RPM = 1.0, 2.5, 1200.0
WARM_C, WARM_WITHIN_MIN = 75.0, 15.0
FILTER_DROP_SHARE = 0.2
STOPS_S, HANGS_S = 2.0, 4.0
COIL_OHM = (10.0, 60.0)


def judge_oil_pressure(bar: float, rpm: float | None) -> Judgement:
    """Judge the oil pressure of a hot engine: 1 bar at idle, 2.5 bar from 1,200 per minute up (general).

    Parameters: pressure in bar, engine speed per minute; None is taken for idle.

    >>> judge_oil_pressure(0.6, 800).cls, judge_oil_pressure(2.0, 2000).cls, judge_oil_pressure(1.4, 800).cls
    ('low', 'low', 'ok')
    """
    wanted = FAST_BAR if rpm is not None and rpm >= IDLE_TO_RPM else IDLE_BAR
    says = (
        f"{plain(bar)} bar at {'idle' if rpm is None else plain(rpm) + ' per minute'}; {plain(wanted)} is"
        f" wanted when hot ({GENERAL})."
    )
    low = bar < wanted
    return Judgement("failed" if low else "sound", "low" if low else "ok", bar, "bar", None, says)


def judge_warm_up(coolant_c: float, minutes: float | None) -> Judgement:
    """Judge whether the coolant got warm on a drive: 75 C after 15 minutes (general).

    >>> judge_warm_up(62, 25).cls, judge_warm_up(84, 12).cls, judge_warm_up(60, 6).cls
    ('cool', 'warm', 'unclear')
    """
    says = f"{plain(coolant_c)} °C" + ("" if minutes is None else f" after {plain(minutes)} min")
    if coolant_c >= WARM_C:
        return Judgement(
            "sound", "warm", coolant_c, "degC", None, f"{says}; {plain(WARM_C)} is wanted ({GENERAL})."
        )
    if minutes is None or minutes < WARM_WITHIN_MIN:
        return Judgement(
            "unclear",
            "unclear",
            coolant_c,
            "degC",
            None,
            f"{says}: drive {plain(WARM_WITHIN_MIN)} min at least before it says anything.",
        )
    return Judgement(
        "failed",
        "cool",
        coolant_c,
        "degC",
        None,
        f"{says}; {plain(WARM_C)} is wanted ({GENERAL}). A thermostat stuck open, or a sensor that lies:"
        " compare with a thermometer.",
    )


def judge_filter_drop(before_bar: float, after_bar: float) -> Judgement:
    """Judge the fuel filter by what is lost across it: a fifth of the pressure before it at most (general).

    >>> judge_filter_drop(3.2, 3.0).cls, judge_filter_drop(3.4, 1.9).cls, judge_filter_drop(2.0, 2.4).cls
    ('ok', 'drop', 'implausible')
    """
    lost = before_bar - after_bar
    if before_bar <= 0 or lost < -0.1 * before_bar:
        return Judgement(
            "implausible",
            "implausible",
            lost,
            "bar",
            None,
            "More after the filter than before it cannot be: check the gauge and its place.",
        )
    dropped = lost > FILTER_DROP_SHARE * before_bar
    says = (
        f"{plain(max(lost, 0.0))} bar lost of {plain(before_bar)}; up to"
        f" {plain(FILTER_DROP_SHARE * before_bar)} is in order ({GENERAL})."
    )
    return Judgement(
        "failed" if dropped else "sound", "drop" if dropped else "ok", max(lost, 0.0), "bar", None, says
    )


def judge_stop_time(seconds: float) -> Judgement:
    """Judge the time from key off to silence: under 2 s is healthy, over 4 s a partial leak (general).

    >>> judge_stop_time(1.2).cls, judge_stop_time(3).cls, judge_stop_time(6).cls
    ('quick', 'slow', 'hangs')
    """
    says = (
        f"{plain(seconds)} s to silence; under {plain(STOPS_S)} is healthy, over {plain(HANGS_S)} means"
        f" vacuum is lost on the way ({GENERAL})."
    )
    if seconds < STOPS_S:
        return Judgement("sound", "quick", seconds, "s", None, says)
    hangs = seconds > HANGS_S
    return Judgement(
        "failed" if hangs else "marginal", "hangs" if hangs else "slow", seconds, "s", None, says
    )


def judge_key_switch(passes_off: bool | None, seals_on: bool | None, vents: bool | None) -> Judgement:
    """Judge the vacuum switch at the key by three answers: passes with the key off, seals with it on, vents.

    None: not tried. Sound only when all three were tried and are true; one no condemns it.

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
            "failed", "faulty", None, None, None, f"Does not do what it must: {', '.join(wrong)}."
        )
    untried = [name for name, answer in asked.items() if answer is None]
    if untried:
        return Judgement("unclear", "unclear", None, None, None, f"Not tried yet: {', '.join(untried)}.")
    return Judgement("sound", "sound", None, None, None, "Passes, seals and vents.")


def judge_coil(ohm: float | None) -> Judgement:
    """Judge a solenoid's coil: 10 to 60 ohm (general). None is an open circuit.

    >>> judge_coil(28).cls, judge_coil(None).cls, judge_coil(2).cls, judge_coil(90).cls
    ('ok', 'open', 'short', 'unclear')
    """
    low, high = COIL_OHM
    if ohm is None or ohm > 1000:
        return Judgement("failed", "open", ohm, "ohm", None, "Open circuit: the coil, or its pins.")
    says = f"{plain(ohm)} ohm; {plain(low)} to {plain(high)} is general, check your service data."
    if ohm < low / 2:
        return Judgement("failed", "short", ohm, "ohm", None, says)
    return Judgement(
        "sound" if low <= ohm <= high else "unclear",
        "ok" if low <= ohm <= high else "unclear",
        ohm,
        "ohm",
        None,
        says,
    )
