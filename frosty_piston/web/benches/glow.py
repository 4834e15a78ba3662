"""Glow plugs: ohmmeter, test lamp, clamp, heat on the bench."""

from typing import Any

from frosty_piston.core.electrical import lamp_light, lamp_limit_ohm, lamp_share
from frosty_piston.core.glow import GlowLimits
from frosty_piston.core.plugs import resistance_at_share
from frosty_piston.core.quantity import percent, plain
from frosty_piston.job.entries import Tick
from frosty_piston.job.judging.glow import GENERAL_LAMP_W, reference
from frosty_piston.job.judging.result import POINT_WORDS
from frosty_piston.job.judging.starts import plug_shares
from frosty_piston.knowledge import Knowledge
from frosty_piston.store.workshop import JobRecord, Workshop
from frosty_piston.web.frame.forms import Form
from frosty_piston.web.job.cells import Cell, fill

from . import margin
from .bench import Bench
from .plugs import banks, plug_rows

POINTS = {
    "harness_connector": "Harness connector",
    "relay_connector": "Relay connector",
    "plug": "Plug itself",
}
METHODS = {"ohm": "Ohmmeter", "lamp": "Test lamp", "current": "Clamp", "heat": "Heat on the bench"}
TESTS = {
    "ohm": "glow_resistance",
    "lamp": "glow_lamp_test",
    "current": "glow_current",
    "heat": "glow_bench_heat",
}
FIRST_METHOD = "ohm"
FIRST_POINT = "harness_connector"


def shows(record: JobRecord, workshop: Workshop, asked: Form) -> dict[str, Any]:
    part_c = asked.figure("part_c", "degC", -60, 150)
    method = asked.raw("method") if asked.raw("method") in METHODS else FIRST_METHOD
    point = asked.raw("point") if asked.raw("point") in POINTS else FIRST_POINT
    shown = view(record, workshop.knowledge, method, point, part_c)
    shown |= {"kept_meter": workshop.settings.get("meter"), "kept_lamp": workshop.settings.get("lamp")}
    if asked.faults:
        shown |= {"part_c": asked.raw("part_c"), "part_c_fault": asked.faults[0].says}
    return shown


def view(
    record: JobRecord, knowledge: Knowledge, method: str, point: str, part_c: float | None = None
) -> dict[str, Any]:
    job = record.job
    readings = record.assessed.readings
    ref = reference(readings)
    instruments = readings.instruments
    limits = readings.limits(GlowLimits)
    kind = limits.kind(readings.glow_kind)
    order = [c for bank in banks(job.cylinders, job.engine.arrangement) for c in bank]
    test = TESTS[method] if method in ("ohm", "current") else None
    cells: list[Cell] = []
    if method == "ohm":
        warm = {} if part_c is None else {"part_c": part_c}
        cells = [
            Cell(
                "glow_resistance",
                f"Cylinder {cylinder}",
                "ohm",
                {"point": point, "cylinder": cylinder},
                conditions=warm,
            )
            for cylinder in order
        ]
    elif method == "current":
        cells = [
            Cell(
                "glow_current",
                "All plugs",
                "A",
                where={"point": "total"},
                hint="steady",
                conditions={"after_s": 10.0},
            )
        ]
        cells += [
            Cell(
                "glow_current",
                f"Cylinder {c}",
                "A",
                where={"cylinder": c},
                hint="steady",
                conditions={"after_s": 10.0},
            )
            for c in order
        ]
        cells += [
            Cell(
                "glow_current",
                f"Cylinder {c}",
                "A",
                where={"cylinder": c},
                hint="inrush",
                conditions={"after_s": 1.0},
            )
            for c in order
        ]
    shares = plug_shares(record.assessed.now, [x.id for x in job.tape])
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
        "weak_ohm": resistance_at_share(limits.weak_share, ref.ohm, limits.path_ohm),
        "high_ohm": resistance_at_share(limits.failed_share, ref.ohm, limits.path_ohm),
        "meter": meter,
        "meter_known": instruments.known("meter", "ohm"),
        "lead_warning": meter.lead_zero_ohm is not None and meter.lead_zero_ohm > 0.5,
        "lamp_w": lamp_w,
        "lamp_known": instruments.lamp_w() is not None,
        "lamp_limit": lamp_limit_ohm(lamp_w, limits.lamp_lit_share),
        "lamp_healthy": percent(lamp_light(lamp_share(lamp_w, ref.ohm))),
        "outcomes": (_outcomes(record, TESTS[method], order, point) if method in ("lamp", "heat") else []),
        "ticked": ticked,
        "wires_off": job.unplugged_glow,
        "margin": margin.margin_view(record, shares),
        "cautions": knowledge.tests[TESTS[method]].cautions,
        "wanted": _wanted(record, TESTS[method], point),
        "other_points": _other_points(record, point) if method == "ohm" else {},
    }


def _wanted(record: JobRecord, test: str, point: str) -> set[int]:
    """The cylinders that read poorly somewhere and were not tried here yet: those come first."""
    poor = {
        int(str(v.where["cylinder"]))
        for v in record.assessed.now
        if v.test in ("glow_resistance", "glow_current")
        and "cylinder" in v.where
        and v.judgement.verdict in ("failed", "marginal")
    }
    tried = {
        int(str(verdict.where["cylinder"]))
        for verdict in record.assessed.now
        if verdict.test == test
        and "cylinder" in verdict.where
        and verdict.where.get("point") in (None, point)
    }
    return poor - tried


def _other_points(record: JobRecord, point: str) -> dict[int, list[str]]:
    elsewhere: dict[int, list[str]] = {}
    for verdict in record.assessed.now:
        if (
            verdict.test == "glow_resistance"
            and verdict.where.get("point") not in (point, None)
            and "cylinder" in verdict.where
        ):
            figure = (
                verdict.judgement.cls
                if verdict.judgement.value is None
                else f"{plain(verdict.judgement.value)} Ω"
            )
            elsewhere.setdefault(int(str(verdict.where["cylinder"])), []).append(
                f"{figure} at {POINT_WORDS[str(verdict.where['point'])]}"
            )
    return elsewhere


def _outcomes(record: JobRecord, test: str, order: list[int], point: str) -> list[dict[str, Any]]:
    rows = []
    for cylinder in order:
        mine = [
            verdict
            for verdict in record.assessed.now
            if verdict.test == test
            and verdict.where.get("cylinder") == cylinder
            and (test != "glow_lamp_test" or verdict.where.get("point") == point)
        ]
        entry = next((x for x in record.job.live if mine and x.id == mine[-1].entries[0]), None)
        rows.append(
            {
                "cylinder": cylinder,
                "verdict": mine[-1] if mine else None,
                "outcome": entry.data.outcome if entry else "",
            }
        )
    return rows


def query(test: str, point: str) -> str:
    method = next(m for m, t in TESTS.items() if t == test)
    return f"?method={method}" + (f"&point={point}" if point else "")


BENCH = Bench(
    "measure/_glow.html",
    shows,
    ("measure/_plugs.html", margin.TEMPLATE),
    (("method", "method"), ("point", "at")),
    query,
)
