"""The three benches: glow plugs, relay, battery and cranking; what each draws and asks."""

from functools import lru_cache
from typing import Any

import numpy as np

from frosty_piston.core.electrical import lamp_limit_ohm, lamp_share
from frosty_piston.core.plugs import PLUG_KINDS, resistance_at_share
from frosty_piston.core.quantity import percent, plain
from frosty_piston.core.starting import (
    BLOCK_HEATER_K,
    GENERAL_CRANK_RPM,
    StartEngine,
    margin_curves,
    start_chance,
)
from frosty_piston.job.entries import Outcome, Reading, Tick
from frosty_piston.job.judging.glow import GENERAL_LAMP_W, reference
from frosty_piston.job.units import convert
from frosty_piston.job.verdict import POINT_WORDS, Verdict
from frosty_piston.store.workshop import JobRecord

from .cells import Cell, fill

POINTS = {
    "harness_connector": "Harness connector",
    "relay_connector": "Relay connector",
    "plug": "Plug itself",
}
METHODS = {"ohm": "Ohmmeter", "lamp": "Test lamp", "current": "Clamp", "heat": "Heat on the bench"}
RELAY_CELLS = (
    ("battery", "Battery", "at the posts"),
    ("feed", "Feed stud", "battery at all times"),
    ("supply", "Supply pin", "key on"),
    ("command", "Command pin", "pulled low while the lamp is on"),
    ("output", "Output stud", "to the plugs"),
)
RELAY_TABLE = (
    ("glow_feed_lost", "low", "any", "any", "any", "Feed, fuse or stud"),
    ("key_supply_lost", "ok", "missing", "any", "0", "Key supply lost"),
    ("glow_control_missing", "ok", "ok", "never low", "0", "No order: sensor hot, module, wire"),
    ("glow_relay_coil", "ok", "ok", "low, no click", "0", "Coil: does not pull in"),
    ("glow_relay_contacts", "ok", "ok", "low, clicks", "0 or over 0.5 V lost", "Contacts do not carry"),
    ("sound", "ok", "ok", "low", "feed - 0.3 V or better", "Relay sound: harness and plugs"),
)
CHANNELS = ("coolant", "intake", "ambient", "fuel", "exhaust_1")
COLDEST, WARMEST = -30.0, 25.0
AMBIENT_C = np.arange(COLDEST, WARMEST + 0.5, 1.0)
TIP_BOTTOM, TIP_LENGTH = 139.0, 60.0
CHART = {"left": 46, "top": 26, "width": 560, "height": 210, "bottom": 236}


def banks(cylinders: int, arrangement: str | None) -> list[list[int]]:
    """The cylinders in engine order, by bank: odd and even for two banks, one row for an inline engine."""
    order = list(range(1, cylinders + 1))
    return [order[::2], order[1::2]] if arrangement in ("vee", "flat") else [order]


Shares = dict[int, tuple[float | None, str]]


def plug_shares(judged: list[Verdict]) -> Shares:
    """For each cylinder the heat its plug makes as a share, by the best reading there is, and its verdict."""
    found: Shares = {}
    ranks = {"relay_connector": 0, "harness_connector": 1, "plug": 2}
    verdicts = [
        v
        for v in judged
        if v.test in ("glow_resistance", "glow_current", "glow_lamp_test", "glow_bench_heat")
        and "cylinder" in v.where
    ]
    for v in sorted(
        verdicts, key=lambda v: (v.test == "glow_resistance", ranks.get(str(v.where.get("point")), 0))
    ):
        share = v.share
        if share is None:
            share = {"open": 0.0, "all_open": 0.0, "sound": 1.0}.get(v.judgement.cls)
        if share is not None or int(str(v.where["cylinder"])) not in found:
            found[int(str(v.where["cylinder"]))] = (share, v.judgement.verdict)
    return found


def plug_rows(record: JobRecord, shares: Shares) -> list[list[dict[str, Any]]]:
    """The plugs as they are drawn, by bank: how much of each glows, and its verdict."""

    def drawn(c: int) -> dict[str, Any]:
        share, verdict = shares.get(c, (None, ""))
        fill = max(0.0, min(1.0, share or 0.0))
        return {
            "cylinder": c,
            "share": share,
            "verdict": verdict,
            "glow_y": round(TIP_BOTTOM - fill * TIP_LENGTH, 1),
            "glow_height": round(fill * TIP_LENGTH, 1),
        }

    return [[drawn(c) for c in bank] for bank in banks(record.job.cylinders, record.job.engine.arrangement)]


