"""Filter, exhaust temperatures, NOx and DEF: what the figures of the exhaust side mean."""

from collections.abc import Sequence

import numpy as np

from .quantity import Judgement, percent, plain

GENERAL = "general figure, check your service data"
COMMON_FLOW_M3H = 100.0
CLEAN_KPA, LOADED_KPA, BLOCKED_KPA = 1.0, 2.0, 5.0
SOOT_G = (12.0, 24.0, 45.0)
SHORT_KM = 250.0
DEF_PERCENT = (31.8, 33.2)

COLD_APART_C = 5.0
HOTTER = "; hotter than the one before it. During a burn that is right, else it is not"


def drop_at_common_flow(points: Sequence[tuple[float, float]]) -> float:
    """Answer the pressure drop in kPa at 100 m3/h from recorded points of flow (m3/h) and drop (kPa).

    Fits ``dp = a*Q + b*Q**2`` without offset by least squares, both coefficients at least 0 when two or more
    points differ in flow; one point is scaled in proportion. Raises ValueError without flow.

    >>> round(drop_at_common_flow([(100, 1.0), (200, 2.6), (300, 4.8)]), 2)
    1.0
    """
    flows = np.array([q for q, _ in points], float)
    drops = np.array([d for _, d in points], float)
    if not len(flows) or np.all(flows <= 0):
        raise ValueError("no exhaust flow")
    if len(flows) == 1 or np.ptp(flows) < 0.1 * flows.max():
        return float(np.mean(drops / flows) * COMMON_FLOW_M3H)
    a, b = np.linalg.lstsq(np.stack([flows, flows**2], axis=1), drops, rcond=None)[0]
    if a < 0 or b < 0:
        a, b = float(np.sum(drops * flows) / np.sum(flows**2)), 0.0
    return float(a * COMMON_FLOW_M3H + b * COMMON_FLOW_M3H**2)


def judge_filter(points: Sequence[tuple[float, float]], clean_kpa: float = CLEAN_KPA) -> Judgement:
    """Judge the filter by its drop at 100 m3/h: about 1 kPa clean, 3 loaded, over 5 blocked (general).

    Next to nothing at high flow: cracked, removed, or a hose off. Negative: hoses swapped. A card's own clean
    figure scales all of it.

    >>> judge_filter([(100, 6.2)]).cls, judge_filter([(300, 0.05)]).cls, judge_filter([(200, -2.0)]).cls
    ('blocked', 'near_zero', 'negative')
    """
    try:
        drop = drop_at_common_flow(points)
    except ValueError:
        return Judgement(
            "unclear", "unclear", None, "kPa", None, "No exhaust flow: note the flow beside the drop."
        )
    says = (
        f"{plain(drop)} kPa at {plain(COMMON_FLOW_M3H)} m3/h; about {plain(clean_kpa)} clean,"
        f" {plain(3 * clean_kpa)} loaded, over {plain(5 * clean_kpa)} blocked ({GENERAL})."
    )
    if drop < -0.2 * clean_kpa:
        return Judgement(
            "failed",
            "negative",
            drop,
            "kPa",
            None,
            f"{says} Negative: the hoses are swapped, or the sensor is off.",
        )
    if drop < 0.15 * clean_kpa:
        if max(q for q, _ in points) < COMMON_FLOW_M3H:
            return Judgement(
                "unclear",
                "unclear",
                drop,
                "kPa",
                None,
                f"{says} Too little flow to say; repeat at higher speed.",
            )
        return Judgement(
            "failed",
            "near_zero",
            drop,
            "kPa",
            None,
            f"{says} Next to nothing: cracked, removed, or a hose off.",
        )
    if drop > BLOCKED_KPA * clean_kpa:
        return Judgement("failed", "blocked", drop, "kPa", None, says)
    if drop > LOADED_KPA * clean_kpa:
        return Judgement("marginal", "loaded", drop, "kPa", None, says)
    return Judgement("sound", "free", drop, "kPa", None, says)


def judge_soot(grams: float, limits_g: tuple[float, float, float] = SOOT_G) -> Judgement:
    """Judge the soot mass: under 12 g normal, 12 to 24 let it burn on the road, 24 to 45 a burn with care,
    over 45 none (general).

    >>> judge_soot(9).cls, judge_soot(30).cls, judge_soot(52).cls
    ('normal', 'high', 'too_high')
    """
    road, stand, off = limits_g
    says = f"{plain(grams)} g; {plain(road)}, {plain(stand)} and {plain(off)} g are the marks ({GENERAL})."
    if grams < road:
        return Judgement("sound", "normal", grams, "g", None, says)
    if grams < stand:
        return Judgement("marginal", "loaded", grams, "g", None, f"{says} Let it burn on the road.")
    if grams <= off:
        return Judgement(
            "failed",
            "high",
            grams,
            "g",
            None,
            f"{says} A standing burn if the maker allows it, watched; above 36 g not at all. First: why did"
            " it load?",
        )
    return Judgement(
        "failed",
        "too_high",
        grams,
        "g",
        None,
        f"{says} No burn: it can melt the filter or start a fire. Clean it off the vehicle.",
    )


