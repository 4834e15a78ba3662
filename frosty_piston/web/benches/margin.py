"""The cold-start margin as curves, one for each number of working plugs, with tonight marked."""

from functools import lru_cache
from typing import Any

import numpy as np

from frosty_piston.core.quantity import percent, plain
from frosty_piston.core.starting import (
    COUGHED,
    DIRECT,
    STARTED,
    WOULD_NOT,
    Start,
    StartEngine,
    StartLimits,
    fitted_to,
    margin_curves,
    start_chance,
    start_width,
)
from frosty_piston.core.words import listed
from frosty_piston.job.judging.starts import Shares, heat_of, plug_shares, starts_of
from frosty_piston.job.units import convert
from frosty_piston.store.workshop import JobRecord

TEMPLATE = "measure/_margin.html"
COLDEST = -30.0
WARMEST = 25.0
AMBIENT_C = np.arange(COLDEST, WARMEST + 0.5, 1.0)
BUNDLE_PX = 26
LABEL_OFF = 16
LABEL_WIDE = 26
BELOW_DOT = 34
ABOVE_DOT = 20
LOW = 0.25
LINE = 24
CHART = {"left": 46, "top": 26, "width": 560, "height": 210, "bottom": 236}


def margin_view(record: JobRecord, shares: Shares) -> dict[str, Any] | None:
    """The cold-start margin as curves, one for each number of working plugs, with tonight marked."""
    job = record.job
    if job.engine.glow == "none" or job.engine.combustion is None and job.engine.cylinders is None:
        return None
    engine = StartEngine(job.cylinders, job.engine.combustion or DIRECT, job.engine.compression_ratio)
    limits = record.assessed.readings.limits(StartLimits)
    cranked = [
        verdict.judgement.value
        for verdict in record.assessed.now
        if verdict.test == "crank_speed"
        and verdict.judgement.verdict != "implausible"
        and verdict.judgement.value is not None
    ]
    rpm = cranked[-1] if cranked else limits.crank_rpm
    known = [shares.get(c, (None, ""))[0] for c in range(1, job.cylinders + 1)]
    heat = heat_of(shares, job.cylinders)
    order = [x.id for x in job.tape]
    before, after = (plug_shares(v, order) for v in (record.assessed.diagnosis, record.assessed.after))
    starts = starts_of(job, before, after)
    of_this = fitted_to(starts, engine, limits)
    curves = _drawn_curves(engine, limits, rpm)
    ambient = job.condition("ambient")
    tonight = None
    if ambient is not None:
        celsius = convert(ambient.data.value, ambient.data.unit, "degC")
        chance = float(start_chance(celsius, engine, heat, limits, rpm, known=of_this))
        low, high = start_width(celsius, engine, heat, limits, rpm, of_this)
        healthy = float(start_chance(celsius, engine, [1.0] * job.cylinders, limits, rpm, known=of_this))
        tonight = {
            "t": plain(celsius),
            "x": _chart_x(min(max(celsius, COLDEST), WARMEST)),
            "y": _chart_y(chance),
            "says_y": _said_at(chance),
            "chance": percent(chance),
            "width": f"{percent(low)} to {percent(high)}" if percent(low) != percent(high) else "",
            "healthy": percent(healthy),
            "heated": percent(
                float(
                    start_chance(
                        celsius,
                        engine,
                        heat,
                        limits=limits,
                        crank_rpm=rpm,
                        block_heater_k=limits.block_heater_k,
                        known=of_this,
                    )
                )
            ),
            "lift": plain(limits.block_heater_k),
        }
    measured = any(s is not None for s in known)
    chances = start_chance(AMBIENT_C, engine, heat, limits, rpm, known=of_this) if measured else np.empty(0)
    half = AMBIENT_C[np.flatnonzero(chances >= 0.5)[:1]] if measured else np.empty(0)
    measured_path = " ".join(
        f"{_chart_x(float(t))},{_chart_y(float(p))}" for t, p in zip(AMBIENT_C, chances, strict=False)
    )
    return {
        "curves": curves,
        "tonight": tonight,
        "measured": measured_path,
        "state": _plug_state(known),
        "fitted": listed([_start_said(x) for x in starts]) if starts else "",
        "ticks_x": [(t, _chart_x(t)) for t in range(-30, 26, 5)],
        "ticks_y": [(p, _chart_y(p / 100)) for p in (0, 25, 50, 75, 100)],
        "chart": CHART,
        "rpm": plain(rpm),
        "rpm_measured": bool(cranked),
        "ratio": plain(engine.compression_ratio or limits.combustion[engine.combustion].ratio),
        "ratio_known": job.engine.compression_ratio is not None,
        "combustion": engine.combustion,
        "labels": _labels(curves, _chart_x(float(half[0])) if len(half) else None),
    }


