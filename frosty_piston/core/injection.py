"""Fuel and injectors: what resistance, return flow, balance, cut-out and rail pressure mean."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median

from .limits import Limit
from .quantity import Judgement, combined, plain

GENERAL_KIND = "rail_solenoid"
LEAST_SET = 3


@dataclass(frozen=True, slots=True)
class InjectorKind:
    """General figures of a kind of injector: coil in ohm, least insulation in Mohm, what skin and contact add
    to a reading in ohm."""

    low_ohm: Limit
    high_ohm: Limit
    insulation_mohm: Limit
    floor_ohm: Limit


@dataclass(frozen=True, slots=True, eq=False)
class InjectionLimits:
    """The figures that judge fuel and injectors, units in their names; shares and times are of the middle of
    the set, of the wanted pressure, or of the best cylinder."""

    hot_part_c: Limit
    cold_part_c: Limit
    guess_part_c: Limit
    outlier_spreads: Limit
    open_times: Limit
    return_ml: Limit | None
    return_times: Limit
    return_least_ml: Limit
    balance_mm3: Limit
    cut_noise_rpm: Limit
    cut_dead_share: Limit
    cut_weak_share: Limit
    misfires_per_1000: Limit
    compression_low_percent: Limit
    compression_marginal_percent: Limit
    compression_u_percent: Limit
    rail_opens_bar: Limit
    rail_good_bar: Limit
    rail_rest_bar: Limit
    rail_rest_least_bar: Limit
    supply_bar: Limit
    supply_failed_share: Limit
    supply_marginal_share: Limit
    kinds: Mapping[str, InjectorKind]

    def kind(self, injection: str | None) -> InjectorKind:
        """What a kind of injector is like; one that is not listed is taken as a rail's solenoid.

        Parameters: `injection`: kind of injection, None when the card does not say.

        >>> from frosty_piston.knowledge.figures import general
        >>> general(InjectionLimits).kind("rail_piezo").low_ohm, general(InjectionLimits).kind(None).low_ohm
        (150000.0, 0.2)
        """
        return self.kinds.get(injection or GENERAL_KIND, self.kinds[GENERAL_KIND])


COPPER_PER_K = 0.00393


def robust_distance(values: Sequence[float], value: float, u: float) -> float:
    """Return how far a value stands from its set, in robust standard deviations.

    ``|R - median|/max(1.4826*MAD, u)`` with the median absolute deviation MAD; `u` is the uncertainty of one
    value, in the same unit. Raises StatisticsError for an empty set. Source: the usual scaling of the MAD to
    a normal spread. Parameters: `values`: values of the set.

    >>> robust_distance([0.40, 0.41, 0.42, 0.90], 0.90, 0.02)
    24.25
    """
    middle = median(values)
    spread = 1.4826 * median([abs(v - middle) for v in values])
    return round(abs(value - middle) / max(spread, u, 1e-12), 2)


def at_20_c(ohm: float, celsius: float, kind: str) -> float:
    """Return what an injector would read at 20 C, where its range stands: a coil is copper, 0.393 % a kelvin;
    a piezo's resistor hardly changes.

    Parameters: `ohm`: as read, ohm; `celsius`: the part then, C, above -230; `kind`: kind of injection.
    Source: temperature coefficient of copper, IEC 60028.

    >>> round(at_20_c(0.527, 85, "rail_solenoid"), 3), at_20_c(185_000, 85, "rail_piezo")
    (0.42, 185000)
    """
    return ohm if kind == "rail_piezo" else ohm / (1 + COPPER_PER_K * (celsius - 20))


def judge_injector_resistance(
    ohms: Sequence[float | None],
    u_ohm: Sequence[float],
    kind: str,
    limits: InjectionLimits,
    hot: bool = False,
    u_share: Sequence[float] | None = None,
) -> list[Judgement]:
    """Judge the resistances of a set of injectors, each against its range and against the others.

    Parameters: `ohms`: ohm per injector, None for an open reading; `u_ohm`: uncertainty of each in ohm;
    `kind`: kind of injection; `limits`: the limits of the area; `hot`: whether the part was hot; `u_share`:
    what a guessed temperature adds against the range, as a share of each, none where it is not given: among
    themselves they were equally warm. In range and in line means no electrical fault at this temperature, no
    more. Raises ValueError when the rows differ in length. Source: general, `figures/injection.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> ohms, limits = [0.4, 0.42, None, 0.41], general(InjectionLimits)
    >>> [j.cls for j in judge_injector_resistance(ohms, [0.03] * 4, "rail_solenoid", limits)]
    ['sound', 'sound', 'open', 'sound']
    """
    of_kind = limits.kind(kind)
    low = of_kind.low_ohm
    high = of_kind.high_ohm
    open_ohm = limits.open_times * of_kind.high_ohm
    read = [v for v in ohms if v is not None and v <= open_ohm]
    state = "hot" if hot else "at this temperature"
    judgements = []
    for value, one, share in zip(ohms, u_ohm, u_share or [0.0] * len(ohms), strict=True):
        u = combined(one, share * (value or 0.0))
        says = (
            f"{_ohm(value)}; {_ohm(low)} to {_ohm(high)} is usual for this kind ({low.source})."
            if value is not None
            else ""
        )
        if value is None or value > open_ohm:
            judgements.append(
                Judgement(
                    "failed",
                    "open",
                    None if value is None else value,
                    unit="ohm",
                    uncertainty=u,
                    because="Open circuit: wire, connector or coil. Repeat at the injector's own pins.",
                )
            )
        elif value + u < low or value - u > high:
            name = "low" if value < low else "high"
            judgements.append(
                Judgement(
                    "failed",
                    name,
                    value,
                    unit="ohm",
                    uncertainty=u,
                    because=f"{says} Out of range: "
                    + ("a short in the coil or wire." if name == "low" else "coil, wire or a worn terminal."),
                )
            )
        elif value - u < low or value + u > high:
            beside = {"low": value - u >= low, "high": value + u <= high}
            judgements.append(
                Judgement(
                    "unclear",
                    "unclear",
                    value,
                    unit="ohm",
                    uncertainty=u,
                    because=f"{says} Too near the limit for this meter. It is not open.",
                    not_these=("open", *(cls for cls, out in beside.items() if out)),
                )
            )
        elif len(read) >= 3 and robust_distance(read, value, one) > limits.outlier_spreads:
            judgements.append(
                Judgement(
                    "marginal",
                    "outlier",
                    value,
                    unit="ohm",
                    uncertainty=u,
                    because=(
                        f"{says} In range, but {plain(robust_distance(read, value, one))} spreads away from"
                        f" the others near {_ohm(median(read))}."
                    ),
                )
            )
        else:
            judgements.append(
                Judgement(
                    "sound",
                    "sound",
                    value,
                    unit="ohm",
                    uncertainty=u,
                    because=f"{says} No electrical fault {state}; it says nothing of spray or leaks.",
                )
            )
    return judgements


def _ohm(value: float) -> str:
    return f"{plain(value / 1000)} kΩ" if value >= 1000 else f"{plain(value)} Ω"


def judge_insulation(mohm: float | None, kind: str, limits: InjectionLimits, hot: bool = False) -> Judgement:
    """Judge an injector's insulation to the body: over 1 MΩ solenoid, over 10 MΩ piezo (general). None: open.

    Parameters: `mohm`: MΩ to the body, None for open; `kind`: kind of injection; `limits`: the limits of the
    area; `hot`: whether the part was hot. Source: general, `figures/injection.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(InjectionLimits)
    >>> judge_insulation(0.3, "rail_solenoid", limits).cls, judge_insulation(None, "rail_piezo", limits).cls
    ('leaks', 'sound')
    """
    least = limits.kind(kind).insulation_mohm
    if mohm is None or mohm >= least:
        shown = "Open to the body" if mohm is None else f"{plain(mohm)} MΩ to the body"
        return Judgement(
            "sound",
            "sound",
            mohm,
            unit="Mohm",
            uncertainty=None,
            because=f"{shown}; over {plain(least)} MΩ is wanted ({least.source}).",
        )
    return Judgement(
        "failed",
        "leaks",
        mohm,
        unit="Mohm",
        uncertainty=None,
        because=f"{plain(mohm)} MΩ to the body{' while hot' if hot else ''}; over {plain(least)} MΩ is wanted"
        f" ({least.source}): the insulation leaks.",
    )


def _measure_of_set(values: Sequence[float], times: float) -> float:
    """The middle of a set, or of its lower half when the upper half stands apart from it as a whole: then
    half of them are bad, and the good ones are the measure."""
    ordered = sorted(values)
    half = len(ordered) // 2
    if half < 2:
        return median(ordered)
    low = median(ordered[:half])
    high = median(ordered[-half:])
    return low if high > times * low else median(ordered)


def judge_leakoff(volumes_ml: Sequence[float], limits: InjectionLimits) -> list[Judgement]:
    """Judge return volumes over the same time: over twice the middle, or above the card's limit, is suspect.
    Where half of the set is high, the other half is the measure.

    All above the card's limit points at the supply or at a worn-out set.

    Parameters: `volumes_ml`: ml of each injector over the same time; `limits`: the limits of the area. Raises
    StatisticsError without a volume.

    >>> from dataclasses import replace
    >>> from frosty_piston.core.limits import CARD
    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(InjectionLimits)
    >>> [j.cls for j in judge_leakoff([20, 22, 21, 60], limits)]
    ['sound', 'sound', 'sound', 'high']
    >>> [j.cls for j in judge_leakoff([20, 22, 60, 62], limits)]
    ['sound', 'sound', 'high', 'high']
    >>> {j.cls for j in judge_leakoff([60, 62, 61, 60], replace(limits, return_ml=Limit(40, "ml", CARD)))}
    {'all_high'}
    """
    limit_ml = limits.return_ml
    middle = _measure_of_set(volumes_ml, limits.return_times)
    apart = f"Over {plain(limits.return_times)} times the middle"
    if limit_ml is not None and len(volumes_ml) > 1 and min(volumes_ml) > limit_ml:
        return [
            Judgement(
                "failed",
                "all_high",
                v,
                unit="ml",
                uncertainty=None,
                because=f"All over the card's {plain(limit_ml)} ml: a worn-out set, or too much supply.",
            )
            for v in volumes_ml
        ]
    judgements = []
    for v in volumes_ml:
        over_set = len(volumes_ml) >= 3 and v > limits.return_times * middle and v > limits.return_least_ml
        over_card = limit_ml is not None and v > limit_ml
        says = f"{plain(v)} ml; the set's middle is {plain(middle)} ml" + (
            f", the card allows {plain(limit_ml)}" if limit_ml is not None else ""
        )
        if over_set or over_card:
            judgements.append(
                Judgement(
                    "failed",
                    "high",
                    v,
                    unit="ml",
                    uncertainty=None,
                    because=f"{says}."
                    f" {apart if over_set else 'Over the limit'}: it returns too much and steals the"
                    " pressure.",
                )
            )
        elif len(volumes_ml) < 3 and limit_ml is None:
            judgements.append(
                Judgement(
                    "unclear",
                    "unclear",
                    v,
                    unit="ml",
                    uncertainty=None,
                    because=f"{plain(v)} ml. Read at least three injectors over the same time to compare.",
                )
            )
        else:
            judgements.append(
                Judgement(
                    "sound",
                    "sound",
                    v,
                    unit="ml",
                    uncertainty=None,
                    because=f"{says}. In line; {plain(limits.return_times)} times the middle is the mark"
                    f" ({limits.return_times.source}).",
                )
            )
    return judgements


def judge_balance(corrections_mm3: Sequence[float], limits: InjectionLimits) -> list[Judgement]:
    """Judge cylinder corrections in mm3 per stroke at idle, as deviations from their mean.

    Plus means it is given more because it gives less. Over the limit either way is suspect (general 4). Three
    cylinders at least are compared.

    Parameters: `corrections_mm3`: mm3 per stroke of each cylinder; `limits`: the limits of the area. Raises
    ZeroDivisionError without a cylinder. Source: general, `figures/injection.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [j.cls for j in judge_balance([-1.5, -1.4, 5.0, -2.1], general(InjectionLimits))]
    ['sound', 'sound', 'needs_more', 'sound']
    """
    limit_mm3 = limits.balance_mm3
    if len(corrections_mm3) < LEAST_SET:
        says = "Read at least three cylinders to compare."
        return [
            Judgement(
                "unclear", "unclear", v, unit="mm3", uncertainty=None, because=f"{plain(v)} mm³. {says}"
            )
            for v in corrections_mm3
        ]
    mean = sum(corrections_mm3) / len(corrections_mm3)
    judgements = []
    for v in corrections_mm3:
        off = v - mean
        says = (
            f"{plain(v)} mm³, {plain(abs(off))} {'over' if off >= 0 else 'under'} the mean; over"
            f" {plain(limit_mm3)} either way is suspect ({limit_mm3.source})."
        )
        if abs(off) <= limit_mm3:
            judgements.append(Judgement("sound", "sound", v, unit="mm3", uncertainty=None, because=says))
        elif off > 0:
            judgements.append(
                Judgement(
                    "failed",
                    "needs_more",
                    v,
                    unit="mm3",
                    uncertainty=None,
                    because=(
                        f"{says} It is given more because it gives less: injector, compression or connection."
                    ),
                )
            )
        else:
            judgements.append(
                Judgement(
                    "failed",
                    "needs_less",
                    v,
                    unit="mm3",
                    uncertainty=None,
                    because=(
                        f"{says} It is held back because it gives too much: a dripping nozzle, or a wrong"
                        " trim code."
                    ),
                )
            )
    return judgements


def judge_cutout(drops_rpm: Sequence[float], limits: InjectionLimits) -> list[Judgement]:
    """Judge the drop in speed as each cylinder is cut: under half the median is weak, next to none is dead.

    Parameters: `drops_rpm`: drop of each cylinder per minute; `limits`: the limits of the area. The middle is
    that of the better half. Raises IndexError without a cylinder. Source: general, `figures/injection.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [j.cls for j in judge_cutout([60, 58, 2, 25], general(InjectionLimits))]
    ['even', 'even', 'dead', 'weak']
    """
    middle = median(sorted(drops_rpm)[len(drops_rpm) // 2 :]) if len(drops_rpm) > 1 else drops_rpm[0]
    if len(drops_rpm) >= LEAST_SET and max(drops_rpm) <= limits.cut_noise_rpm:
        says = "No cylinder makes a difference: the cut did not take, or the idle control hides it. Repeat."
        return [
            Judgement("unclear", "unclear", v, unit="rpm", uncertainty=None, because=says) for v in drops_rpm
        ]
    judgements = []
    for v in drops_rpm:
        says = f"{plain(v)} rpm drop; the working cylinders drop about {plain(middle)}"
        if len(drops_rpm) < LEAST_SET:
            judgements.append(
                Judgement(
                    "unclear",
                    "unclear",
                    v,
                    unit="rpm",
                    uncertainty=None,
                    because=f"{plain(v)} rpm drop. Cut at least three cylinders to compare.",
                )
            )
        elif v < limits.cut_dead_share * middle:
            judgements.append(
                Judgement(
                    "failed",
                    "dead",
                    v,
                    unit="rpm",
                    uncertainty=None,
                    because=f"{says}. Cutting it changes nothing: this cylinder is dead.",
                )
            )
        elif v < limits.cut_weak_share * middle:
            judgements.append(
                Judgement(
                    "failed",
                    "weak",
                    v,
                    unit="rpm",
                    uncertainty=None,
                    because=f"{says}. Under half of them: this cylinder is weak.",
                )
            )
        else:
            judgements.append(
                Judgement(
                    "sound", "even", v, unit="rpm", uncertainty=None, because=f"{says}: it does its share."
                )
            )
    return judgements


def judge_misfires(count: float, revolutions: float, limits: InjectionLimits) -> Judgement:
    """Judge a misfire counter per 1 000 revolutions (general limit 5).

    Parameters: `count`: misfires counted; `revolutions`: revolutions meanwhile; `limits`: the limits of the
    area. Source: general, `figures/injection.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(InjectionLimits)
    >>> judge_misfires(40, 2000, limits).cls, judge_misfires(2, 4000, limits).cls
    ('misfires', 'quiet')
    """
    if revolutions <= 0:
        return Judgement(
            "implausible",
            "implausible",
            None,
            unit=None,
            uncertainty=None,
            because="Counted over no revolutions: note how many it turned.",
        )
    rate = 1000 * count / revolutions
    limit = limits.misfires_per_1000
    says = f"{plain(rate)} misfires per 1 000 revolutions; {plain(limit)} is the mark ({limit.source})."
    return (
        Judgement("failed", "misfires", rate, unit=None, uncertainty=None, because=says)
        if rate > limit
        else Judgement("sound", "quiet", rate, unit=None, uncertainty=None, because=says)
    )


def judge_compression(shares_percent: Sequence[float], limits: InjectionLimits) -> list[Judgement]:
    """Judge cranking-current peaks as percent of the best: under 85 % of the median is low, under 90 %
    marginal.

    Parameters: `shares_percent`: percent of the best, each cylinder; `limits`: the limits of the area.
    Source: general, `figures/injection.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [j.cls for j in judge_compression([100, 98, 72, 99], general(InjectionLimits))]
    ['even', 'even', 'low', 'even']
    """
    middle = median(shares_percent) if len(shares_percent) >= 3 else 100.0
    low = limits.compression_low_percent
    marginal = limits.compression_marginal_percent
    judgements = []
    for v in shares_percent:
        share = 100 * v / middle if middle > 0 else 0.0
        says = (
            f"{plain(v)} % of the best, {plain(share)} % of the middle; under {plain(low)} % is a weak"
            f" cylinder ({low.source})."
        )
        if share < low:
            cls = ("failed", "low")
        elif share < marginal:
            cls = ("marginal", "marginal")
        else:
            cls = ("sound", "even")
        judgements.append(
            Judgement(
                cls[0], cls[1], v, unit="percent", uncertainty=limits.compression_u_percent, because=says
            )
        )
    return judgements


def judge_rail_cranking(bar: float, limits: InjectionLimits) -> Judgement:
    """Judge the rail pressure while cranking: it needs about 150 to 250 bar to fire (general).

    Parameters: pressure in bar; the limits. Source: general, `figures/injection.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_rail_cranking(bar, general(InjectionLimits)).cls for bar in (90, 200, 310)]
    ['failed', 'marginal', 'sound']
    """
    low = limits.rail_opens_bar
    good = limits.rail_good_bar
    if bar < low:
        cls = "failed"
    elif bar < good:
        cls = "marginal"
    else:
        cls = "sound"
    tail = {
        "failed": "Too low to open an injector: pump, valve, return flow or supply",
        "marginal": "It may fire late: look at what it takes to get there",
        "sound": "Enough to fire",
    }[cls]
    return Judgement(
        cls,
        cls,
        bar,
        unit="bar",
        uncertainty=None,
        because=(
            f"{plain(bar)} bar while cranking; a rail injector needs about {plain(low)} to {plain(good)} bar"
            f" to open ({low.source}). {tail}."
        ),
    )


def judge_rail_rest(bar: float, limits: InjectionLimits) -> Judgement:
    """Judge what the rail sensor says with the engine off for ten minutes: the rail is empty, so what it
    reads is its own error.

    Parameters: `bar`: pressure in bar, ten minutes after the engine stopped at the earliest; `limits`: the
    limits of the area. Source: general, `figures/injection.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_rail_rest(bar, general(InjectionLimits)).cls for bar in (0, 12, 80, -30)]
    ['near_nothing', 'near_nothing', 'stands_high', 'reads_below']
    """
    most = limits.rail_rest_bar
    least = limits.rail_rest_least_bar
    says = (
        f"{plain(bar)} bar with the engine off; {plain(least)} to {plain(most)} bar is what an empty rail"
        f" reads ({most.source})."
    )
    if least <= bar <= most:
        return Judgement("sound", "near_nothing", bar, unit="bar", uncertainty=None, because=says)
    cls = "stands_high" if bar > most else "reads_below"
    says += " The sensor or its wires, unless the engine has only just stopped."
    return Judgement("failed", cls, bar, unit="bar", uncertainty=None, because=says)


def judge_supply_pressure(bar: float, limits: InjectionLimits) -> Judgement:
    """Judge the low-pressure fuel supply against what is wanted: under half has failed, under 80 % is
    marginal.

    Parameters: pressure in bar; the limits. Raises ZeroDivisionError when the card wants nothing. Source: the
    card, or general, `figures/injection.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> judge_supply_pressure(0.8, general(InjectionLimits)).cls
    'failed'
    """
    wanted = limits.supply_bar
    failed = limits.supply_failed_share * wanted
    marginal = limits.supply_marginal_share * wanted
    if bar < failed:
        cls = "failed"
    elif bar < marginal:
        cls = "marginal"
    else:
        cls = "sound"
    tail = "Filter, pump or air." if cls != "sound" else "Enough for the high-pressure pump."
    return Judgement(
        cls,
        cls,
        bar,
        unit="bar",
        uncertainty=None,
        because=f"{plain(bar)} bar; {plain(wanted)} bar is wanted ({wanted.source}). {tail}",
    )


def injector_u_ohm(shown: float, accuracy_percent: float, floor_ohm: float) -> float:
    """Return the uncertainty of one injector reading in ohm: the meter's share and a floor for skin and
    contact.

    Parameters: `shown`: the shown value; `accuracy_percent`: accuracy in percent; `floor_ohm`: least
    uncertainty in ohm. Source: independent errors, added as squares.

    >>> round(injector_u_ohm(0.4, 1.0, 0.03), 3)
    0.03
    """
    return combined(shown * accuracy_percent / 100, floor_ohm)
