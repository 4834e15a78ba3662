"""Supplies, grounds, network wires and dropouts: what a meter at a connector says."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from math import comb

from .limits import Limit
from .quantity import Judgement, plain
from .words import sentence

SELDOM = 0.35


@dataclass(frozen=True, slots=True)
class WiringLimits:
    """The figures that judge pins, the network pair, a circuit's drop and a wiggle test, units in their
    names; shares are of the battery or the system voltage, or chances of coincidence."""

    feed_drop_v: Limit
    feed_drop_share: Limit
    feed_meter_v: Limit
    over_battery_v: Limit
    feed_missing_share: Limit
    ground_drop_v: Limit
    ground_open_v: Limit
    joint_drop_v: Limit
    stud_drop_v: Limit
    reference_low_v: Limit
    reference_high_v: Limit
    reference_lost_v: Limit
    pair_open_ohm: Limit
    pair_short_ohm: Limit
    pair_low_ohm: Limit
    pair_high_ohm: Limit
    pair_one_missing_ohm: Limit
    pair_one_missing_high_ohm: Limit
    pair_too_many_low_ohm: Limit
    pair_too_many_high_ohm: Limit
    high_low_v: Limit
    high_high_v: Limit
    low_low_v: Limit
    low_high_v: Limit
    network_meter_v: Limit
    network_supply_share: Limit
    network_asleep_v: Limit
    sum_low_v: Limit
    sum_high_v: Limit
    wiggle_least_s: Limit
    wiggle_sure_share: Limit
    wiggle_maybe_share: Limit
    signal_low_v: Limit
    signal_high_v: Limit
    signal_most_v: Limit


def judge_signal(volts: float, limits: WiringLimits) -> Judgement:
    """Judge the signal of a sensor on 5 V at rest: at an end of its span it is its wire, or the sensor
    itself.

    Parameters: `volts`: signal to sensor ground in V; `limits`: the limits of the area. Holds for sensors
    that are fed with 5 V and answer between the ends; a switch or a sensor on a frequency is not judged by
    it. Source: general, `figures/wiring.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(WiringLimits)
    >>> [judge_signal(v, limits).cls for v in (0.1, 0.6, 4.6, 4.95)]
    ['at_the_low_end', 'between_the_ends', 'between_the_ends', 'at_the_high_end']
    """
    low = limits.signal_low_v
    high = limits.signal_high_v
    says = f"{plain(volts)} V; a sensor on 5 V rests between {plain(low)} and {plain(high)} V ({low.source})."
    if volts > limits.signal_most_v:
        says += " More than its reference: a wire shorted to the supply, or another pin."
    elif volts > high:
        says += " At the top: its signal or ground wire is open, or it is shorted to the reference."
    elif volts < low:
        says += " At the bottom: shorted to ground, or no reference arrives."
    else:
        return Judgement("sound", "between_the_ends", volts, unit="V", uncertainty=None, because=says)
    cls = "at_the_low_end" if volts < low else "at_the_high_end"
    return Judgement("failed", cls, volts, unit="V", uncertainty=None, because=says)


def judge_supply(
    pin: str, volts: float, battery_v: tuple[float, float], limits: WiringLimits, loaded: bool | None = None
) -> Judgement:
    """Judge a supply, ground or reference pin: the supply across supply and ground, loaded, beside the
    battery measured in the same minute.

    Parameters: `pin`: `supply`, `ground` or `reference`; `volts`: volts; `battery_v`: lowest and highest
    battery voltage that may have held meanwhile, the same twice when it was measured then; `limits`: the
    limits of the area; `loaded`: whether the circuit drew current, None when not said. Budget (general): feed
    0.2 V under the battery, ground 0.1 V, reference 4.9 to 5.1 V. An open ground wire reads 0 V as a sound
    one does while nothing flows. Source: `figures/wiring.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits, battery = general(WiringLimits), (12.4, 12.4)
    >>> pins = (("supply", 0.1), ("ground", 0.4), ("reference", 5.0))
    >>> [judge_supply(pin, volts, battery, limits, True).cls for pin, volts in pins]
    ['missing', 'low', 'present']
    >>> judge_supply("ground", 0.0, battery, limits).cls, judge_supply("supply", 38, battery, limits).cls
    ('unclear', 'implausible')
    """

    def came_to(verdict: str, cls: str, because: str) -> Judgement:
        return Judgement(verdict, cls, volts, unit="V", uncertainty=None, because=because)

    if volts > battery_v[1] + limits.over_battery_v:
        says = f"{plain(volts)} V cannot be where the battery gives {plain(battery_v[1])}: probes and range."
        return came_to("implausible", "implausible", says)
    if pin == "ground":
        return _ground(volts, limits, loaded, came_to)
    if pin == "reference":
        return _reference(volts, limits, came_to)
    return _fed(volts, battery_v, limits, loaded, came_to)


CameTo = Callable[[str, str, str], Judgement]


def _ground(volts: float, limits: WiringLimits, loaded: bool | None, came_to: CameTo) -> Judgement:
    if volts > limits.ground_open_v:
        return came_to("failed", "missing", f"{plain(volts)} V on the ground pin: the ground is open.")
    if volts > limits.ground_drop_v:
        allowed = f"{plain(limits.ground_drop_v)} V is allowed ({limits.ground_drop_v.source})"
        return came_to("failed", "low", f"{plain(volts)} V lost in the ground; {allowed}.")
    if not loaded:
        says = "an open wire reads the same while nothing flows. Measure with the circuit drawing current,"
        return came_to("unclear", "unclear", f"{plain(volts)} V: {says} or from supply to ground.")
    return came_to("sound", "present", f"{plain(volts)} V on the ground pin under load: good.")


def _reference(volts: float, limits: WiringLimits, came_to: CameTo) -> Judgement:
    low = limits.reference_low_v
    high = limits.reference_high_v
    if low <= volts <= high:
        cls = "present"
    elif volts < limits.reference_lost_v:
        cls = "missing"
    else:
        cls = "low"
    tail = {
        "present": "good",
        "missing": "lost: unplug the sensors that share it one by one",
        "low": "off: one of the sensors that share it may pull at it",
    }[cls]
    says = f"Reference {plain(volts)} V; {plain(low)} to {plain(high)} V is right ({low.source}): {tail}."
    return came_to("sound" if cls == "present" else "failed", cls, says)


def _fed(
    volts: float, battery_v: tuple[float, float], limits: WiringLimits, loaded: bool | None, came_to: CameTo
) -> Judgement:
    if volts < limits.feed_missing_share * battery_v[0]:
        says = "no supply. Some modules drop it after a time: cycle the key, measure again within 30 s."
        return came_to("failed", "missing", f"{plain(volts)} V: {says}")
    least, most = (b - volts for b in battery_v)
    allowed = max(limits.feed_drop_v, limits.feed_drop_share * battery_v[0]) + limits.feed_meter_v
    budget = f"{plain(limits.feed_drop_v)} V is allowed ({limits.feed_drop_v.source})"
    if least > allowed:
        return came_to("failed", "low", f"{plain(volts)} V, {plain(least)} V under the battery; {budget}.")
    if most > allowed and least < most:
        between = f"the battery stood somewhere from {plain(battery_v[0])} to {plain(battery_v[1])} V"
        says = f"{plain(volts)} V, and {between}: measure it in the same minute."
        return came_to("unclear", "unclear", says)
    tail = "there." if loaded else "there, without load: a poor joint would still pass."
    return came_to("sound", "present", f"{plain(volts)} V: {tail}")


def judge_network(
    pin: str,
    value: float | None,
    unit: str,
    limits: WiringLimits,
    system_v: float = 12.0,
    other_v: float | None = None,
) -> Judgement:
    """Judge a wire of the two-wire network, or the resistance across the pair (battery off). None: open.

    General: high 2.5 to 3.0 V, low 2.0 to 2.5 V, their sum 4.8 to 5.2 V; across the pair 54 to 66 Ω, 108 to
    132 with one terminator missing, 35 to 50 with one too many, 5 to 35 a partial short, under 5 a short.

    Parameters: `pin`: `high`, `low` or `pair`; `value`: the value, None for open; `unit`: `V` or `ohm`;
    `limits`: the limits of the area; `system_v`: nominal voltage, 12 or 24; `other_v`: the other wire in V,
    None when not read. Source: ISO 11898-2, `figures/wiring.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(WiringLimits)
    >>> [judge_network(p, v, u, limits).cls for p, v, u in (("pair", 121, "ohm"), ("high", 12.1, "V"))]
    ['off', 'open_or_short']
    """
    if unit == "ohm":
        return _pair(value, limits)
    if value is None:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=unit,
            uncertainty=None,
            because="OL is no voltage: measure volts to ground.",
        )
    if pin == "high":
        low = limits.high_low_v
        high = limits.high_high_v
    else:
        low = limits.low_low_v
        high = limits.low_high_v
    if value > limits.network_supply_share * system_v or value < limits.network_asleep_v:
        return Judgement(
            "failed",
            "open_or_short",
            value,
            unit="V",
            uncertainty=None,
            because=(
                f"{plain(value)} V: shorted to {'the supply' if value > 1 else 'ground'}, or the network"
                " sleeps; wake it and repeat."
            ),
        )
    total = f" Sum of both {plain(value + other_v)} V." if other_v is not None else ""
    meter_v = limits.network_meter_v
    inside = low - meter_v <= value <= high + meter_v
    agree = other_v is None or limits.sum_low_v <= value + other_v <= limits.sum_high_v
    if not (inside and agree):
        return Judgement(
            "failed",
            "off",
            value,
            unit="V",
            uncertainty=None,
            because=f"{plain(value)} V; {plain(low)} to {plain(high)} V is usual ({low.source}).{total}",
        )
    return Judgement(
        "sound",
        "sound",
        value,
        unit="V",
        uncertainty=None,
        because=f"{plain(value)} V, as it should be.{total}",
    )


def _pair(ohm: float | None, limits: WiringLimits) -> Judgement:
    """The resistance across the network pair, battery off."""

    def came_to(verdict: str, cls: str, because: str) -> Judgement:
        return Judgement(verdict, cls, ohm, unit="ohm", uncertainty=None, because=because)

    shown = "Open" if ohm is None else f"{plain(ohm)} Ω across the pair"
    shorted = ohm is not None and ohm < limits.pair_short_ohm
    if ohm is None or ohm > limits.pair_open_ohm or shorted:
        says = "the pair is shorted" if shorted else "a wire is open"
        return came_to("failed", "open_or_short", f"{shown}; 60 Ω is right: {says}.")
    if limits.pair_low_ohm <= ohm <= limits.pair_high_ohm:
        return came_to("sound", "sound", f"{shown}: both terminators are there.")
    if limits.pair_too_many_high_ohm < ohm < limits.pair_low_ohm:
        says = "between one terminator too many and right: read again with the battery off."
        return came_to("unclear", "unclear", f"{shown}; 60 Ω is right: {says}")
    if limits.pair_one_missing_ohm <= ohm <= limits.pair_one_missing_high_ohm:
        tail = (
            "one terminator is missing; unplug the modules at the ends one by one: the end that changes"
            " nothing has none"
        )
    elif ohm > limits.pair_high_ohm:
        tail = "a poor joint, or something else on the pair"
    elif ohm >= limits.pair_too_many_low_ohm:
        tail = "one terminator too many"
    else:
        tail = "a partial short, or more loads than belong"
    return came_to("failed", "off", f"{shown}; 60 Ω is right ({limits.pair_low_ohm.source}): {tail}.")


def judge_unplugged(module: str, before_ohm: float | None, ohm: float, limits: WiringLimits) -> Judgement:
    """Judge the pair with one module unplugged against the pair with all of them: is it the one that holds
    a terminator, one too many, or the short?

    Parameters: `module`: what was unplugged, as the technician calls it; `before_ohm`: the pair with all
    plugged in, None when it was not read; `ohm`: now, ohm, infinite for OL; `limits`: the limits of the area.
    Source: terminators beside each other; what is unplugged takes its own along.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(WiringLimits)
    >>> judge_unplugged("Dosing unit", 120.0, math.inf, limits).because
    'Dosing unit holds the terminator that is left: the one at the other end is missing.'
    >>> [judge_unplugged("A", b, a, limits).cls for b, a in ((120, 121), (40, 60), (3, 60), (3, 3))]
    ['none_here', 'one_of_three', 'was_it', 'not_it']
    """
    module = sentence(module)
    if before_ohm is None:
        says = "Read the pair with everything plugged in first: only then does this compare."
        return Judgement("unclear", "unclear", None, unit="ohm", uncertainty=None, because=says)
    cls, says = _unplugged(module, before_ohm, ohm, limits)
    return Judgement(
        "unclear", cls, None if math.isinf(ohm) else ohm, unit="ohm", uncertainty=None, because=says
    )


def _unplugged(module: str, before: float, ohm: float, limits: WiringLimits) -> tuple[str, str]:
    one = (limits.pair_one_missing_ohm, limits.pair_one_missing_high_ohm)
    both = (limits.pair_low_ohm, limits.pair_high_ohm)
    if one[0] <= before <= one[1]:
        if ohm > limits.pair_open_ohm:
            return "holds_one", (
                f"{module} holds the terminator that is left: the one at the other end is missing."
            )
        if one[0] <= ohm <= one[1]:
            return "none_here", (
                f"{module} changes nothing, so it holds no terminator: where it is an end of the pair, its"
                " own is the missing one."
            )
    elif both[0] <= before <= both[1]:
        if one[0] <= ohm <= one[1]:
            return "holds_one", f"{module} holds one of the two terminators, as an end should."
        if both[0] <= ohm <= both[1]:
            return "none_here", f"{module} holds no terminator: it stands between the ends."
    elif before < both[0]:
        if both[0] <= ohm and before >= limits.pair_too_many_low_ohm:
            return "one_of_three", (
                f"{module} holds one of three terminators: where it is no end of the pair, it is the one too"
                " many."
            )
        if ohm >= both[0]:
            return "was_it", f"{module} or its stub pulls the pair down: it is right without it."
        return "not_it", f"{module} is not it: the pair stays low. Plug it in and unplug the next."
    elif before > both[1] and ohm >= both[1]:
        return "joint", (
            f"{module} unplugged, and it is still high: a joint. Read the pair at the next plug along; the"
            " joint lies where it jumps."
        )
    return (
        "unclear",
        f"{module} unplugged: this fits no plain case. Read the pair again with the battery off.",
    )


def judge_circuit_drop(drop_v: float, current_a: float | None, budget_v: Limit) -> Judgement:
    """Judge the voltage lost along a loaded circuit; ``R = dU/I`` when the current is known.

    Parameters: `drop_v`: drop in V; `current_a`: current in A, None when not measured; `budget_v`: what is
    allowed on this stretch, V. Source: Ohm's law, `figures/wiring.toml`.

    >>> judge_circuit_drop(0.9, 6.0, Limit(0.2, "V")).because
    '0.9 V lost at 6 A, that is 0.15 Ω; 0.2 V is allowed (general figure, check your service data).'
    """
    ohm = (
        f" at {plain(current_a)} A, that is {plain(drop_v / current_a)} Ω"
        if current_a and current_a > 0
        else ""
    )
    failed = drop_v > budget_v
    return Judgement(
        "failed" if failed else "sound",
        "drops" if failed else "sound",
        drop_v,
        unit="V",
        uncertainty=None,
        because=f"{plain(drop_v)} V lost{ohm}; {plain(budget_v)} V is allowed ({budget_v.source}).",
    )


def wiggle_chance(dropouts: int, wiggle_s: float, rest_dropouts: int, rest_s: float) -> float:
    """Return how likely so many dropouts fall into the wiggling by chance alone.

    Conditional binomial test of two rates: given `k + k0` dropouts in all, ``k ~ Bin(k + k0, t/(t + t0))``.
    Parameters: `dropouts`: dropouts while wiggling; `wiggle_s`: seconds of wiggling; `rest_dropouts`:
    dropouts with hands off; `rest_s`: seconds with hands off. Raises ZeroDivisionError when both times are 0.
    Source: the usual exact test of two Poisson rates.

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


def one_in(chance: float) -> str:
    """Write a chance as a person says it: about 1 in 64, 3 in 4.

    Parameters: `chance`: from 0 to 1. Source: how people say odds.

    >>> [one_in(p) for p in (1 / 64, 1 / 16, 0.0268, 0.75)]
    ['about 1 in 64', 'about 1 in 16', 'about 1 in 37', 'about 3 in 4']
    >>> [one_in(p) for p in (1.0, 0.5, 0.00001)]
    ['certain', 'about 1 in 2', 'under 1 in 1 000']
    """
    if chance < 0.001:
        return "under 1 in 1 000"
    if chance <= SELDOM:
        return f"about 1 in {round(1 / chance)}"
    over = min((2, 3, 4, 5, 10), key=lambda n: abs(round(chance * n) / n - chance) + 0.002 * n)
    times = round(chance * over)
    return "certain" if times == over else f"about {times} in {over}"


def judge_wiggle(
    dropouts: int,
    wiggle_s: float,
    rest_dropouts: int,
    rest_s: float,
    limits: WiringLimits,
    before_s: float = 0.0,
) -> Judgement:
    """Judge a wiggle test with its dropout log: is it the wiggling, or coincidence?

    Parameters: `dropouts`: dropouts while wiggling; `wiggle_s`: seconds of wiggling; `rest_dropouts`:
    dropouts with hands off; `rest_s`: seconds with hands off; `limits`: the limits of the area; `before_s`:
    how long it was wiggled when it dropped out before, s: quiet for less says nothing. Source:
    `wiggle_chance`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_wiggle(n, 60, 0, 60, general(WiringLimits)).cls for n in (6, 0, 2)]
    ['drops_out', 'steady', 'unclear']
    """
    if wiggle_s <= 0 or rest_s <= 0:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=None,
            uncertainty=None,
            because=(
                "Note how long you wiggled and how long you kept your hands off: only then do the two"
                " compare."
            ),
        )
    p = wiggle_chance(dropouts, wiggle_s, rest_dropouts, rest_s)
    says = (
        f"{dropouts} dropouts in {plain(wiggle_s)} s of wiggling, {rest_dropouts} in {plain(rest_s)} s"
        " without"
    )
    wanted_s = max(limits.wiggle_least_s, before_s)
    if dropouts + rest_dropouts == 0 and wiggle_s < wanted_s:
        than = "as before" if before_s > limits.wiggle_least_s else "at least"
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=None,
            uncertainty=None,
            because=f"{says}: quiet until now. Wiggle it for {plain(wanted_s)} s, {than}.",
        )
    if dropouts + rest_dropouts == 0:
        return Judgement(
            "sound",
            "steady",
            0.0,
            unit=None,
            uncertainty=None,
            because=(
                f"{says}: steady for now. A fretted contact may stay quiet for a while after it was moved."
            ),
        )
    if p <= limits.wiggle_sure_share:
        return Judgement(
            "failed",
            "drops_out",
            p,
            unit=None,
            uncertainty=None,
            because=f"{says}: a coincidence is {one_in(p)}. It is this connection.",
        )
    if p <= limits.wiggle_maybe_share:
        return Judgement(
            "marginal",
            "perhaps",
            p,
            unit=None,
            uncertainty=None,
            because=f"{says}: a coincidence is {one_in(p)}. Wiggle longer.",
        )
    return Judgement(
        "unclear",
        "unclear",
        p,
        unit=None,
        uncertainty=None,
        because=f"{says}: a coincidence is {one_in(p)}, so it says nothing yet. Wiggle longer.",
    )
