"""Filter, exhaust temperatures, NOx and DEF: what the figures of the exhaust side mean."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from .limits import Limit
from .quantity import Judgement, percent, plain

COMMON_FLOW_M3H = 100.0


@dataclass(frozen=True, slots=True)
class FilterLimits:
    """The figures that judge a particulate filter: its drop at 100 m³/h, clean in kPa and in times of that;
    soot and ash in g; distance between burns in km."""

    clean_kpa: Limit
    loaded_times: Limit
    blocked_times: Limit
    said_loaded_times: Limit
    negative_times: Limit
    near_zero_times: Limit
    flow_alike_share: Limit
    soot_road_g: Limit
    soot_stand_g: Limit
    soot_care_g: Limit
    soot_most_g: Limit
    ash_most_g: Limit
    burn_short_km: Limit


@dataclass(frozen=True, slots=True)
class HeatLimits:
    """The figures that judge exhaust temperatures, C and h."""

    cold_apart_c: Limit
    hotter_c: Limit
    least_c: Limit
    most_c: Limit
    cold_under_c: Limit
    cold_after_h: Limit


@dataclass(frozen=True, slots=True)
class NoxLimits:
    """The figures that judge a pair of NOx readings, as shares of the first; the least NOx in ppm and exhaust
    in C that can be compared."""

    good_share: Limit
    weak_share: Limit
    agree_share: Limit
    least_ppm: Limit
    warm_c: Limit
    settle_s: Limit


@dataclass(frozen=True, slots=True)
class DefLimits:
    """The figures that judge DEF: concentration in percent, dose as a share, pressure in bar."""

    low_percent: Limit
    high_percent: Limit
    other_low_percent: Limit
    other_high_percent: Limit
    percent_u: Limit
    percent_per_c: Limit
    dose_share: Limit
    pressure_bar: Limit
    builds_share: Limit
    holds_share: Limit
    hold_s: Limit


HOTTER = "; hotter than the one before it. During a burn that is right, else it is not"


def drop_at_common_flow(
    points: Sequence[tuple[float, float]], alike_share: float = 0.1, zero_kpa: float = 0.0
) -> tuple[float, float]:
    """Return the lowest and highest pressure drop in kPa at 100 m³/h that recorded points of flow (m3/h) and
    drop (kPa) allow.

    Fits ``dp = a*Q + b*Q**2`` without offset by least squares when two or more points differ in flow by more
    than `alike_share` of the highest; a term that would be negative is left out and the other fitted alone.
    At one flow the two terms cannot be told apart: the drop lies between scaling by the flow and by its
    square. `zero_kpa`, what the sensor shows with the key on and the engine off, is taken off first.
    Raises ValueError without flow. Source: laminar and turbulent loss through a wall, added.

    >>> [round(x, 2) for x in drop_at_common_flow([(100, 0.48), (200, 2.0), (300, 4.5)])]
    [0.5, 0.5]
    >>> [round(x, 2) for x in drop_at_common_flow([(60, 1.6), (120, 3.6), (180, 6.1)])]
    [2.89, 2.89]
    >>> drop_at_common_flow([(200, 4.0)])
    (1.0, 2.0)
    """
    flows = np.array([q for q, _ in points], float)
    drops = np.array([d for _, d in points], float) - zero_kpa
    if not len(flows) or np.all(flows <= 0):
        raise ValueError("no exhaust flow")
    if len(flows) == 1 or np.ptp(flows) < alike_share * flows.max():
        share = COMMON_FLOW_M3H / float(np.mean(flows))
        drop = float(np.mean(drops))
        low, high = sorted((drop * share, drop * share**2))
        return low, high
    a, b = np.linalg.lstsq(np.stack([flows, flows**2], axis=1), drops, rcond=None)[0]
    if a < 0 < b:
        a = 0.0
        b = float(np.sum(drops * flows**2) / np.sum(flows**4))
    elif b < 0 < a:
        a = float(np.sum(drops * flows) / np.sum(flows**2))
        b = 0.0
    drop = float(a * COMMON_FLOW_M3H + b * COMMON_FLOW_M3H**2)
    return drop, drop


def judge_filter(
    points: Sequence[tuple[float, float]], limits: FilterLimits, zero_kpa: float = 0.0
) -> Judgement:
    """Judge the filter by its drop at 100 m³/h: about 1 kPa clean, 3 loaded, over 5 blocked (general).

    Next to nothing at high flow: cracked, removed, or a hose off. Negative: hoses swapped. A card's own clean
    figure scales all of it. At one flow alone it is unclear where the two ways of scaling come to different
    classes.

    Parameters: points of flow (m3/h) and drop (kPa); the limits; `zero_kpa`: what the sensor shows with the
    engine off. Source: `drop_at_common_flow`, `figures/filter.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_filter([point], general(FilterLimits)).cls for point in ((100, 6.2), (300, 0.05), (200, -2.0))]
    ['blocked', 'near_zero', 'negative']
    """
    try:
        low, high = drop_at_common_flow(points, limits.flow_alike_share, zero_kpa)
    except ValueError:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit="kPa",
            uncertainty=None,
            because="No exhaust flow: note the flow beside the drop.",
        )
    most = max(q for q, _ in points)
    least, judged = (_filter_at(drop, most, limits) for drop in (low, high))
    if least.cls == judged.cls:
        middle = replace(judged, value=(low + high) / 2)
        return middle if low == high else replace(middle, uncertainty=(high - low) / 2)
    return Judgement(
        "unclear",
        "unclear",
        (low + high) / 2,
        unit="kPa",
        uncertainty=(high - low) / 2,
        because=(
            f"{plain(low)} to {plain(high)} kPa at {plain(COMMON_FLOW_M3H)} m³/h by one flow alone:"
            f" {least.cls} or {judged.cls.replace('_', ' ')}. Record it at a second flow."
        ),
    )


def _filter_at(drop: float, most_m3h: float, limits: FilterLimits) -> Judgement:
    """The class of a drop at the common flow, kPa; `most_m3h`: the highest flow it rests on."""
    clean_kpa = limits.clean_kpa
    loaded = limits.said_loaded_times * clean_kpa
    blocked = limits.blocked_times * clean_kpa
    says = (
        f"{plain(drop)} kPa at {plain(COMMON_FLOW_M3H)} m³/h; about {plain(clean_kpa)} clean,"
        f" {plain(loaded)} loaded, over {plain(blocked)} blocked ({clean_kpa.source})."
    )

    def came_to(verdict: str, cls: str, because: str = "") -> Judgement:
        return Judgement(verdict, cls, drop, unit="kPa", uncertainty=None, because=f"{says}{because}")

    if drop < -limits.negative_times * clean_kpa:
        return came_to("failed", "negative", " Negative: the hoses are swapped, or the sensor is off.")
    if drop < limits.near_zero_times * clean_kpa:
        if most_m3h < COMMON_FLOW_M3H:
            return came_to("unclear", "unclear", " Too little flow to say; repeat at higher speed.")
        return came_to("failed", "near_zero", " Next to nothing: cracked, removed, or a hose off.")
    if drop > blocked:
        return came_to("failed", "blocked")
    if drop > limits.loaded_times * clean_kpa:
        return came_to("marginal", "loaded")
    return came_to("sound", "free")


def judge_soot(grams: float, limits: FilterLimits) -> Judgement:
    """Judge the soot mass: under 12 g normal, 12 to 24 let it burn on the road, 24 to 36 a standing burn, 36
    to 45 only by the maker's procedure, over 45 none (general).

    Parameters: `grams`: mass in g; `limits`: the limits of the area. Source: the card, or general,
    `figures/filter.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_soot(grams, general(FilterLimits)).cls for grams in (9, 30, 40, 52)]
    ['normal', 'high', 'very_high', 'too_high']
    """
    road = limits.soot_road_g
    stand = limits.soot_stand_g
    care = limits.soot_care_g
    off = limits.soot_most_g
    marks = f"{plain(road)}, {plain(stand)}, {plain(care)} and {plain(off)} g are the marks"
    says = f"{plain(grams)} g; {marks} ({road.source})."
    for under, verdict, cls, advice in (
        (grams < road, "sound", "normal", ""),
        (grams < stand, "marginal", "loaded", " Let it burn on the road."),
        (
            grams < care,
            "failed",
            "high",
            " A standing burn if the maker allows it, watched. First: why did it load?",
        ),
        (
            grams <= off,
            "failed",
            "very_high",
            " A burn only by the maker's own procedure, watched all the time. First: why did it load?",
        ),
    ):
        if under:
            return Judgement(verdict, cls, grams, unit="g", uncertainty=None, because=f"{says}{advice}")
    return Judgement(
        "failed",
        "too_high",
        grams,
        unit="g",
        uncertainty=None,
        because=f"{says} No burn: it can melt the filter or start a fire. Clean it off the vehicle.",
    )


def judge_ash(grams: float, limits: FilterLimits) -> Judgement:
    """Judge the ash mass against the filter's limit.

    Parameters: `grams`: mass in g; `limits`: the limits of the area. Source: the card, or general,
    `figures/filter.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> judge_ash(82, general(FilterLimits)).cls
    'ash_high'
    """
    limit_g = limits.ash_most_g
    says = f"{plain(grams)} g of ash; {plain(limit_g)} g is the limit ({limit_g.source})."
    return (
        Judgement(
            "failed",
            "ash_high",
            grams,
            unit="g",
            uncertainty=None,
            because=f"{says} A burn does not take ash away.",
        )
        if grams > limit_g
        else Judgement("sound", "normal", grams, unit="g", uncertainty=None, because=says)
    )


def judge_burn_distance(km: float, limits: FilterLimits) -> Judgement:
    """Judge the distance between burns: under 250 km again and again has its cause upstream (general).

    Parameters: distance in km; the limits. Source: general, `figures/filter.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> judge_burn_distance(120, general(FilterLimits)).cls
    'short'
    """
    short = limits.burn_short_km
    says = (
        f"{plain(km)} km since the last burn; under {plain(short)} km again and again points upstream"
        f" ({short.source})."
    )
    return (
        Judgement("marginal", "short", km, unit="km", uncertainty=None, because=says)
        if km < short
        else Judgement("sound", "normal", km, unit="km", uncertainty=None, because=says)
    )


def _cold_beside(t: float, temps_c: list[float], apart_c: float) -> tuple[str, str]:
    """A cold sensor beside the others: of two that differ nobody knows which is wrong."""
    if len(temps_c) > 2:
        odd = abs(t - float(np.median(temps_c))) > apart_c
        return ("failed", "odd_one_out") if odd else ("sound", "agree")
    apart = max(temps_c) - min(temps_c) > apart_c
    return ("unclear", "unclear") if apart else ("sound", "agree")


def judge_exhaust_temps(temps_c: dict[str, float], cold: bool, limits: HeatLimits) -> dict[str, Judgement]:
    """Judge exhaust temperatures: cold they agree within 5 C; warm each is cooler than the one before it.

    Parameters: `temps_c`: temperature in °C by channel; `cold`: whether the exhaust is cold; `limits`: the
    limits of the area. Warm, 10 C the wrong way is allowed; a burn upsets the order. Source: general,
    `figures/exhaust_heat.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> judged = judge_exhaust_temps(
    ...     {"exhaust_1": 12, "exhaust_2": 64, "exhaust_3": 13}, True, general(HeatLimits)
    ... )
    >>> {name: j.cls for name, j in judged.items()}
    {'exhaust_1': 'agree', 'exhaust_2': 'odd_one_out', 'exhaust_3': 'agree'}
    """
    names = sorted(temps_c)
    middle = float(np.median(list(temps_c.values())))
    judgements = {}
    for i, name in enumerate(names):
        t = temps_c[name]
        if not limits.least_c <= t <= limits.most_c:
            judgements[name] = Judgement(
                "failed",
                "odd_one_out",
                t,
                unit="degC",
                uncertainty=None,
                because=f"{plain(t)} °C cannot be: the sensor's wire is open or shorted.",
            )
        elif len(names) < 2:
            judgements[name] = Judgement(
                "unclear",
                "unclear",
                t,
                unit="degC",
                uncertainty=None,
                because="Read all exhaust temperatures: they are judged against each other.",
            )
        elif cold:
            verdict, cls = _cold_beside(t, list(temps_c.values()), limits.cold_apart_c)
            says = (
                f"{plain(t)} °C cold; the others near {plain(middle)},"
                f" {plain(limits.cold_apart_c)} °C apart is allowed."
            )
            judgements[name] = Judgement(verdict, cls, t, unit="degC", uncertainty=None, because=says)
        else:
            wrong = i > 0 and t > temps_c[names[i - 1]] + limits.hotter_c
            judgements[name] = Judgement(
                "marginal" if wrong else "sound",
                "out_of_order" if wrong else "agree",
                t,
                unit="degC",
                uncertainty=None,
                because=f"{plain(t)} °C warm{HOTTER if wrong else ', in its order'}.",
            )
    return judgements


def judge_nox(
    up_ppm: float | None,
    down_ppm: float | None,
    dosing: bool,
    limits: NoxLimits,
    exhaust_c: float | None = None,
    off_s: float | None = None,
) -> Judgement:
    """Judge a pair of NOx readings, hot and steady.

    Dosing on: ``1 - down/up`` over 80 % is good, 50 to 80 weak, under 50 poor (general). Dosing off: both
    must read the same within 15 %. None: the sensor gives no figure. Too little NOx, or an exhaust too cold
    for the sensors, is unclear.

    Parameters: `up_ppm`: NOx before the catalyst in ppm, None when silent; `down_ppm`: NOx after it in ppm,
    None when silent; `dosing`: whether it doses; `limits`: the limits of the area; `exhaust_c`: exhaust
    temperature in C, None when not noted; `off_s`: how long dosing was off, s, None when not noted. Source:
    general, `figures/nox.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(NoxLimits)
    >>> [judge_nox(400, down, dosing, limits).cls for down, dosing in ((40, True), (320, True), (250, False))]
    ['good', 'poor', 'disagree']
    """
    if up_ppm is None or down_ppm is None:
        sides = [side for side, ppm in (("before", up_ppm), ("after", down_ppm)) if ppm is None]
        which = "Neither sensor gives" if len(sides) > 1 else f"The sensor {sides[0]} the catalyst gives no"
        says = f"{which}{' a' if len(sides) > 1 else ''} figure. Hot and dry for some minutes?"
        return Judgement(
            "failed",
            "silent",
            None,
            unit="ppm",
            uncertainty=None,
            because=f"{says} Then its supply, its wires or the sensor.",
        )
    if exhaust_c is not None and exhaust_c < limits.warm_c:
        says = f"{plain(exhaust_c)} °C: these sensors speak from {plain(limits.warm_c)} °C on. Drive it hot."
        return Judgement("unclear", "unclear", None, unit="ppm", uncertainty=None, because=says)
    if max(up_ppm, 0.0 if dosing else down_ppm) < limits.least_ppm:
        says = f"{plain(up_ppm)} ppm before the catalyst; {plain(limits.least_ppm)} are wanted to compare."
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit="ppm",
            uncertainty=None,
            because=f"{says} Hot, steady and under load, then repeat.",
        )
    if up_ppm <= 0:
        return Judgement(
            "failed",
            "disagree",
            None,
            unit="ppm",
            uncertainty=None,
            because=f"Nothing before, {plain(down_ppm)} ppm after: the one before lies.",
        )
    cut = 1 - down_ppm / up_ppm
    if dosing:
        good = limits.good_share
        weak = limits.weak_share
        if cut > good:
            cls = "good"
        elif cut >= weak:
            cls = "weak"
        else:
            cls = "poor"
        verdict = {"good": "sound", "weak": "marginal", "poor": "failed"}[cls]
        return Judgement(
            verdict,
            cls,
            cut * 100,
            unit="percent",
            uncertainty=None,
            because=f"{plain(up_ppm)} ppm before, {plain(down_ppm)} after: {round(cut * 100)} % cut; over"
            f" {round(good * 100)} is good, under {round(weak * 100)} has failed ({good.source}).",
        )
    agree = abs(cut) <= limits.agree_share
    if not agree and cut > 0 and off_s is not None and off_s < limits.settle_s:
        says = (
            f"{plain(off_s)} s without dosing: stored ammonia still converts. Wait until the figure after it"
            f" no longer rises, about {plain(limits.settle_s)} s ({limits.settle_s.source})."
        )
        return Judgement("unclear", "unclear", cut * 100, unit="percent", uncertainty=None, because=says)
    reads = "less" if cut > 0 else "more"
    lies = "" if agree else f" The one after reads {reads}: one of the two lies."
    return Judgement(
        "sound" if agree else "failed",
        "agree" if agree else "disagree",
        cut * 100,
        unit="percent",
        uncertainty=None,
        because=(
            f"{plain(up_ppm)} ppm before, {plain(down_ppm)} after without dosing: {percent(abs(cut))} apart;"
            f" {percent(limits.agree_share)} is allowed ({limits.agree_share.source}).{lies}"
        ),
    )


def judge_concentration(shown_percent: float, limits: DefLimits, fluid_c: float | None = None) -> Judgement:
    """Judge DEF by refractometer: 31.8 to 33.2 % passes (ISO 22241); far off is another liquid.

    A refractometer without compensation reads less as the fluid gets warmer: it is taken to 20 C when the
    temperature is given. Clears dilution only; what does not belong is another fault.

    Parameters: `shown_percent`: percent by weight as shown; `limits`: the limits of the area; `fluid_c`: of
    the fluid in C, None when the instrument compensates. Source: ISO 22241.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_concentration(p, general(DefLimits)).cls for p in (32.5, 29, 8)]
    ['in_range', 'off', 'wrong']
    """
    low = limits.low_percent
    high = limits.high_percent
    percent_u = limits.percent_u
    warm = "" if fluid_c is None else f" at {plain(fluid_c)} °C"
    if fluid_c is not None:
        read = shown_percent
        shown_percent = round(shown_percent + limits.percent_per_c * (fluid_c - 20), 2)
        warm = f", {plain(read)} read{warm}"
    says = f"{plain(shown_percent)} %{warm}; {plain(low)} to {plain(high)} passes ({low.source})."
    if low <= shown_percent <= high:
        return Judgement(
            "sound", "in_range", shown_percent, unit="percent", uncertainty=percent_u, because=says
        )
    if not limits.other_low_percent <= shown_percent <= limits.other_high_percent:
        return Judgement(
            "failed",
            "wrong",
            shown_percent,
            unit="percent",
            uncertainty=percent_u,
            because=f"{says} Another liquid: drain, do not dose.",
        )
    return Judgement(
        "failed",
        "off",
        shown_percent,
        unit="percent",
        uncertainty=percent_u,
        because=f"{says} {'Water in it' if shown_percent < low else 'It has thickened'}: drain and refill.",
    )


def judge_dose(
    expected_ml: float | None, measured_ml: float | None, spray: str | None, limits: DefLimits
) -> Judgement:
    """Judge a dose into a cup: within 10 % passes, and the spray must be a cone.

    Parameters: `expected_ml`: commanded ml, None when not noted; `measured_ml`: measured ml, None when not
    noted; `spray`: `cone`, `jet`, `drips`, `none`, or None; `limits`: the limits of the area. Source:
    general, `figures/def.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> cups = ((100, 60, "cone"), (100, 97, "jet"), (None, None, "none"))
    >>> [judge_dose(*cup, general(DefLimits)).cls for cup in cups]
    ['short', 'bad_spray', 'short']
    """
    if spray == "none":
        return Judgement(
            "failed",
            "short",
            measured_ml,
            unit="ml",
            uncertainty=None,
            because="Nothing comes out: blocked, not driven, or no pressure.",
        )
    if expected_ml and measured_ml is not None:
        off = measured_ml / expected_ml - 1
        most = limits.dose_share
        says = (
            f"{plain(measured_ml)} ml of {plain(expected_ml)}: {percent(abs(off))}"
            f" {'over' if off > 0 else 'under'}; {percent(most)} passes ({most.source})."
        )
        if off < -most:
            return Judgement("failed", "short", measured_ml, unit="ml", uncertainty=None, because=says)
        if off > most:
            return Judgement("failed", "over", measured_ml, unit="ml", uncertainty=None, because=says)
        if spray in (None, "cone"):
            return Judgement("sound", "right", measured_ml, unit="ml", uncertainty=None, because=says)
    if spray in ("jet", "drips"):
        return Judgement(
            "failed",
            "bad_spray",
            measured_ml,
            unit="ml",
            uncertainty=None,
            because=f"The spray {'is a jet' if spray == 'jet' else 'drips'}; a fine cone is wanted: clean the"
            " nozzle.",
        )
    if spray == "cone":
        return Judgement(
            "sound",
            "right",
            measured_ml,
            unit="ml",
            uncertainty=None,
            because="A fine cone. Measure the amount too: a good spray can still be short.",
        )
    return Judgement(
        "unclear",
        "unclear",
        measured_ml,
        unit="ml",
        uncertainty=None,
        because="Note what was commanded and what came, or the spray.",
    )


def judge_def_pressure(
    bar: float, held_bar: float | None, seconds: float | None, limits: DefLimits
) -> Judgement:
    """Judge DEF pressure: it builds to the wanted pressure (general 5 bar) and holds it for 60 s.

    Parameters: `bar`: pressure in bar; `held_bar`: pressure held in bar, None when not noted; `seconds`:
    after how many s, None when not noted; `limits`: the limits of the area. Source: the card, or general,
    `figures/def.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits, read = general(DefLimits), ((5.1, 4.9, 60), (5.1, 2.0, 60), (1.2, None, None))
    >>> [judge_def_pressure(*bar, limits).cls for bar in read]
    ['holds', 'falls_back', 'low']
    """
    wanted = limits.pressure_bar
    says = f"{plain(bar)} bar; {plain(wanted)} bar is wanted ({wanted.source})."
    if bar < limits.builds_share * wanted:
        return Judgement(
            "failed",
            "low",
            bar,
            unit="bar",
            uncertainty=None,
            because=f"{says} It does not build: pump, line, filter or ice.",
        )
    if held_bar is not None and held_bar < limits.holds_share * bar:
        return Judgement(
            "failed",
            "falls_back",
            held_bar,
            unit="bar",
            uncertainty=None,
            because=(
                f"{says} Back to {plain(held_bar)} bar{f' in {plain(seconds)} s' if seconds else ''}: a leak,"
                " or an injector that does not shut."
            ),
        )
    if held_bar is None or seconds is not None and seconds < limits.hold_s:
        short = "" if held_bar is None else f" {plain(seconds or 0)} s tell nothing."
        return Judgement(
            "unclear",
            "unclear",
            bar,
            unit="bar",
            uncertainty=None,
            because=f"{says} It builds.{short} Wait {plain(limits.hold_s)} s and note what it holds.",
        )
    return Judgement(
        "sound", "holds", bar, unit="bar", uncertainty=None, because=f"{says} Holds {plain(held_bar)} bar."
    )
