"""Glow plugs: resistance, test lamp, current, and out on the bench."""

from collections.abc import Callable
from dataclasses import replace

from frosty_piston.core import glow, glow_methods
from frosty_piston.core.quantity import plain
from frosty_piston.job.entries import Entry

from .readings import Readings
from .result import Result, where_of
from .sets import result

GENERAL_LAMP_W = 5.0
AFAR = ("harness_connector", "relay_connector")
INRUSH_S = 3


def resistance(readings: Readings, latest: list[Entry]) -> list[Result]:
    by_point: dict[str, list[Entry]] = {}
    for x in latest:
        by_point.setdefault(x.data.where.point or "", []).append(x)
    return _wire_or_plug([v for at_point in by_point.values() for v in _one_point(readings, at_point)])


def _one_point(readings: Readings, at_point: list[Entry]) -> list[Result]:
    """All plugs read at one point are judged as a set."""
    plugs = [
        glow.PlugReading(
            entry.data.where.cylinder or 0,
            readings.value(entry, "ohm"),
            entry.data.conditions.part_c if entry.data.conditions else None,
        )
        for entry in at_point
    ]
    wires_off = readings.job.unplugged_glow or any(
        x.data.conditions and x.data.conditions.wires_off for x in at_point
    )
    judged = glow.judge_set(
        plugs,
        readings.instruments.ohmmeter(at_point[-1]),
        readings.glow_kind,
        limits=readings.limits(glow.GlowLimits),
        nominal_ohm=readings.job.engine.glow_nominal_ohm,
        wires_off=wires_off,
    )
    return [
        Result(
            "glow_resistance",
            where_of(x.data.where),
            j.judgement,
            entries=(x.id,),
            share=j.share,
            power_w=j.power_w,
        )
        for x, j in zip(at_point, judged, strict=True)
    ]


def _wire_or_plug(verdicts: list[Result]) -> list[Result]:
    """Where a cylinder was read at the plug too, say which of the two it is: wire or plug."""
    at_plug = {v.where.get("cylinder"): v for v in verdicts if v.where.get("point") == "plug"}
    return [
        _beside(verdict, at_plug[verdict.where.get("cylinder")])
        if verdict.where.get("point") in AFAR and verdict.where.get("cylinder") in at_plug
        else verdict
        for verdict in verdicts
    ]


def _beside(afar: Result, at_plug: Result) -> Result:
    which = glow.harness_or_plug(afar.judgement, at_plug.judgement)
    extra = ""
    if which == "plug":
        extra = " The same at the plug itself: it is the plug."
    elif which == "both":
        extra = f" At the plug itself {_read(at_plug)}: the plug is poor, and the wire between adds to it."
    elif which == "against":
        extra = (
            f" At the plug itself {_read(at_plug)}, which is worse; in line it cannot be better than alone,"
            " so the two are not of one moment: read both again."
        )
    elif which == "wire":
        a = afar.judgement.value
        b = at_plug.judgement.value
        between = f" ({plain(a - b)} Ω in between)." if a is not None and b is not None else "."
        extra = " Sound at the plug itself: the wire or connector between is at fault" + between
    return replace(afar, judgement=replace(afar.judgement, because=afar.judgement.because + extra))


def _read(verdict: Result) -> str:
    return "it is open" if verdict.judgement.value is None else f"it is {plain(verdict.judgement.value)} Ω"


def reference(readings: Readings) -> glow.Reference:
    """The reference of this job's plugs, from card, set or kind."""
    values = [
        verdict.judgement.value
        for verdict in readings.verdicts("glow_resistance")
        if verdict.judgement.value is not None and verdict.judgement.cls not in ("short", "bridged")
    ]
    nominal_ohm = readings.job.engine.glow_nominal_ohm
    limits = readings.limits(glow.GlowLimits)
    return glow.reference(readings.glow_kind, nominal_ohm, values, limits)


def lamp_test(readings: Readings, latest: list[Entry]) -> list[Result]:
    ref = reference(readings)
    limits = readings.limits(glow.GlowLimits)

    def watts(entry: Entry) -> float:
        return readings.instruments.lamp_w(entry) or GENERAL_LAMP_W

    return [
        result(x, glow_methods.judge_lamp(x.data.outcome, watts(x), ref, limits))
        for x in latest
        if x.data.outcome
    ]


def current(readings: Readings, latest: list[Entry]) -> list[Result]:
    ref = reference(readings)
    limits = readings.limits(glow.GlowLimits)
    results = []
    after: dict[str, float | None] = {
        x.id: x.data.conditions.after_s if x.data.conditions else None for x in latest
    }
    inrush = {
        str(where_of(x.data.where)): x.data.value
        for x in latest
        if (seconds := after[x.id]) is not None and seconds < INRUSH_S
    }
    for entry in latest:
        where = where_of(entry.data.where)
        amps = readings.figure(entry, "A")
        if where.get("point") == "total" or "bank" in where:
            count = readings.job.cylinders // (2 if "bank" in where else 1)
            judged = glow_methods.working_plugs(amps, count, ref, limits)
        else:
            judged = glow_methods.judge_plug_current(
                amps, after[entry.id], ref, limits, inrush.get(str(where))
            )
        results.append(Result("glow_current", where, judged, (entry.id,)))
    return results


def bench_heat(readings: Readings, latest: list[Entry]) -> list[Result]:
    dead = {
        verdict.where.get("cylinder")
        for test in ("glow_resistance", "glow_current")
        for verdict in readings.verdicts(test)
        if verdict.judgement.verdict == "failed"
    }
    kind = readings.limits(glow.GlowLimits).kind(readings.glow_kind)
    verdicts = []
    for entry in latest:
        if entry.data.outcome:
            after_s = entry.data.conditions.after_s if entry.data.conditions else None
            judged = glow_methods.judge_bench_heat(
                entry.data.outcome, after_s, entry.data.where.cylinder in dead, kind
            )
            verdicts.append(result(entry, judged))
    return verdicts


JUDGES: dict[str, Callable[[Readings, list[Entry]], list[Result]]] = {
    "glow_resistance": resistance,
    "glow_lamp_test": lamp_test,
    "glow_current": current,
    "glow_bench_heat": bench_heat,
}
# What each judge can answer beside the words of every judge.
ANSWERS: dict[str, tuple[str, ...]] = {
    "glow_resistance": ("weak", "high", "short", "open", "all_open"),
    "glow_lamp_test": ("not_open", "high", "open"),
    "glow_current": ("weak", "high", "all_weak", "all_high", "short", "open", "all_open"),
    "glow_bench_heat": ("weak", "open"),
}
