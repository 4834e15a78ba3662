"""Fuel and injectors: what resistance, return flow, balance, cut-out and rail pressure mean."""

from collections.abc import Sequence
from statistics import median

from .quantity import Judgement, combined, plain

GENERAL = "general figure, check your service data"
INJECTOR_OHM = {
    "rail_solenoid": (0.2, 0.8),
    "rail_piezo": (150e3, 220e3),
    "hydraulic_unit": (0.3, 5.0),
    "unit_injector": (0.3, 5.0),
}
OUTLIER = 3.0
BALANCE_MM3 = 4.0
RAIL_FIRES_BAR = (150.0, 250.0)
SUPPLY_SHARES = (0.5, 0.8)
MISFIRES_PER_1000 = 5.0


def robust_distance(values: Sequence[float], value: float, u: float) -> float:
    """Answer how far a value stands from its set, in robust standard deviations.

    ``|R - median|/max(1.4826*MAD, u)`` with the median absolute deviation MAD; `u` is the uncertainty of one
    value, in the same unit. Source: the usual scaling of the MAD to a normal spread.

    >>> robust_distance([0.40, 0.41, 0.42, 0.90], 0.90, 0.02)
    24.25
    """
    middle = median(values)
    spread = 1.4826 * median([abs(v - middle) for v in values])
    return round(abs(value - middle) / max(spread, u, 1e-12), 2)


def judge_injector_resistance(
    ohms: Sequence[float | None], u_ohm: Sequence[float], kind: str, hot: bool = False
) -> list[Judgement]:
    """Judge the resistances of a set of injectors, each against its range and against the others.

    Parameters: ohm per injector, None for an open reading; uncertainty of each in ohm; kind of injection;
    whether the part was hot. In range and in line means no electrical fault at this temperature, no more.

    >>> [j.cls for j in judge_injector_resistance([0.4, 0.42, None, 0.41], [0.03] * 4, "rail_solenoid")]
    ['sound', 'sound', 'open', 'sound']
    """
    low, high = INJECTOR_OHM.get(kind, INJECTOR_OHM["rail_solenoid"])
    read = [v for v in ohms if v is not None and v <= 100 * high]
    state = "hot" if hot else "at this temperature"
    found = []
    for value, u in zip(ohms, u_ohm, strict=True):
        says = (
            f"{_ohm(value)}; {_ohm(low)} to {_ohm(high)} is usual for this kind ({GENERAL})."
            if value is not None
            else ""
        )
        if value is None or value > 100 * high:
            found.append(
                Judgement(
                    "failed",
                    "open",
                    None if value is None else value,
                    "ohm",
                    u,
                    "Open circuit: wire, connector or coil. Repeat at the injector's own pins.",
                )
            )
        elif value + u < low or value - u > high:
            name = "low" if value < low else "high"
            found.append(
                Judgement(
                    "failed",
                    name,
                    value,
                    "ohm",
                    u,
                    f"{says} Out of range: "
                    + ("a short in the coil or wire." if name == "low" else "coil, wire or a worn terminal."),
                )
            )
        elif value - u < low or value + u > high:
            found.append(
                Judgement("unclear", "unclear", value, "ohm", u, f"{says} Too near the limit for this meter.")
            )
        elif len(read) >= 3 and robust_distance(read, value, u) > OUTLIER:
            found.append(
                Judgement(
                    "marginal",
                    "outlier",
                    value,
                    "ohm",
                    u,
                    f"{says} In range, but {plain(robust_distance(read, value, u))} spreads away from the"
                    f" others near {_ohm(median(read))}.",
                )
            )
        else:
            found.append(
                Judgement(
                    "sound",
                    "sound",
                    value,
                    "ohm",
                    u,
                    f"{says} No electrical fault {state}; it says nothing of spray or leaks.",
                )
            )
    return found


def _ohm(value: float) -> str:
    return f"{plain(value / 1000)} kohm" if value >= 1000 else f"{plain(value)} ohm"


def judge_insulation(mohm: float | None, kind: str, hot: bool = False) -> Judgement:
    """Judge an injector's insulation to the body: over 1 Mohm solenoid, over 10 Mohm piezo (general). None:
    open.

    >>> judge_insulation(0.3, "rail_solenoid").cls, judge_insulation(None, "rail_piezo").cls
    ('leaks', 'sound')
    """
    least = 10.0 if kind == "rail_piezo" else 1.0
    if mohm is None or mohm >= least:
        shown = "Open to the body" if mohm is None else f"{plain(mohm)} Mohm to the body"
        return Judgement(
            "sound", "sound", mohm, "Mohm", None, f"{shown}; over {plain(least)} is wanted ({GENERAL})."
        )
    return Judgement(
        "failed",
        "leaks",
        mohm,
        "Mohm",
        None,
        f"{plain(mohm)} Mohm to the body{' while hot' if hot else ''}; over {plain(least)} is wanted"
        f" ({GENERAL}): the insulation leaks.",
    )


