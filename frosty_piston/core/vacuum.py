"""Vacuum: pump, holding, travel, in kPa below ambient, judged for the altitude."""

import math
from collections.abc import Sequence

from .air import barometer_kpa
from .quantity import Judgement, plain

GENERAL = "general figure, check your service data"
PUMP_SHARE, REACHES = 0.93, 0.9
FLICKER_KPA, REACH_S = 2.0, 20.0
PART_LOSS_KPA, BRANCH_LOSS_KPA = 3.0, 7.0
LEVEL_KPA = 60.0


def pump_limit_kpa(ambient_kpa: float) -> float:
    """Answer what a healthy pump reaches below ambient: 93 % of it (general for a vane or diaphragm pump).

    >>> round(pump_limit_kpa(101.3), 1), round(pump_limit_kpa(84.5), 1)
    (94.2, 78.6)
    """
    return PUMP_SHARE * ambient_kpa


def judge_pump(
    kpa: float, seconds: float | None, flicker_kpa: float | None, altitude_m: float = 0.0
) -> Judgement:
    """Judge the vacuum straight at the pump: 90 % of its limit in under 20 s, needle steady within 2 kPa
    (general).

    The limit hangs on the air: 71 kPa at 1,500 m is as good as 85 at the sea.

    >>> judge_pump(71, 12, 0.5, 1500).cls, judge_pump(71, 12, 0.5, 0).cls, judge_pump(88, 12, 4, 0).cls
    ('sound', 'low', 'flickers')
    """
    ambient = barometer_kpa(altitude_m)
    wanted = REACHES * pump_limit_kpa(ambient)
    says = (
        f"{plain(kpa)} kPa; {plain(wanted)} is wanted at {plain(altitude_m)} m, where the air is"
        f" {plain(ambient)} kPa ({GENERAL})."
    )
    if kpa > ambient:
        return Judgement(
            "implausible",
            "implausible",
            kpa,
            "kPa",
            None,
            f"{plain(kpa)} kPa below ambient cannot be where the air is {plain(ambient)} kPa: check the"
            " unit.",
        )
    if kpa < wanted:
        return Judgement(
            "failed",
            "low",
            kpa,
            "kPa",
            None,
            f"{says} Low: weak pump, or a leak still connected. Repeat with everything else blocked.",
        )
    if flicker_kpa is not None and flicker_kpa > FLICKER_KPA:
        return Judgement(
            "failed",
            "flickers",
            kpa,
            "kPa",
            None,
            f"{says} The needle flickers by {plain(flicker_kpa)} kPa: vane, diaphragm or seal.",
        )
    if seconds is not None and seconds > REACH_S:
        return Judgement(
            "marginal",
            "slow",
            kpa,
            "kPa",
            None,
            f"{says} It takes {plain(seconds)} s; {plain(REACH_S)} s is the mark.",
        )
    return Judgement("sound", "sound", kpa, "kPa", None, says)


def leak_tau_s(start_kpa: float, end_kpa: float, seconds: float) -> float:
    """Answer the time constant of a leak: ``tau = t/ln(v0/v1)``; endless when nothing is lost.

    >>> round(leak_tau_s(60, 57, 60)), leak_tau_s(60, 60, 60)
    (1170, inf)
    """
    return math.inf if end_kpa >= start_kpa else seconds / math.log(start_kpa / max(end_kpa, 1e-9))


def judge_hold(start_kpa: float, end_kpa: float, seconds: float, branch: bool = False) -> Judgement:
    """Judge a hold test: an actuator alone loses under 3 kPa in 60 s from 60, a whole branch under 7
    (general).

    The loss is taken to 60 s from 60 kPa by its time constant. Never reaching the level is a gross leak.

    >>> judge_hold(60, 59, 60).cls, judge_hold(60, 48, 60).cls, judge_hold(12, 0, 60).cls
    ('holds', 'leaks', 'gross_leak')
    """
    if start_kpa < 0.5 * LEVEL_KPA:
        return Judgement(
            "failed",
            "gross_leak",
            start_kpa,
            "kPa",
            None,
            f"Only {plain(start_kpa)} kPa reached of {plain(LEVEL_KPA)}: a gross leak, or a hose off.",
        )
    if seconds <= 0 or end_kpa > start_kpa:
        return Judgement(
            "implausible",
            "implausible",
            None,
            None,
            None,
            "Vacuum cannot grow by itself, and a time is wanted: repeat the test.",
        )
    tau = leak_tau_s(start_kpa, end_kpa, seconds)
    loss = LEVEL_KPA * (1 - math.exp(-60 / tau)) if math.isfinite(tau) else 0.0
    limit = BRANCH_LOSS_KPA if branch else PART_LOSS_KPA
    says = (
        f"{plain(start_kpa)} to {plain(end_kpa)} kPa in {plain(seconds)} s: {plain(loss)} kPa a minute from"
        f" 60; under {plain(limit)} is tight for {'a branch' if branch else 'one part'} ({GENERAL})."
    )
    if loss < limit:
        return Judgement("sound", "holds", loss, "kPa", None, says)
    return Judgement("failed", "gross_leak" if loss > 0.7 * LEVEL_KPA else "leaks", loss, "kPa", None, says)


def judge_travel(
    points: Sequence[tuple[float, float]], start_kpa: float = 20.0, full_kpa: float = 60.0
) -> Judgement:
    """Judge an actuator's travel against vacuum: starts by 15 to 20 kPa, full by 45 to 60 (general).

    `points`: pairs of kPa below ambient and mm of travel, in any order, at least three.

    >>> (
    ...     judge_travel([(0, 0), (18, 0.6), (30, 4), (50, 10), (60, 10.2)]).cls,
    ...     judge_travel([(0, 0), (30, 0.1), (60, 0.3)]).cls,
    ... )
    ('in_range', 'still')
    """
    ordered = sorted(points)
    stroke = max(mm for _, mm in ordered) - min(mm for _, mm in ordered)
    if len(ordered) < 3:
        return Judgement(
            "unclear",
            "unclear",
            stroke,
            "mm",
            None,
            "Measure at three points at least: before it moves, half way, at the end.",
        )
    if stroke < 1.0:
        return Judgement(
            "failed",
            "still",
            stroke,
            "mm",
            None,
            f"{plain(stroke)} mm of travel up to {plain(ordered[-1][0])} kPa: it hardly moves.",
        )
    base = ordered[0][1]
    starts = next(kpa for kpa, mm in ordered if abs(mm - base) > 0.05 * stroke)
    full = next(kpa for kpa, mm in ordered if abs(mm - base) >= 0.9 * stroke)
    says = (
        f"Starts by {plain(starts)} kPa, full by {plain(full)}, {plain(stroke)} mm; {plain(start_kpa)} and"
        f" {plain(full_kpa)} are the marks ({GENERAL})."
    )
    late = starts > start_kpa + 3 or full > full_kpa + 3
    return Judgement("failed" if late else "sound", "late" if late else "in_range", stroke, "mm", None, says)
