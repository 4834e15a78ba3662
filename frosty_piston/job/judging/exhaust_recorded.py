"""NOx sensors and filter of a recording, judged for this engine, with what is written down of each."""

import numpy as np

from frosty_piston.core.aftertreatment import FilterLimits, NoxLimits, judge_filter, judge_nox
from frosty_piston.core.filter_flow import exhaust_flow_m3h
from frosty_piston.core.nox import over_stretch, settled
from frosty_piston.core.quantity import Judgement, plain
from frosty_piston.core.traces import Signal, beside, runs

from .analysed import Analysed, Channels, Written
from .readings import Readings

DOSES_PERCENT = 1.0
BINS = 4
LEAST_FLOW = 10.0
GENERAL_FUEL = 0.03
GENERAL_EXHAUST_C = 250.0
SEA_KPA = 101.3


def nox_pair(readings: Readings, channels: Channels) -> Analysed | None:
    """Both NOx sensors: efficiency while it doses, agreement once it has been off and the second no longer
    rises. Without a dosing channel it is taken as dosing."""
    if "nox_up" not in channels or "nox_down" not in channels:
        return None
    limits = readings.limits(NoxLimits)
    found: list[tuple[bool, float, float, tuple[float, float]]] = []
    for dosing, start, end in _dosing_spans(channels):
        if not dosing and "def_dose" in channels:
            rest = settled(
                _within(channels["nox_up"], start, end), _within(channels["nox_down"], start, end), start
            )
            if rest.since_s is None:
                continue
            start = rest.since_s
        try:
            s = over_stretch(channels["nox_up"], channels["nox_down"], start, end, float(limits.least_ppm))
        except ValueError:
            continue
        found.append((dosing, s.up_ppm, s.down_ppm, (start, end)))
    title = "NOx before and after the catalyst"
    if not found:
        says = (
            "No minute of it has enough NOx before the catalyst, hot and steady, with the figure after it at"
            " rest."
        )
        return Analysed(
            "nox",
            title,
            "nox_compare",
            Judgement("unclear", "unclear", None, unit=None, uncertainty=None, because=says),
        )
    judged = [judge_nox(up, down, dosing, limits) for dosing, up, down, _ in found]
    worst = min(judged, key=lambda j: ("failed", "marginal", "unclear", "sound").index(j.verdict))
    return Analysed(
        "nox",
        title,
        "nox_compare",
        judgement=worst,
        writes=tuple(_written(*x) for x in found),
        found=tuple(
            (
                "Dosing on" if dosing else "Dosing off",
                f"{plain(round(up))} ppm before, {plain(round(down))} after",
            )
            for dosing, up, down, _ in found
        ),
        stretches=tuple((s, e, "dosing on" if dosing else "dosing off") for dosing, _, _, (s, e) in found),
    )


def _written(dosing: bool, up: float, down: float, span: tuple[float, float]) -> Written:
    figures = {"up_ppm": round(up, 1), "down_ppm": round(down, 1), "dosing": dosing}
    return "outcome", {"test": "nox_compare", "figures": figures}


def _within(s: Signal, start: float, end: float) -> Signal:
    inside = (s.times_s >= start) & (s.times_s <= end)
    return Signal(s.times_s[inside], s.values[inside])


def _dosing_spans(channels: Channels) -> list[tuple[bool, float, float]]:
    """The longest span with dosing and the longest without."""
    if "def_dose" not in channels:
        return [(True, *channels["nox_up"].span)]
    dose = channels["def_dose"]
    spans = []
    for dosing in (True, False):
        parts = runs((dose.values > DOSES_PERCENT) == dosing)
        longest = max(
            ((float(dose.times_s[r.start]), float(dose.times_s[r.stop - 1])) for r in parts),
            key=lambda span: span[1] - span[0],
            default=None,
        )
        if longest:
            spans.append((dosing, *longest))
    return spans


def filter_drop(readings: Readings, channels: Channels) -> Analysed | None:
    """The filter's drop at several flows, the flow worked out from air mass, speed, temperature and
    pressure."""
    if not {"dpf_pressure", "air_mass_stroke", "engine_speed"} <= channels.keys():
        return None
    hot = next((channels[name] for name in sorted(channels) if name.startswith("exhaust_temp")), None)
    used = [
        channels["dpf_pressure"],
        channels["air_mass_stroke"],
        channels["engine_speed"],
        *([hot] if hot else []),
    ]
    at, rows = beside(used)
    dp, air, rpm = rows[:3]
    temp = rows[3] if hot else np.full(len(at), GENERAL_EXHAUST_C)
    kept = np.isfinite(dp) & np.isfinite(air) & np.isfinite(rpm) & np.isfinite(temp) & (rpm > 0)
    air_g_s = air / 1000 * readings.job.cylinders * rpm / 120
    barometer = float(np.median(channels["barometer"].values)) if "barometer" in channels else SEA_KPA
    flow = np.array(
        [
            exhaust_flow_m3h(a, a * GENERAL_FUEL, t, barometer + max(d, 0.0)) if k else np.nan
            for a, t, d, k in zip(air_g_s, temp, dp, kept, strict=True)
        ]
    )
    points = _binned(flow[kept], dp[kept])
    title = "Filter pressure drop against exhaust flow"
    limits = readings.limits(FilterLimits)
    judged = judge_filter(points, limits)
    return Analysed(
        "filter_drop",
        title,
        "dpf_pressure",
        judgement=judged,
        writes=tuple(
            ("outcome", {"test": "dpf_pressure", "figures": {"q_m3h": round(q, 1), "dp_kpa": round(d, 2)}})
            for q, d in points
        ),
        found=tuple((f"At {plain(round(q))} m³/h", f"{plain(round(d, 2))} kPa") for q, d in points),
    )


def _binned(flow: np.ndarray, dp: np.ndarray) -> list[tuple[float, float]]:
    """The medians of flow and drop in a few even bands of flow."""
    usable = flow > LEAST_FLOW
    flow = flow[usable]
    dp = dp[usable]
    if len(flow) < BINS:
        return []
    edges = np.linspace(flow.min(), flow.max() + 1e-9, BINS + 1)
    found = []
    for low, high in zip(edges, edges[1:], strict=False):
        inside = (flow >= low) & (flow < high)
        if inside.sum() >= 5:
            found.append((float(np.median(flow[inside])), float(np.median(dp[inside]))))
    return found