def judge_leakoff(volumes_ml: Sequence[float], limit_ml: float | None = None) -> list[Judgement]:
    """Judge return volumes over the same time: over twice the median, or above the card's limit, is suspect.

    All above the card's limit points at the supply or at a worn-out set.

    >>> [j.cls for j in judge_leakoff([20, 22, 21, 60])]
    ['sound', 'sound', 'sound', 'high']
    >>> {j.cls for j in judge_leakoff([60, 62, 61, 60], limit_ml=40)}
    {'all_high'}
    """
    middle = median(volumes_ml)
    if limit_ml is not None and len(volumes_ml) > 1 and min(volumes_ml) > limit_ml:
        return [
            Judgement(
                "failed",
                "all_high",
                v,
                "ml",
                None,
                f"All over the card's {plain(limit_ml)} ml: a worn-out set, or too much supply.",
            )
            for v in volumes_ml
        ]
    found = []
    for v in volumes_ml:
        over_set, over_card = (
            len(volumes_ml) >= 3 and v > 2 * middle and v > 1,
            limit_ml is not None and v > limit_ml,
        )
        says = f"{plain(v)} ml; the set's middle is {plain(middle)} ml" + (
            f", the card allows {plain(limit_ml)}" if limit_ml is not None else ""
        )
        if over_set or over_card:
            found.append(
                Judgement(
                    "failed",
                    "high",
                    v,
                    "ml",
                    None,
                    f"{says}. {'Over twice the middle' if over_set else 'Over the limit'}: it returns too"
                    " much and steals the pressure.",
                )
            )
        elif len(volumes_ml) < 3 and limit_ml is None:
            found.append(
                Judgement(
                    "unclear",
                    "unclear",
                    v,
                    "ml",
                    None,
                    f"{plain(v)} ml. Read at least three injectors over the same time to compare.",
                )
            )
        else:
            found.append(
                Judgement(
                    "sound",
                    "sound",
                    v,
                    "ml",
                    None,
                    f"{says}. In line; twice the middle is the mark ({GENERAL}).",
                )
            )
    return found


def judge_balance(corrections_mm3: Sequence[float], limit_mm3: float = BALANCE_MM3) -> list[Judgement]:
    """Judge cylinder corrections in mm3 per stroke at idle, as deviations from their mean.

    Plus means it is given more because it gives less. Over the limit either way is suspect (general 4).

    >>> [j.cls for j in judge_balance([-1.5, -1.4, 5.0, -2.1])]
    ['sound', 'sound', 'needs_more', 'sound']
    """
    mean = sum(corrections_mm3) / len(corrections_mm3)
    found = []
    for v in corrections_mm3:
        off = v - mean
        says = (
            f"{plain(v)} mm3, {plain(abs(off))} {'over' if off >= 0 else 'under'} the mean; over"
            f" {plain(limit_mm3)} either way is suspect ({GENERAL})."
        )
        if abs(off) <= limit_mm3:
            found.append(Judgement("sound", "sound", v, "mm3", None, says))
        elif off > 0:
            found.append(
                Judgement(
                    "failed",
                    "needs_more",
                    v,
                    "mm3",
                    None,
                    f"{says} It is given more because it gives less: injector, compression or connection.",
                )
            )
        else:
            found.append(
                Judgement(
                    "failed",
                    "needs_less",
                    v,
                    "mm3",
                    None,
                    f"{says} It is held back because it gives too much: a dripping nozzle, or a wrong trim"
                    " code.",
                )
            )
    return found