def _chart_x(t: float) -> float:
    return round(CHART["left"] + (t - COLDEST) / (WARMEST - COLDEST) * CHART["width"], 1)


def _chart_y(p: float) -> float:
    return round(CHART["top"] + (1 - p) * CHART["height"], 1)


@lru_cache(maxsize=64)
def _drawn_curves(engine: StartEngine, limits: StartLimits, rpm: float) -> tuple[dict[str, Any], ...]:
    """The curves of an engine as they are drawn; they change with card and crank only."""
    drawn = []
    for curve in margin_curves(engine, limits, rpm, COLDEST, WARMEST):
        half = next((t for t, p in zip(curve.ambient_c, curve.chance, strict=True) if p >= 0.5), None)
        drawn.append(
            {
                "working": curve.working,
                "warmth": curve.working * 4 // engine.cylinders,
                "half": half,
                "path": " ".join(
                    f"{_chart_x(t)},{_chart_y(p)}" for t, p in zip(curve.ambient_c, curve.chance, strict=True)
                ),
                "label_x": _chart_x(half) if half is not None else None,
            }
        )
    return tuple(drawn)


def _said_at(chance: float) -> float:
    """The height of the words beside tonight's dot: off its curve, and off the labels at one half."""
    y = _chart_y(chance) + (BELOW_DOT if chance > LOW else -ABOVE_DOT)
    return y + LINE if abs(y - _chart_y(0.5)) < LINE else y


def _start_said(start: Start) -> str:
    did = {STARTED: "it started", COUGHED: "it started badly", WOULD_NOT: "it would not start"}
    return f"{did[start.result]} at {plain(start.ambient_c)} °C"


def _plug_state(shares: list[float | None]) -> str:
    """The plugs of an engine in words: how many heat well, are tired, are dead, were not read."""
    counts = [
        ("healthy", sum(s is not None and s >= 0.8 for s in shares)),
        ("tired", sum(s is not None and 0.1 <= s < 0.8 for s in shares)),
        ("dead", sum(s is not None and s < 0.1 for s in shares)),
        ("not read, taken as healthy", sum(s is None for s in shares)),
    ]
    return ", ".join(f"{n} {word}" for word, n in counts if n)


def _labels(curves: tuple[dict[str, Any], ...], measured_x: float | None) -> list[dict[str, Any]]:
    """One label for each bundle of curves that cross one half near each other, beside them and on none;
    for what always starts, under its line."""
    bundles: list[dict[str, Any]] = []
    for curve in sorted((c for c in curves if c["label_x"] is not None), key=lambda c: c["label_x"]):
        if bundles and abs(bundles[-1]["last"] - curve["label_x"]) < BUNDLE_PX:
            bundles[-1]["low"] = min(bundles[-1]["low"], curve["working"])
            bundles[-1]["high"] = max(bundles[-1]["high"], curve["working"])
            bundles[-1]["last"] = curve["label_x"]
        else:
            x = curve["label_x"]
            n = curve["working"]
            bundles.append({"x": x, "last": x, "low": n, "high": n, "always": x <= CHART["left"]})
    before = [None, *(b["last"] for b in bundles)]
    return [_beside(b, (measured_x, left)) for b, left in zip(bundles, before, strict=False)]


def _beside(bundle: dict[str, Any], others_x: tuple[float | None, ...]) -> dict[str, Any]:
    says = str(bundle["low"]) if bundle["low"] == bundle["high"] else f"{bundle['low']}–{bundle['high']}"
    if bundle["always"]:
        return {"x": CHART["left"] + 8, "y": CHART["top"] + 18, "says": says, "anchor": "start"}
    left = bundle["x"] - LABEL_OFF
    crowded = left - LABEL_WIDE < CHART["left"] or any(
        x is not None and left - LABEL_WIDE < x < bundle["x"] for x in others_x
    )
    x, anchor = (bundle["last"] + LABEL_OFF, "start") if crowded else (left, "end")
    return {"x": round(x, 1), "y": _chart_y(0.5) + 5, "says": says, "anchor": anchor}
