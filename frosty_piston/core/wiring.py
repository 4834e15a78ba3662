"""Supplies, grounds, network wires and dropouts: what a meter at a connector says."""

from math import comb

from .quantity import Judgement, percent, plain

GENERAL = "general figure, check your service data"
FEED_DROP_V, GROUND_DROP_V = 0.2, 0.1
SURE_OF_WIGGLE, MAYBE_WIGGLE = 0.02, 0.15


def judge_supply(pin: str, volts: float, battery_v: float) -> Judgement:
    """Judge a supply, ground or reference pin, measured under load where that can be done.

    Parameters: `supply`, `ground` or `reference`; volts at the pin; battery voltage then. Budget (general):
    feed 0.2 V under the battery, ground 0.1 V, reference 4.9 to 5.1 V.

    >>> (
    ...     judge_supply("supply", 0.1, 12.4).cls,
    ...     judge_supply("ground", 0.4, 12.4).cls,
    ...     judge_supply("reference", 5.0, 12.4).cls,
    ... )
    ('missing', 'low', 'present')
    """
    if pin == "ground":
        if volts > 1.0:
            return Judgement(
                "failed",
                "missing",
                volts,
                "V",
                None,
                f"{plain(volts)} V on the ground pin: the ground is open.",
            )
        if volts > GROUND_DROP_V:
            return Judgement(
                "failed",
                "low",
                volts,
                "V",
                None,
                f"{plain(volts)} V lost in the ground; {plain(GROUND_DROP_V)} V is allowed ({GENERAL}).",
            )
        return Judgement("sound", "present", volts, "V", None, f"{plain(volts)} V on the ground pin: good.")
    if pin == "reference":
        cls = "present" if 4.9 <= volts <= 5.1 else "missing" if volts < 1 else "low"
        tail = {
            "present": "good",
            "missing": "lost: unplug the sensors that share it one by one",
            "low": "off: one of the sensors that share it may pull at it",
        }[cls]
        return Judgement(
            "sound" if cls == "present" else "failed",
            cls,
            volts,
            "V",
            None,
            f"Reference {plain(volts)} V; 4.9 to 5.1 V is right ({GENERAL}): {tail}.",
        )
    drop = battery_v - volts
    if volts < 0.2 * battery_v:
        return Judgement(
            "failed",
            "missing",
            volts,
            "V",
            None,
            f"{plain(volts)} V: no supply. Some modules drop it after a time: cycle the key, measure again"
            " within 30 s.",
        )
    if drop > max(FEED_DROP_V, 0.02 * battery_v) + 0.05:
        return Judgement(
            "failed",
            "low",
            volts,
            "V",
            None,
            f"{plain(volts)} V, {plain(drop)} V under the battery; {plain(FEED_DROP_V)} V is allowed"
            f" ({GENERAL}).",
        )
    return Judgement("sound", "present", volts, "V", None, f"{plain(volts)} V: there.")


def judge_network(
    pin: str, value: float | None, unit: str, system_v: float = 12.0, other_v: float | None = None
) -> Judgement:
    """Judge a wire of the two-wire network, or the resistance across the pair (battery off). None: open.

    General: high 2.5 to 3.0 V, low 2.0 to 2.5 V, their sum 4.8 to 5.2 V; across the pair 60 ohm, 120 with one
    terminator missing, 40 with one too many, under 5 a short. `other_v`: the other wire, to check the sum.

    >>> (
    ...     judge_network("pair", 121, "ohm").cls,
    ...     judge_network("pair", 60.4, "ohm").cls,
    ...     judge_network("high", 12.1, "V").cls,
    ... )
    ('off', 'sound', 'open_or_short')
    """
    if unit == "ohm":
        shown = "Open" if value is None else f"{plain(value)} ohm across the pair"
        if value is None or value > 1000 or value < 5:
            return Judgement(
                "failed",
                "open_or_short",
                value,
                "ohm",
                None,
                f"{shown}; 60 ohm is right:"
                f" {'the pair is shorted' if value is not None and value < 5 else 'a wire is open'}.",
            )
        if 54 <= value <= 66:
            return Judgement("sound", "sound", value, "ohm", None, f"{shown}: both terminators are there.")
        tail = (
            "one terminator is missing"
            if value > 100
            else "one terminator too many"
            if value < 48
            else "a poor joint, or something else on the pair"
        )
        return Judgement(
            "failed", "off", value, "ohm", None, f"{shown}; 60 ohm is right ({GENERAL}): {tail}."
        )
    if value is None:
        return Judgement("unclear", "unclear", None, unit, None, "OL is no voltage: measure volts to ground.")
    low, high = (2.5, 3.0) if pin == "high" else (2.0, 2.5)
    if value > 0.7 * system_v or value < 0.3:
        return Judgement(
            "failed",
            "open_or_short",
            value,
            "V",
            None,
            f"{plain(value)} V: shorted to {'the supply' if value > 1 else 'ground'}, or the network sleeps;"
            " wake it and repeat.",
        )
    total = f" Sum of both {plain(value + other_v)} V." if other_v is not None else ""
    if not low - 0.05 <= value <= high + 0.05 or other_v is not None and not 4.8 <= value + other_v <= 5.2:
        return Judgement(
            "failed",
            "off",
            value,
            "V",
            None,
            f"{plain(value)} V; {plain(low)} to {plain(high)} V is usual ({GENERAL}).{total}",
        )
    return Judgement("sound", "sound", value, "V", None, f"{plain(value)} V, as it should be.{total}")