def judge_cutout(drops_rpm: Sequence[float]) -> list[Judgement]:
    """Judge the drop in speed as each cylinder is cut: under half the median is weak, next to none is dead.

    >>> [j.cls for j in judge_cutout([60, 58, 2, 25])]
    ['even', 'even', 'dead', 'weak']
    """
    middle = median(sorted(drops_rpm)[len(drops_rpm) // 2 :]) if len(drops_rpm) > 1 else drops_rpm[0]
    found = []
    for v in drops_rpm:
        says = f"{plain(v)} rpm drop; the working cylinders drop about {plain(middle)}"
        if len(drops_rpm) < 3:
            found.append(
                Judgement(
                    "unclear",
                    "unclear",
                    v,
                    "rpm",
                    None,
                    f"{plain(v)} rpm drop. Cut at least three cylinders to compare.",
                )
            )
        elif v < 0.1 * middle:
            found.append(
                Judgement(
                    "failed",
                    "dead",
                    v,
                    "rpm",
                    None,
                    f"{says}. Cutting it changes nothing: this cylinder is dead.",
                )
            )
        elif v < 0.5 * middle:
            found.append(
                Judgement(
                    "failed", "weak", v, "rpm", None, f"{says}. Under half of them: this cylinder is weak."
                )
            )
        else:
            found.append(Judgement("sound", "even", v, "rpm", None, f"{says}: it does its share."))
    return found


def judge_misfires(count: float, revolutions: float, limit: float = MISFIRES_PER_1000) -> Judgement:
    """Judge a misfire counter per 1,000 revolutions (general limit 5).

    >>> judge_misfires(40, 2000).cls, judge_misfires(2, 4000).cls
    ('misfires', 'quiet')
    """
    if revolutions <= 0:
        return Judgement(
            "implausible",
            "implausible",
            None,
            None,
            None,
            "Counted over no revolutions: note how many it turned.",
        )
    rate = 1000 * count / revolutions
    says = f"{plain(rate)} misfires per 1,000 revolutions; {plain(limit)} is the mark ({GENERAL})."
    return (
        Judgement("failed", "misfires", rate, None, None, says)
        if rate > limit
        else Judgement("sound", "quiet", rate, None, None, says)
    )


def judge_compression(shares_percent: Sequence[float]) -> list[Judgement]:
    """Judge cranking-current peaks as percent of the best: under 85 % of the median is low, under 90 %
    marginal.

    >>> [j.cls for j in judge_compression([100, 98, 72, 99])]
    ['even', 'even', 'low', 'even']
    """
    middle = median(shares_percent) if len(shares_percent) >= 3 else 100.0
    found = []
    for v in shares_percent:
        share = 100 * v / middle if middle > 0 else 0.0
        says = (
            f"{plain(v)} % of the best, {plain(share)} % of the middle; under 85 % is a weak cylinder"
            f" ({GENERAL})."
        )
        cls = (
            ("failed", "low") if share < 85 else ("marginal", "marginal") if share < 90 else ("sound", "even")
        )
        found.append(Judgement(cls[0], cls[1], v, "percent", 2.0, says))
    return found


def judge_rail_cranking(bar: float) -> Judgement:
    """Judge the rail pressure while cranking: it needs about 150 to 250 bar to fire (general).

    >>> judge_rail_cranking(90).cls, judge_rail_cranking(200).cls, judge_rail_cranking(310).cls
    ('failed', 'marginal', 'sound')
    """
    low, good = RAIL_FIRES_BAR
    cls = "failed" if bar < low else "marginal" if bar < good else "sound"
    tail = {
        "failed": "Too low to open an injector: pump, valve, return flow or supply",
        "marginal": "It may fire late: look at what it takes to get there",
        "sound": "Enough to fire",
    }[cls]
    return Judgement(
        cls,
        cls,
        bar,
        "bar",
        None,
        f"{plain(bar)} bar while cranking; a rail injector needs about {plain(low)} to {plain(good)} bar to"
        f" open ({GENERAL}). {tail}.",
    )


def judge_supply_pressure(bar: float, wanted_bar: float, from_card: bool) -> Judgement:
    """Judge the low-pressure fuel supply against what is wanted: under half has failed, under 80 % is
    marginal.

    >>> judge_supply_pressure(0.8, 3.0, False).cls
    'failed'
    """
    share = bar / wanted_bar
    cls = "failed" if share < SUPPLY_SHARES[0] else "marginal" if share < SUPPLY_SHARES[1] else "sound"
    source = "the card" if from_card else GENERAL
    tail = "Filter, pump or air." if cls != "sound" else "Enough for the high-pressure pump."
    return Judgement(
        cls, cls, bar, "bar", None, f"{plain(bar)} bar; {plain(wanted_bar)} bar is wanted ({source}). {tail}"
    )


def injector_u_ohm(shown: float, accuracy_percent: float, floor_ohm: float) -> float:
    """Answer the uncertainty of one injector reading in ohm: the meter's share and a floor for skin and
    contact.

    >>> round(injector_u_ohm(0.4, 1.0, 0.03), 3)
    0.03
    """
    return combined(shown * accuracy_percent / 100, floor_ohm)