def glow_view(
    record: JobRecord, k: Any, method: str, point: str, part_c: float | None = None
) -> dict[str, Any]:
    job = record.job
    readings = record.assessed.readings
    ref, instruments = reference(readings), readings.instruments
    kind = PLUG_KINDS[readings.glow_kind]
    order = [c for bank in banks(job.cylinders, job.engine.arrangement) for c in bank]
    test = {"ohm": "glow_resistance", "current": "glow_current"}.get(method)
    cells: list[Cell] = []
    if method == "ohm":
        warm = {} if part_c is None else {"part_c": part_c}
        cells = [
            Cell("glow_resistance", f"Cylinder {c}", "ohm", {"point": point, "cylinder": c}, conditions=warm)
            for c in order
        ]
    elif method == "current":
        cells = [Cell("glow_current", "All plugs", "A", {"point": "total"}, "steady", {"after_s": 10.0})]
        cells += [
            Cell("glow_current", f"Cylinder {c}", "A", {"cylinder": c}, "steady", {"after_s": 10.0})
            for c in order
        ]
        cells += [
            Cell("glow_current", f"Cylinder {c}", "A", {"cylinder": c}, "inrush", {"after_s": 1.0})
            for c in order
        ]
    shares = plug_shares(record.assessed.now)
    meter = instruments.ohmmeter()
    lamp_w = instruments.lamp_w() or GENERAL_LAMP_W
    ticked = {x.data.caution for x in job.of(Tick)}
    return {
        "bench": "glow",
        "part_c": "" if part_c is None else plain(part_c),
        "part_c_fault": "",
        "method": method,
        "point": point,
        "methods": METHODS,
        "points": POINTS,
        "point_words": POINT_WORDS,
        "test": test,
        "cells": fill(record, cells),
        "rows": plug_rows(record, shares),
        "reference": ref,
        "kind": kind,
        "weak_ohm": resistance_at_share(0.8, ref.ohm),
        "high_ohm": resistance_at_share(0.5, ref.ohm),
        "meter": meter,
        "meter_known": instruments.known("meter", "ohm"),
        "lead_warning": meter.lead_zero_ohm is not None and meter.lead_zero_ohm > 0.5,
        "lamp_w": lamp_w,
        "lamp_known": instruments.lamp_w() is not None,
        "lamp_limit": lamp_limit_ohm(lamp_w),
        "lamp_healthy": percent(lamp_share(lamp_w, ref.ohm)),
        "outcomes": (
            _outcomes(record, "glow_lamp_test" if method == "lamp" else "glow_bench_heat", order, point)
            if method in ("lamp", "heat")
            else []
        ),
        "ticked": ticked,
        "wires_off": job.unplugged_glow,
        "margin": margin_view(record, shares),
        "cautions": (
            k.tests[
                {
                    "ohm": "glow_resistance",
                    "lamp": "glow_lamp_test",
                    "current": "glow_current",
                    "heat": "glow_bench_heat",
                }[method]
            ].cautions
        ),
        "other_points": _other_points(record, point) if method == "ohm" else {},
    }


def _other_points(record: JobRecord, point: str) -> dict[int, list[str]]:
    found: dict[int, list[str]] = {}
    for v in record.assessed.now:
        if (
            v.test == "glow_resistance"
            and v.where.get("point") not in (point, None)
            and "cylinder" in v.where
        ):
            figure = v.judgement.cls if v.judgement.value is None else f"{plain(v.judgement.value)} ohm"
            found.setdefault(int(str(v.where["cylinder"])), []).append(
                f"{figure} at {POINT_WORDS[str(v.where['point'])]}"
            )
    return found


def _outcomes(record: JobRecord, test: str, order: list[int], point: str) -> list[dict[str, Any]]:
    rows = []
    for c in order:
        mine = [
            v
            for v in record.assessed.now
            if v.test == test
            and v.where.get("cylinder") == c
            and (test != "glow_lamp_test" or v.where.get("point") == point)
        ]
        entry = next((x for x in record.job.live if mine and x.id == mine[-1].entries[0]), None)
        rows.append(
            {
                "cylinder": c,
                "verdict": mine[-1] if mine else None,
                "outcome": entry.data.outcome if entry else "",
            }
        )
    return rows