def judge_circuit_drop(drop_v: float, current_a: float | None, budget_v: float = FEED_DROP_V) -> Judgement:
    """Judge the voltage lost along a loaded circuit; ``R = dU/I`` when the current is known.

    >>> judge_circuit_drop(0.9, 6.0).because
    '0.9 V lost at 6 A, that is 0.15 ohm; 0.2 V is allowed (general figure, check your service data).'
    """
    ohm = (
        f" at {plain(current_a)} A, that is {plain(drop_v / current_a)} ohm"
        if current_a and current_a > 0
        else ""
    )
    failed = drop_v > budget_v
    return Judgement(
        "failed" if failed else "sound",
        "drops" if failed else "sound",
        drop_v,
        "V",
        None,
        f"{plain(drop_v)} V lost{ohm}; {plain(budget_v)} V is allowed ({GENERAL}).",
    )


def wiggle_chance(dropouts: int, wiggle_s: float, rest_dropouts: int, rest_s: float) -> float:
    """Answer how likely so many dropouts fall into the wiggling by chance alone.

    Conditional binomial test of two rates: given `k + k0` dropouts in all, ``k ~ Bin(k + k0, t/(t + t0))``.

    >>> round(wiggle_chance(6, 60, 0, 60), 3), wiggle_chance(0, 60, 0, 60)
    (0.016, 1.0)
    """
    total = dropouts + rest_dropouts
    if total == 0:
        return 1.0
    share = wiggle_s / (wiggle_s + rest_s)
    return min(
        1.0, sum(comb(total, k) * share**k * (1 - share) ** (total - k) for k in range(dropouts, total + 1))
    )


def judge_wiggle(dropouts: int, wiggle_s: float, rest_dropouts: int, rest_s: float) -> Judgement:
    """Judge a wiggle test with its dropout log: is it the wiggling, or coincidence?

    >>> judge_wiggle(6, 60, 0, 60).cls, judge_wiggle(0, 60, 0, 60).cls, judge_wiggle(2, 60, 0, 60).cls
    ('drops_out', 'steady', 'unclear')
    """
    if wiggle_s <= 0 or rest_s <= 0:
        return Judgement(
            "unclear",
            "unclear",
            None,
            None,
            None,
            "Note how long you wiggled and how long you kept your hands off: only then do the two compare.",
        )
    p = wiggle_chance(dropouts, wiggle_s, rest_dropouts, rest_s)
    says = (
        f"{dropouts} dropouts in {plain(wiggle_s)} s of wiggling, {rest_dropouts} in {plain(rest_s)} s"
        " without"
    )
    if dropouts + rest_dropouts == 0:
        return Judgement(
            "sound",
            "steady",
            0.0,
            None,
            None,
            f"{says}: steady for now. A fretted contact may stay quiet for a while after it was moved.",
        )
    if p <= SURE_OF_WIGGLE:
        return Judgement(
            "failed",
            "drops_out",
            p,
            None,
            None,
            f"{says}: coincidence is {percent(p)} likely. It is this connection.",
        )
    if p <= MAYBE_WIGGLE:
        return Judgement(
            "marginal",
            "perhaps",
            p,
            None,
            None,
            f"{says}: coincidence is {percent(p)} likely. Wiggle longer.",
        )
    return Judgement(
        "unclear",
        "unclear",
        p,
        None,
        None,
        f"{says}: coincidence is {percent(p)} likely, so it says nothing yet. Wiggle longer.",
    )