def judge_ash(grams: float, limit_g: float, from_card: bool) -> Judgement:
    """Judge the ash mass against the filter's limit.

    >>> judge_ash(82, 60, False).cls
    'ash_high'
    """
    says = (
        f"{plain(grams)} g of ash; {plain(limit_g)} g is the limit ({'the card' if from_card else GENERAL})."
    )
    return (
        Judgement("failed", "ash_high", grams, "g", None, f"{says} A burn does not take ash away.")
        if grams > limit_g
        else Judgement("sound", "normal", grams, "g", None, says)
    )


def judge_burn_distance(km: float) -> Judgement:
    """Judge the distance between burns: under 250 km again and again has its cause upstream (general).

    >>> judge_burn_distance(120).cls
    'short'
    """
    says = (
        f"{plain(km)} km since the last burn; under {plain(SHORT_KM)} km again and again points upstream"
        f" ({GENERAL})."
    )
    return (
        Judgement("marginal", "short", km, "km", None, says)
        if km < SHORT_KM
        else Judgement("sound", "normal", km, "km", None, says)
    )


def _cold_beside(t: float, temps_c: list[float]) -> tuple[str, str]:
    """A cold sensor beside the others: of two that differ nobody knows which is wrong."""
    if len(temps_c) > 2:
        odd = abs(t - float(np.median(temps_c))) > COLD_APART_C
        return ("failed", "odd_one_out") if odd else ("sound", "agree")
    apart = max(temps_c) - min(temps_c) > COLD_APART_C
    return ("unclear", "unclear") if apart else ("sound", "agree")


def judge_exhaust_temps(temps_c: dict[str, float], cold: bool) -> dict[str, Judgement]:
    """Judge exhaust temperatures: cold they agree within 5 C; warm each is cooler than the one before it.

    `temps_c` by channel, numbered along the flow. Warm, 10 C the wrong way is allowed; a burn upsets the
    order.

    >>> {
    ...     n: j.cls
    ...     for n, j in judge_exhaust_temps({"exhaust_1": 12, "exhaust_2": 64, "exhaust_3": 13}, True).items()
    ... }
    {'exhaust_1': 'agree', 'exhaust_2': 'odd_one_out', 'exhaust_3': 'agree'}
    """
    names = sorted(temps_c)
    middle = float(np.median(list(temps_c.values())))
    found = {}
    for i, name in enumerate(names):
        t = temps_c[name]
        if not -60 <= t <= 1200:
            found[name] = Judgement(
                "failed",
                "odd_one_out",
                t,
                "degC",
                None,
                f"{plain(t)} degC cannot be: the sensor's wire is open or shorted.",
            )
        elif len(names) < 2:
            found[name] = Judgement(
                "unclear",
                "unclear",
                t,
                "degC",
                None,
                "Read all exhaust temperatures: they are judged against each other.",
            )
        elif cold:
            verdict, cls = _cold_beside(t, list(temps_c.values()))
            says = f"{plain(t)} degC cold; the others near {plain(middle)}, 5 degC apart is allowed."
            found[name] = Judgement(verdict, cls, t, "degC", None, says)
        else:
            wrong = i > 0 and t > temps_c[names[i - 1]] + 10
            found[name] = Judgement(
                "marginal" if wrong else "sound",
                "out_of_order" if wrong else "agree",
                t,
                "degC",
                None,
                f"{plain(t)} degC warm{HOTTER if wrong else ', in its order'}.",
            )
    return found


def judge_nox(up_ppm: float | None, down_ppm: float | None, dosing: bool) -> Judgement:
    """Judge a pair of NOx readings, hot and steady.

    Dosing on: ``1 - down/up`` over 80 % is good, 50 to 80 weak, under 50 poor (general). Dosing off: both
    must read the same within 15 %. None: the sensor gives no figure.

    >>> judge_nox(400, 40, True).cls, judge_nox(400, 320, True).cls, judge_nox(400, 250, False).cls
    ('good', 'poor', 'disagree')
    """
    if up_ppm is None or down_ppm is None:
        return Judgement(
            "failed",
            "silent",
            None,
            "ppm",
            None,
            "One sensor gives no figure. Hot and dry for some minutes? Then its supply, its wires or the"
            " sensor.",
        )
    if up_ppm <= 0:
        return Judgement(
            "unclear",
            "unclear",
            None,
            "ppm",
            None,
            "No NOx before the catalyst: hot, steady and under load, then repeat.",
        )
    cut = 1 - down_ppm / up_ppm
    if dosing:
        cls = "good" if cut > 0.8 else "weak" if cut >= 0.5 else "poor"
        verdict = {"good": "sound", "weak": "marginal", "poor": "failed"}[cls]
        return Judgement(
            verdict,
            cls,
            cut * 100,
            "percent",
            None,
            f"{plain(up_ppm)} ppm before, {plain(down_ppm)} after: {round(cut * 100)} % cut; over 80 is good,"
            f" under 50 has failed ({GENERAL}).",
        )
    agree = abs(cut) <= 0.15
    return Judgement(
        "sound" if agree else "failed",
        "agree" if agree else "disagree",
        cut * 100,
        "percent",
        None,
        f"{plain(up_ppm)} ppm before, {plain(down_ppm)} after without dosing: {percent(abs(cut))} apart; 15 %"
        f" is allowed ({GENERAL}).{'' if agree else ' One of the two sensors lies.'}",
    )