def relay_view(record: JobRecord, k: Any) -> dict[str, Any]:
    job = record.job
    cells = [Cell("glow_relay", label, "V", {"point": point}, hint) for point, label, hint in RELAY_CELLS]
    times = [
        Cell("glow_on_time", "Lamp on", "s", {"point": "lamp"}, "from key on"),
        Cell("glow_on_time", "Output live", "s", {"point": "output"}, "until it lets go"),
    ]
    whole = next(
        (v for v in record.assessed.now if v.test == "glow_relay" and v.where.get("point") == "relay"), None
    )
    clicks = [x for x in job.of(Outcome) if x.data.test == "glow_relay"]
    volts = {f.cell.where["point"]: f.text for f in fill(record, cells)}
    loaded = any(
        x.data.conditions and x.data.conditions.loaded
        for x in job.of(Reading)
        if x.data.test == "glow_relay" and x.data.where.point == "output"
    )
    gap = min(26, 150 // job.cylinders)
    left = 562 - gap * job.cylinders // 2
    return {
        "bench": "relay",
        "plug_xs": [left + n * gap for n in range(job.cylinders)],
        "bus": f"M{left - 4} 70h{gap * job.cylinders + 6}",
        "cells": fill(record, cells),
        "times": fill(record, times),
        "whole": whole,
        "click": clicks[-1].data.outcome if clicks else "",
        "volts": volts,
        "table": RELAY_TABLE,
        "loaded": loaded,
        "control": job.engine.glow_control,
        "cautions": k.tests["glow_relay"].cautions,
        "coolant": job.condition("coolant") or job.condition("ambient"),
    }


def battery_view(record: JobRecord, k: Any, soaked_h: float | None = None) -> dict[str, Any]:
    job = record.job
    batteries = job.engine.batteries or 1
    rest = [
        Cell(
            "battery_rest",
            f"Battery {n}" if batteries > 1 else "Battery at rest",
            "V",
            {"point": f"battery_{n}"},
            "after two hours",
        )
        for n in range(1, batteries + 1)
    ]
    crank = [
        Cell(
            "battery_crank",
            f"Battery {n} cranking" if batteries > 1 else "Battery cranking",
            "V",
            {"point": f"battery_{n}"},
            "starter turning",
        )
        for n in range(1, batteries + 1)
    ]
    speed = [Cell("crank_speed", "Cranking speed", "rpm", {}, "live data")]
    drops = [
        Cell("cable_drop", "Positive side", "V", {"point": "positive"}, "post to starter"),
        Cell("cable_drop", "Ground side", "V", {"point": "ground"}, "block to post"),
    ]
    aid = [v for v in record.assessed.now if v.test == "start_aid_compare"]
    hours = [
        x.data.conditions.soaked_h
        for x in job.of(Reading)
        if x.data.test == "cold_soak_temps" and x.data.conditions and x.data.conditions.soaked_h is not None
    ]
    stood = soaked_h if soaked_h is not None else hours[-1] if hours else None
    soak = [
        Cell(
            "cold_soak_temps",
            channel.replace("_", " ").capitalize(),
            "degC",
            {"channel": channel},
            conditions={} if stood is None else {"soaked_h": stood},
        )
        for channel in CHANNELS
    ]
    filled = fill(record, rest + crank + speed + drops)
    by_id = {f.cell.id: f for f in filled}
    posts = [
        {
            "x": 120 * (n - 1),
            "rest": by_id[f"battery_rest-battery_{n}"],
            "crank": by_id[f"battery_crank-battery_{n}"],
        }
        for n in range(1, batteries + 1)
    ]
    plus = 110 + posts[-1]["x"]
    links = (
        ""
        if batteries == 1
        else "M110 66V56H174V66"
        if job.engine.system_voltage == 24
        else "M110 66V40H230V66M54 58H174V66"
    )
    return {
        "bench": "battery",
        "cells": filled,
        "drawn": {
            "posts": posts,
            "links": links,
            "plus_wire": f"M{plus} 66V30H490v46",
            "plus_text": (plus + 460) // 2,
        },
        "soak": fill(record, soak),
        "soaked_h": "" if stood is None else plain(stood),
        "asked_soaked_h": "",
        "soaked_fault": "",
        "aid": aid[-1].judgement.cls if aid else "",
        "ambient": job.condition("ambient"),
        "cautions": ["no_start_spray", "rotating"],
        "ticked": {x.data.caution for x in job.of(Tick)},
        "margin": margin_view(record, plug_shares(record.assessed.now)),
    }


def margin_view(record: JobRecord, shares: Shares) -> dict[str, Any] | None:
    """The cold-start margin as curves, one for each number of working plugs, with tonight marked."""
    job = record.job
    if job.engine.glow == "none" or job.engine.combustion is None and job.engine.cylinders is None:
        return None
    engine = StartEngine(job.cylinders, job.engine.combustion or "direct", job.engine.compression_ratio)
    measured = [
        v.judgement.value
        for v in record.assessed.now
        if v.test == "crank_speed" and v.judgement.verdict != "implausible"
    ]
    rpm = measured[-1] if measured else job.engine.limit("crank_rpm") or GENERAL_CRANK_RPM
    known = [shares.get(c, (None, ""))[0] for c in range(1, job.cylinders + 1)]
    heat = [min(1.2, s) if s is not None else 1.0 for s in known]

    curves = _drawn_curves(engine, rpm)
    ambient = job.condition("ambient")
    tonight = None
    if ambient is not None:
        t = convert(ambient.data.value, ambient.data.unit, "degC")
        p = float(start_chance(t, engine, heat, rpm))
        healthy = float(start_chance(t, engine, [1.0] * job.cylinders, rpm))
        tonight = {
            "t": plain(t),
            "x": _chart_x(min(max(t, COLDEST), WARMEST)),
            "y": _chart_y(p),
            "chance": percent(p),
            "healthy": percent(healthy),
            "heated": percent(float(start_chance(t, engine, heat, rpm, BLOCK_HEATER_K))),
            "lift": plain(BLOCK_HEATER_K),
        }
    measured_path = (
        " ".join(
            f"{_chart_x(float(t))},{_chart_y(float(p))}"
            for t, p in zip(AMBIENT_C, start_chance(AMBIENT_C, engine, heat, rpm), strict=True)
        )
        if any(s is not None for s in known)
        else ""
    )
    return {
        "curves": curves,
        "tonight": tonight,
        "measured": measured_path,
        "state": _plug_state(known),
        "ticks_x": [(t, _chart_x(t)) for t in range(-30, 26, 5)],
        "ticks_y": [(p, _chart_y(p / 100)) for p in (0, 25, 50, 75, 100)],
        "chart": CHART,
        "rpm": plain(rpm),
        "rpm_measured": bool(measured),
        "ratio": plain(engine.ratio),
        "ratio_known": job.engine.compression_ratio is not None,
        "combustion": engine.combustion,
        "labels": _labels(curves),
    }


def _chart_x(t: float) -> float:
    return round(CHART["left"] + (t - COLDEST) / (WARMEST - COLDEST) * CHART["width"], 1)


def _chart_y(p: float) -> float:
    return round(CHART["top"] + (1 - p) * CHART["height"], 1)


@lru_cache(maxsize=64)
def _drawn_curves(engine: StartEngine, rpm: float) -> tuple[dict[str, Any], ...]:
    """The curves of an engine as they are drawn; they change with card and crank only."""
    drawn = []
    for curve in margin_curves(engine, rpm, COLDEST, WARMEST):
        half = next((t for t, p in zip(curve.ambient_c, curve.chance, strict=True) if p >= 0.5), None)
        drawn.append(
            {
                "working": curve.working,
                "warmth": curve.working * 4 // engine.cylinders,
                "half": half,
                "path": " ".join(
                    f"{_chart_x(t)},{_chart_y(p)}" for t, p in zip(curve.ambient_c, curve.chance, strict=True)
                ),
                "label_x": max(_chart_x(half), CHART["left"] + 20) if half is not None else None,
            }
        )
    return tuple(drawn)


def _plug_state(shares: list[float | None]) -> str:
    """The plugs of an engine in words: how many heat well, are tired, are dead, were not read."""
    counts = [
        ("healthy", sum(s is not None and s >= 0.8 for s in shares)),
        ("tired", sum(s is not None and 0.1 <= s < 0.8 for s in shares)),
        ("dead", sum(s is not None and s < 0.1 for s in shares)),
        ("not read, taken as healthy", sum(s is None for s in shares)),
    ]
    return ", ".join(f"{n} {word}" for word, n in counts if n)


def _labels(curves: tuple[dict[str, Any], ...]) -> list[dict[str, Any]]:
    """One label for each bundle of curves that cross one half within a few pixels."""
    bundles: list[dict[str, Any]] = []
    for curve in sorted((c for c in curves if c["label_x"] is not None), key=lambda c: c["label_x"]):
        if bundles and abs(bundles[-1]["x"] - curve["label_x"]) < 26:
            bundles[-1]["low"] = min(bundles[-1]["low"], curve["working"])
            bundles[-1]["high"] = max(bundles[-1]["high"], curve["working"])
        else:
            bundles.append({"x": curve["label_x"], "low": curve["working"], "high": curve["working"]})
    return bundles
