"""Vacuum: pump, holding, travel, in kPa below ambient, judged for the altitude."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from .air import barometer_kpa
from .limits import Limit
from .quantity import Judgement, plain


@dataclass(frozen=True, slots=True)
class VacuumLimits:
    """The figures that judge vacuum, kPa below ambient; shares are of the pump's limit, of the level of the
    hold test, or of the stroke."""

    pump_share: Limit
    reaches_share: Limit
    flicker_kpa: Limit
    gauge_kpa: Limit
    reach_s: Limit
    hold_gauge_kpa: Limit
    part_loss_kpa: Limit
    branch_loss_kpa: Limit
    hold_level_kpa: Limit
    hold_s: Limit
    not_reached_share: Limit
    gross_share: Limit
    travel_starts_kpa: Limit
    travel_full_kpa: Limit
    travel_gauge_kpa: Limit
    travel_least_mm: Limit
    travel_moved_share: Limit
    travel_full_share: Limit


@dataclass(frozen=True, slots=True)
class Ambient:
    """The air outside in kPa, in words where that is from, and whether it is known."""

    kpa: float
    says: str
    known: bool = True


SEA_LEVEL_KPA = 101.3
CHOKED_SHARE = 0.47  # of ambient: a deeper vacuum draws air through a sharp hole as fast as sound
SEA_LEVEL = Ambient(SEA_LEVEL_KPA, "at 0 m")


def ambient_of(
    barometer_kpa_read: float | None = None,
    altitude_m: float | None = None,
    sea_level_kpa: float | None = None,
) -> Ambient:
    """Return what air stands around a vehicle: a barometer first, else the altitude with the weather of the
    day, else unknown, with sea level taken.

    Parameters: `barometer_kpa_read`: kPa on the spot; `altitude_m`: altitude in m; `sea_level_kpa`: what the
    weather report gives, kPa at sea level. Source: ISO 2533; weather pressure is given for sea level.

    >>> ambient_of(84.0, 1500), ambient_of(None, None).known
    (Ambient(kpa=84.0, says='by the barometer', known=True), False)
    >>> (
    ...     round(ambient_of(altitude_m=1500).kpa, 1),
    ...     round(ambient_of(altitude_m=1500, sea_level_kpa=99.0).kpa, 1),
    ... )
    (84.5, 82.6)
    """
    if barometer_kpa_read is not None:
        return Ambient(barometer_kpa_read, "by the barometer")
    if altitude_m is not None:
        kpa = barometer_kpa(altitude_m)
        weather = ""
        if sea_level_kpa is not None:
            kpa = kpa * sea_level_kpa / SEA_LEVEL_KPA
            weather = " in this weather"
        return Ambient(kpa, f"at {plain(altitude_m)} m{weather}")
    return Ambient(SEA_LEVEL_KPA, "at sea level", False)


def pump_limit_kpa(ambient_kpa: float, limits: VacuumLimits) -> float:
    """Return what a healthy pump reaches below ambient: 93 % of it (general for a vane or diaphragm pump).

    Parameters: `ambient_kpa`: air outside in kPa; `limits`: the limits of the area. Source: general,
    `figures/vacuum.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(VacuumLimits)
    >>> round(pump_limit_kpa(101.3, limits), 1), round(pump_limit_kpa(84.5, limits), 1)
    (94.2, 78.6)
    """
    return limits.pump_share * ambient_kpa


def judge_pump(
    kpa: float, seconds: float | None, limits: VacuumLimits, ambient: Ambient = SEA_LEVEL
) -> Judgement:
    """Judge the level straight at the pump: 90 % of its limit in under 20 s (general), as far as the gauge
    tells.

    The limit hangs on the air: 71 kPa at 1 500 m is as good as 85 at the sea. Where the air is not known a
    low reading is unclear.

    Parameters: `kpa`: kPa below ambient; `seconds`: seconds to get there, None when not noted; `limits`: the
    limits of the area; `ambient`: the air around it. Source: general, `figures/vacuum.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(VacuumLimits)
    >>> places = [ambient_of(altitude_m=m) for m in (1500, 0, None)]
    >>> [judge_pump(71, 12, limits, place).cls for place in places]
    ['sound', 'low', 'unclear']
    """
    wanted = limits.reaches_share * pump_limit_kpa(ambient.kpa, limits)
    u = limits.gauge_kpa
    says = (
        f"{plain(kpa)} kPa; {plain(wanted)} is wanted {ambient.says}, where the air is"
        f" {plain(ambient.kpa)} kPa ({limits.reaches_share.source})."
    )

    def came_to(verdict: str, cls: str, because: str) -> Judgement:
        return Judgement(verdict, cls, kpa, unit="kPa", uncertainty=u, because=because)

    if kpa > ambient.kpa:
        return came_to(
            "implausible",
            "implausible",
            f"{plain(kpa)} kPa below ambient cannot be where the air is {plain(ambient.kpa)} kPa: check the"
            " unit.",
        )
    if kpa < wanted and not ambient.known:
        return came_to(
            "unclear",
            "unclear",
            f"{says} That is low for the sea, and up a mountain it may be sound: write down the altitude or"
            " what the barometer reads.",
        )
    if kpa + u < wanted:
        return came_to(
            "failed",
            "low",
            f"{says} Low: weak pump, or a leak still connected. Repeat with everything else blocked.",
        )
    if kpa < wanted:
        return came_to("unclear", "unclear", f"{says} A gauge good to {plain(u)} kPa cannot tell.")
    if seconds is not None and seconds > limits.reach_s:
        return came_to(
            "marginal", "slow", f"{says} It takes {plain(seconds)} s; {plain(limits.reach_s)} s is the mark."
        )
    return came_to("sound", "sound", says)


def judge_flicker(flicker_kpa: float, limits: VacuumLimits) -> Judgement:
    """Judge the needle at the pump by itself, whatever the level: steady within 2 kPa (general).

    Parameters: `flicker_kpa`: how far it swings, kPa; `limits`: the limits of the area. Source: general,
    `figures/vacuum.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> [judge_flicker(kpa, general(VacuumLimits)).cls for kpa in (1, 4)]
    ['steady', 'flickers']
    """
    most = limits.flicker_kpa
    says = f"The needle swings by {plain(flicker_kpa)} kPa; up to {plain(most)} is its pulse ({most.source})"
    u = limits.hold_gauge_kpa / 2
    if flicker_kpa <= most:
        return Judgement("sound", "steady", flicker_kpa, unit="kPa", uncertainty=u, because=f"{says}.")
    if flicker_kpa - u <= most:
        near = f"{says}, and a needle is read to {plain(limits.hold_gauge_kpa)} kPa: watch it again."
        return Judgement("unclear", "unclear", flicker_kpa, unit="kPa", uncertainty=u, because=near)
    return Judgement(
        "failed",
        "flickers",
        flicker_kpa,
        unit="kPa",
        uncertainty=u,
        because=f"{says}: vane, diaphragm or seal.",
    )


def leak_tau_s(start_kpa: float, end_kpa: float, seconds: float, ambient: Ambient = SEA_LEVEL) -> float:
    """Return the time constant of a leak; endless when nothing is lost.

    Deeper than 47 % of ambient the air is as fast as sound in the hole, and the vacuum falls at a steady
    rate, ``v = v0 - vc t/tau``; shallower than that ``v = v0 exp(-t/tau)``, with ``vc`` where they meet.

    Parameters: `start_kpa`: kPa below ambient at the start, above 0; `end_kpa`: kPa below ambient at the end;
    `seconds`: time in s; `ambient`: the air around. Source: a small sharp hole into a fixed volume; choked
    under a pressure ratio of 0.53, near enough exponential above it.

    >>> round(leak_tau_s(60, 57, 60)), round(leak_tau_s(40, 38, 60)), leak_tau_s(60, 60, 60)
    (952, 1170, inf)
    """
    if end_kpa >= start_kpa:
        return math.inf
    return seconds / (_leak_time(start_kpa, ambient) - _leak_time(max(end_kpa, 1e-9), ambient))


def left_kpa(start_kpa: float, seconds: float, tau_s: float, ambient: Ambient = SEA_LEVEL) -> float:
    """Return what is left of a vacuum after a time, kPa below ambient: `leak_tau_s` turned round.

    Parameters: `start_kpa`: kPa below ambient at the start, above 0; `seconds`: time in s; `tau_s`: the time
    constant, s, above 0 or endless; `ambient`: the air around. Source: as of `leak_tau_s`.

    >>> round(left_kpa(60, 60, 952), 2), round(left_kpa(40, 60, 1170), 2), left_kpa(60, 60, math.inf)
    (57.0, 38.0, 60)
    """
    if math.isinf(tau_s):
        return start_kpa
    choked = CHOKED_SHARE * ambient.kpa
    left = _leak_time(start_kpa, ambient) - seconds / tau_s
    return choked * (1 + left) if left > 0 else choked * math.exp(left)


def _leak_time(kpa: float, ambient: Ambient) -> float:
    """How long a vacuum lasts until it is no longer choked, in time constants; below that, less than 0."""
    choked = CHOKED_SHARE * ambient.kpa
    return kpa / choked - 1 if kpa > choked else math.log(kpa / choked)


def judge_hold(
    start_kpa: float,
    end_kpa: float,
    seconds: float,
    limits: VacuumLimits,
    branch: bool = False,
    ambient: Ambient = SEA_LEVEL,
) -> Judgement:
    """Judge a hold test: an actuator alone loses under 3 kPa in 60 s from 60, a whole branch under 7
    (general).

    The loss is taken to 60 s from 60 kPa by its time constant, as far as a gauge that is read to 1 kPa can
    tell: what is too short to tell is unclear. Never reaching the level is a gross leak.

    Parameters: `start_kpa`: kPa below ambient at the start; `end_kpa`: kPa below ambient at the end;
    `seconds`: time in s; `limits`: the limits of the area; `branch`: whether it is a whole branch; `ambient`:
    the air around it. Source: `leak_tau_s`, `figures/vacuum.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(VacuumLimits)
    >>> [judge_hold(start, end, 60, limits).cls for start, end in ((60, 59), (60, 48), (12, 0))]
    ['holds', 'leaks', 'gross_leak']
    >>> judge_hold(60, 59, 5, limits).cls, judge_hold(600, 590, 60, limits).cls
    ('unclear', 'implausible')
    """
    level = limits.hold_level_kpa
    if max(start_kpa, end_kpa) > ambient.kpa:
        return Judgement(
            "implausible",
            "implausible",
            None,
            unit=None,
            uncertainty=None,
            because=f"{plain(max(start_kpa, end_kpa))} kPa below ambient cannot be where the air is"
            f" {plain(ambient.kpa)} kPa: check the unit.",
        )
    if start_kpa < limits.not_reached_share * level:
        return Judgement(
            "failed",
            "gross_leak",
            start_kpa,
            unit="kPa",
            uncertainty=None,
            because=f"Only {plain(start_kpa)} kPa reached of {plain(level)}: a gross leak, or a hose off.",
        )
    if seconds <= 0 or end_kpa > start_kpa:
        return Judgement(
            "implausible",
            "implausible",
            None,
            unit=None,
            uncertainty=None,
            because="Vacuum cannot grow by itself, and a time is wanted: repeat the test.",
        )
    step = limits.hold_gauge_kpa
    ends = (end_kpa + step, end_kpa, end_kpa - step)
    least, loss, most = (_lost_kpa(start_kpa, end, seconds, limits, ambient) for end in ends)
    limit = limits.branch_loss_kpa if branch else limits.part_loss_kpa
    says = (
        f"{plain(start_kpa)} to {plain(end_kpa)} kPa in {plain(seconds)} s: {plain(loss)} kPa a minute from"
        f" {plain(level)}; under {plain(limit)} is tight for {'a branch' if branch else 'one part'}"
        f" ({limit.source})."
    )
    u = (most - least) / 2
    if most <= limit or loss < limit and seconds >= limits.hold_s:
        return Judgement("sound", "holds", loss, unit="kPa", uncertainty=u, because=says)
    if least < limit and (loss < limit or seconds < limits.hold_s):
        wait = math.ceil(limits.hold_s / 5) * 5
        return Judgement(
            "unclear",
            "unclear",
            loss,
            unit="kPa",
            uncertainty=u,
            because=f"{says} A gauge read to {plain(step)} kPa cannot tell so soon: wait {plain(wait)} s.",
        )
    return Judgement(
        "failed",
        "gross_leak" if loss > limits.gross_share * level else "leaks",
        loss,
        unit="kPa",
        uncertainty=u,
        because=says,
    )


def _lost_kpa(
    start_kpa: float, end_kpa: float, seconds: float, limits: VacuumLimits, ambient: Ambient
) -> float:
    """What is lost in the time of the hold test from its level, kPa."""
    tau = leak_tau_s(start_kpa, end_kpa, seconds, ambient)
    return limits.hold_level_kpa - left_kpa(limits.hold_level_kpa, limits.hold_s, tau, ambient)


def judge_travel(points: Sequence[tuple[float, float]], limits: VacuumLimits) -> Judgement:
    """Judge an actuator's travel against vacuum on one way, up or down: starts by 15 to 20 kPa, full by 45 to
    60 (general).

    It has started at a tenth of its stroke and is full at 95 %, on straight lines between the points.
    Parameters: `points`: kPa below ambient and mm of travel, pairs of one way; `limits`: the limits of the
    area. Raises ValueError without a point. Source: general, `figures/vacuum.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> moves, stands = [(0, 0), (18, 0.4), (30, 3), (45, 9), (55, 10)], [(0, 0), (30, 0.1), (60, 0.3)]
    >>> [judge_travel(points, general(VacuumLimits)).cls for points in (moves, stands)]
    ['in_range', 'still']
    """
    ordered = sorted(points)
    stroke = max(mm for _, mm in ordered) - min(mm for _, mm in ordered)
    if len(ordered) < 3:
        return Judgement(
            "unclear",
            "unclear",
            stroke,
            unit="mm",
            uncertainty=None,
            because="Measure at three points at least: before it moves, half way, at the end.",
        )
    if stroke < limits.travel_least_mm:
        return Judgement(
            "failed",
            "still",
            stroke,
            unit="mm",
            uncertainty=None,
            because=f"{plain(stroke)} mm of travel up to {plain(ordered[-1][0])} kPa: it hardly moves.",
        )
    moved = [(kpa, abs(mm - ordered[0][1])) for kpa, mm in ordered]
    starts = _reached_kpa(moved, limits.travel_moved_share * stroke)
    full = _reached_kpa(moved, limits.travel_full_share * stroke)
    start_kpa = limits.travel_starts_kpa
    full_kpa = limits.travel_full_kpa
    says = (
        f"Starts by {plain(starts)} kPa, full by {plain(full)}, {plain(stroke)} mm; {plain(start_kpa)} and"
        f" {plain(full_kpa)} are the marks ({start_kpa.source})."
    )
    late = starts > start_kpa + limits.travel_gauge_kpa or full > full_kpa + limits.travel_gauge_kpa
    return Judgement(
        "failed" if late else "sound",
        "late" if late else "in_range",
        stroke,
        unit="mm",
        uncertainty=None,
        because=says,
    )


@dataclass(frozen=True, slots=True)
class Travel:
    """A stroke of an actuator: where it has started and where it is full, kPa, and how far it goes, mm."""

    starts_kpa: float
    full_kpa: float
    stroke_mm: float


def travel_of(points: Sequence[tuple[float, float]], limits: VacuumLimits) -> Travel | None:
    """Return where a stroke starts and where it is full, on straight lines between the points; None with
    fewer than three points or hardly any travel.

    Parameters: `points`: kPa below ambient and mm, of one way; `limits`: the limits of the area. Source:
    started at a tenth of the stroke, full at 95 % of it (general).

    >>> from frosty_piston.knowledge.figures import general
    >>> travel_of([(0, 0), (18, 0.4), (30, 3), (45, 9), (55, 10)], general(VacuumLimits))
    Travel(starts_kpa=20.8, full_kpa=50.0, stroke_mm=10)
    """
    ordered = sorted(points)
    stroke = max((mm for _, mm in ordered), default=0.0) - min((mm for _, mm in ordered), default=0.0)
    if len(ordered) < 3 or stroke < limits.travel_least_mm:
        return None
    moved = [(kpa, abs(mm - ordered[0][1])) for kpa, mm in ordered]
    return Travel(
        _reached_kpa(moved, limits.travel_moved_share * stroke),
        _reached_kpa(moved, limits.travel_full_share * stroke),
        stroke,
    )


def friction_kpa(up: Sequence[tuple[float, float]], down: Sequence[tuple[float, float]]) -> float | None:
    """Return how much more vacuum half the stroke takes on the way up than on the way down: twice the
    friction of rod and mechanism. None where the two ways do not both pass the middle.

    Parameters: `up`, `down`: kPa below ambient and mm, of each way. Source: friction works against each way.

    >>> friction_kpa([(0, 0), (30, 3), (50, 10)], [(0, 0), (22, 3), (42, 10), (50, 10)])
    8.0
    """
    rows = sorted((*up, *down), key=lambda p: p[1])
    if len(up) < 2 or len(down) < 2:
        return None
    middle = (rows[0][1] + rows[-1][1]) / 2
    at = [_crossed_kpa(sorted(way), middle) for way in (up, down)]
    return None if at[0] is None or at[1] is None else round(at[0] - at[1], 1)


def _crossed_kpa(ordered: Sequence[tuple[float, float]], mm: float) -> float | None:
    """At what vacuum a way passes a travel, kPa."""
    for (k0, m0), (k1, m1) in pairwise(ordered):
        if min(m0, m1) <= mm <= max(m0, m1) and m0 != m1:
            return k0 + (k1 - k0) * (mm - m0) / (m1 - m0)
    return None


def _reached_kpa(moved: Sequence[tuple[float, float]], wanted_mm: float) -> float:
    """At what vacuum a travel is first reached, on straight lines, kPa."""
    for (k0, m0), (k1, m1) in pairwise(moved):
        if m1 >= wanted_mm > m0:
            return round(k0 + (k1 - k0) * (wanted_mm - m0) / (m1 - m0), 1)
    return moved[-1][0]