def judge_concentration(shown_percent: float) -> Judgement:
    """Judge DEF by refractometer: 31.8 to 33.2 % passes (ISO 22241); far off is another liquid.

    >>> judge_concentration(32.5).cls, judge_concentration(29).cls, judge_concentration(8).cls
    ('in_range', 'off', 'wrong')
    """
    low, high = DEF_PERCENT
    says = f"{plain(shown_percent)} %; {plain(low)} to {plain(high)} passes (ISO 22241)."
    if low <= shown_percent <= high:
        return Judgement("sound", "in_range", shown_percent, "percent", 0.3, says)
    if not 20 <= shown_percent <= 42:
        return Judgement(
            "failed", "wrong", shown_percent, "percent", 0.3, f"{says} Another liquid: drain, do not dose."
        )
    return Judgement(
        "failed",
        "off",
        shown_percent,
        "percent",
        0.3,
        f"{says} {'Water in it' if shown_percent < low else 'It has thickened'}: drain and refill.",
    )


def judge_dose(expected_ml: float | None, measured_ml: float | None, spray: str | None) -> Judgement:
    """Judge a dose into a cup: within 10 % passes, and the spray must be a cone.

    >>> judge_dose(100, 60, "cone").cls, judge_dose(100, 97, "jet").cls, judge_dose(None, None, "none").cls
    ('short', 'bad_spray', 'short')
    """
    if spray == "none":
        return Judgement(
            "failed",
            "short",
            measured_ml,
            "ml",
            None,
            "Nothing comes out: blocked, not driven, or no pressure.",
        )
    if expected_ml and measured_ml is not None:
        off = measured_ml / expected_ml - 1
        says = (
            f"{plain(measured_ml)} ml of {plain(expected_ml)}: {percent(abs(off))}"
            f" {'over' if off > 0 else 'under'}; 10 % passes ({GENERAL})."
        )
        if off < -0.1:
            return Judgement("failed", "short", measured_ml, "ml", None, says)
        if off > 0.1:
            return Judgement("failed", "over", measured_ml, "ml", None, says)
        if spray in (None, "cone"):
            return Judgement("sound", "right", measured_ml, "ml", None, says)
    if spray in ("jet", "drips"):
        return Judgement(
            "failed",
            "bad_spray",
            measured_ml,
            "ml",
            None,
            f"The spray {'is a jet' if spray == 'jet' else 'drips'}; a fine cone is wanted: clean the"
            " nozzle.",
        )
    if spray == "cone":
        return Judgement(
            "sound",
            "right",
            measured_ml,
            "ml",
            None,
            "A fine cone. Measure the amount too: a good spray can still be short.",
        )
    return Judgement(
        "unclear", "unclear", measured_ml, "ml", None, "Note what was commanded and what came, or the spray."
    )


def judge_def_pressure(
    bar: float, held_bar: float | None, seconds: float | None, wanted_bar: float, from_card: bool
) -> Judgement:
    """Judge DEF pressure: it builds to the wanted pressure (general 5 bar) and holds it for 60 s.

    >>> (
    ...     judge_def_pressure(5.1, 4.9, 60, 5, False).cls,
    ...     judge_def_pressure(5.1, 2.0, 60, 5, False).cls,
    ...     judge_def_pressure(1.2, None, None, 5, False).cls,
    ... )
    ('holds', 'falls_back', 'low')
    """
    says = f"{plain(bar)} bar; {plain(wanted_bar)} bar is wanted ({'the card' if from_card else GENERAL})."
    if bar < 0.85 * wanted_bar:
        return Judgement(
            "failed", "low", bar, "bar", None, f"{says} It does not build: pump, line, filter or ice."
        )
    if held_bar is not None and held_bar < 0.85 * bar:
        return Judgement(
            "failed",
            "falls_back",
            held_bar,
            "bar",
            None,
            f"{says} Back to {plain(held_bar)} bar{f' in {plain(seconds)} s' if seconds else ''}: a leak, or"
            " an injector that does not shut.",
        )
    if held_bar is None:
        return Judgement(
            "unclear", "unclear", bar, "bar", None, f"{says} It builds; wait 60 s and note what it holds."
        )
    return Judgement("sound", "holds", bar, "bar", None, f"{says} Holds {plain(held_bar)} bar.")
