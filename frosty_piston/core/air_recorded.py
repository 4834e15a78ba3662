"""The air path from a recording: EGR air change, expected air, bypass flap, rev test, two pressures that
should go together."""

from dataclasses import dataclass

import numpy as np

from .air import AirLimits, expected_air_mg, judge_air_mass, judge_egr_air
from .limits import Limit
from .quantity import Judgement, plain
from .traces import Signal, beside, runs
from .words import sentence

LEAST_SAMPLES = 5

Stretches = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class RecordedLimits:
    """The figures by which a recording of the air path is read and judged, units in their names."""

    shut_percent: Limit
    open_percent: Limit
    moved_percent: Limit
    speed_share: Limit
    steady_s: Limit
    rev_low_rpm: Limit
    rev_high_rpm: Limit
    plateau_share: Limit
    stands_kmh: Limit
    range_kpa: Limit
    idle_rpm: Limit
    drives_rpm: Limit
    flap_stuck_percent: Limit
    flap_apart_percent: Limit
    alike_share: Limit
    latest_s: Limit
    moves_kpa: Limit
    slope_s: Limit


@dataclass(frozen=True, slots=True)
class AirChange:
    """Air per stroke with the EGR shut and open, at about the same engine speed, with their uncertainties in
    mg, and the stretches, s, that each was taken from."""

    shut_mg: float
    open_mg: float
    shut_u_mg: float
    open_u_mg: float
    shut_s: tuple[tuple[float, float], ...] = ()
    open_s: tuple[tuple[float, float], ...] = ()


def air_change(
    position: Signal, air: Signal, limits: RecordedLimits, speed: Signal | None = None
) -> AirChange | None:
    """Return the air mass with the valve shut (under 5 %) and open (over 30 %); None when one of the two is
    not in the recording.

    `position`: EGR position or command in percent; `air` in mg per stroke; `speed` in rpm: only samples
    within 6 % of its median count. The first 0.8 s after the valve moved are left out. The uncertainty is
    that of the median. Source: `figures/recorded.toml`. Parameters: `limits`: the limits of the area.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 20, 0.1)
    >>> valve = np.where(t % 10 < 5, 0.0, 60.0)
    >>> mg = np.where(valve > 5, 310.0, 500.0)
    >>> change = air_change(Signal(t, valve), Signal(t, mg), general(RecordedLimits))
    >>> change.shut_mg, change.open_mg
    (500.0, 310.0)
    """
    t, rows = beside([position, air] + ([speed] if speed is not None else []))
    if len(t) < 2 * LEAST_SAMPLES:
        return None
    valve = rows[0]
    mg = rows[1]
    step = float(np.median(np.diff(t)))
    moved = np.append(False, np.abs(np.diff(valve)) > limits.moved_percent)
    steady = ~(np.convolve(moved, np.ones(max(1, int(limits.steady_s / step))))[: len(t)] > 0)
    if speed is not None:
        steady &= np.abs(rows[2] / np.median(rows[2]) - 1) <= limits.speed_share
    flags = steady & (valve < limits.shut_percent), steady & (valve > limits.open_percent)
    shut, opened = (mg[f] for f in flags)
    if len(shut) < LEAST_SAMPLES or len(opened) < LEAST_SAMPLES:
        return None
    u = [1.25 * float(np.std(x)) / np.sqrt(len(x)) + 1.0 for x in (shut, opened)]
    return AirChange(
        float(np.median(shut)), float(np.median(opened)), u[0], u[1], *(_stretches(t, f) for f in flags)
    )


def judge_air_change(
    change: AirChange | None, limits: AirLimits, expected_mg: float | None = None
) -> Judgement:
    """Judge the air change of a recording as the reading at one speed is judged.

    Parameters: `change`: the change, None when it is not in the recording; `limits`: the limits of the area;
    `expected_mg`: expected air in mg per stroke, None when not known. Source: `judge_egr_air`.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(AirLimits)
    >>> judge_air_change(AirChange(520, 505, 3, 3), limits).cls, judge_air_change(None, limits).verdict
    ('no_change', 'unclear')
    """
    if change is None:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=None,
            uncertainty=None,
            because="The valve is not recorded both shut and open at one speed: hold the speed and move it.",
        )
    return judge_egr_air(change.shut_mg, change.open_mg, limits, expected_mg)


@dataclass(frozen=True, slots=True)
class AirOver:
    """What a recording says of the air mass, the figures it hangs on (mg per stroke, manifold in kPa, intake
    in C), and the stretches, s, in which it is off."""

    judgement: Judgement
    air_mg: float | None = None
    manifold_kpa: float | None = None
    intake_c: float | None = None
    stretches: tuple[tuple[float, float], ...] = ()


def expected_over(
    air: Signal,
    manifold: Signal,
    displacement_l: float,
    cylinders: int,
    limits: RecordedLimits,
    air_limits: AirLimits,
    intake: Signal | None = None,
    position: Signal | None = None,
) -> AirOver:
    """Judge the air mass sensor over a whole recording against the displacement and the manifold pressure,
    EGR shut.

    `air` in mg per stroke, `manifold` absolute kPa, `intake` in C (general 30), `position` of the EGR in
    percent: samples over 5 % are left out. Off over the whole range is the sensor or a leak; off only in the
    upper half of the load is a restriction. `displacement_l` of the whole engine in l; the limits of
    recordings and of the air path. Source: `expected_air_mg`. Parameters: `cylinders`: number of cylinders;
    `air_limits`: the limits of the air path.

    >>> from frosty_piston.knowledge.figures import general
    >>> recorded, of_air = general(RecordedLimits), general(AirLimits)
    >>> t = np.arange(0, 30, 0.2)
    >>> p = 100 + 60 * (t > 10)
    >>> mg = np.array([expected_air_mg(x, 2.2, 4, 30, 0.85) for x in p])
    >>> air = [Signal(t, share * mg) for share in (0.7, 1.0)]
    >>> [expected_over(a, Signal(t, p), 2.2, 4, recorded, of_air).judgement.cls for a in air]
    ['reads_low', 'fits']
    """
    given = [air, manifold] + [s for s in (intake, position) if s is not None]
    t, rows = beside(given)
    shut = rows[-1] < limits.shut_percent if position is not None else np.ones(len(t), bool)
    mg = rows[0][shut]
    kpa = rows[1][shut]
    celsius = rows[2][shut] if intake is not None else np.full(len(mg), air_limits.intake_c)
    if len(mg) < LEAST_SAMPLES:
        return AirOver(
            Judgement(
                "unclear",
                "unclear",
                None,
                unit=None,
                uncertainty=None,
                because="Too few moments with the EGR shut: hold it shut and record again.",
            )
        )
    filling = air_limits.filling_share
    fits = air_limits.fits_share
    want = np.array(
        [expected_air_mg(p, displacement_l, cylinders, c, filling) for p, c in zip(kpa, celsius, strict=True)]
    )
    ratio = mg / want
    load = kpa >= (kpa.min() + kpa.max()) / 2
    if (
        np.ptp(kpa) > limits.range_kpa
        and (~load).sum() >= LEAST_SAMPLES
        and abs(np.median(ratio[~load]) - 1) <= fits
        and np.median(ratio[load]) < 1 - fits
    ):
        missing = f"{round((1 - float(np.median(ratio[load]))) * 100)} %"
        says = (
            f"It fits at low load and falls {missing} short above {plain(round(float(kpa[load].min())))} kPa:"
            f" a restriction, not the sensor ({fits.source})."
        )
        return AirOver(
            Judgement(
                "failed",
                "reads_low",
                float(np.median(mg[load])),
                unit="mg",
                uncertainty=fits * float(np.median(want[load])),
                because=says,
            ),
            float(np.median(mg[load])),
            float(np.median(kpa[load])),
            float(np.median(celsius[load])),
            _stretches(t[shut], load),
        )
    middle = float(np.median(kpa))
    at = expected_air_mg(middle, displacement_l, cylinders, float(np.median(celsius)), filling)
    return AirOver(
        judge_air_mass(float(np.median(ratio)) * at, at, air_limits),
        float(np.median(ratio)) * at,
        middle,
        float(np.median(celsius)),
        _stretches(t[shut], np.abs(ratio - 1) > fits),
    )


def _stretches(t: np.ndarray, flags: np.ndarray) -> tuple[tuple[float, float], ...]:
    """From when to when the flags stay true, for five samples or more."""
    return tuple(
        (float(t[r.start]), float(t[r.stop - 1])) for r in runs(flags) if r.stop - r.start >= LEAST_SAMPLES
    )


def bypass_stands(position: Signal, speed: Signal, limits: RecordedLimits) -> tuple[float, float] | None:
    """Return where the bypass flap stands at idle (under 1100 rpm) and above 1800 rpm, in percent open, the
    middle of each; None when one of the two is not recorded.

    Parameters: position in percent open; speed in rpm; the limits. Source: `figures/recorded.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 60, 0.2)
    >>> rpm = np.where(t % 20 < 10, 800.0, 2400.0)
    >>> bypass_stands(Signal(t, np.where(rpm > 1500, 100.0, 3.0)), Signal(t, rpm), general(RecordedLimits))
    (3.0, 100.0)
    """
    _, (flap, rpm) = beside([position, speed])
    idle = flap[rpm < limits.idle_rpm]
    driving = flap[rpm > limits.drives_rpm]
    return (
        (float(np.median(idle)), float(np.median(driving)))
        if min(len(idle), len(driving)) >= LEAST_SAMPLES
        else None
    )


def bypass_at(speed: Signal, limits: RecordedLimits) -> tuple[Stretches, Stretches]:
    """Return the stretches, s, at idle and above 1800 rpm.

    Parameters: speed in rpm; the limits. Source: `figures/recorded.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> rpm = np.array([800.0] * 10 + [2400.0] * 10)
    >>> bypass_at(Signal(np.arange(20.0), rpm), general(RecordedLimits))
    (((0.0, 9.0),), ((10.0, 19.0),))
    """
    at = speed.times_s
    rpm = speed.values
    return _stretches(at, rpm < limits.idle_rpm), _stretches(at, rpm > limits.drives_rpm)


def judge_bypass(
    position: Signal, speed: Signal, limits: RecordedLimits, open_at_idle: bool | None = None
) -> Judgement:
    """Judge the bypass flap against engine speed: it changes over between idle and driving, every time.

    `position` in percent open, `speed` in rpm; the limits. `open_at_idle` as the card says; None when it does
    not. Source: `figures/recorded.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 60, 0.2)
    >>> rpm = np.where(t % 20 < 10, 800.0, 2400.0)
    >>> flap = Signal(t, np.where(rpm > 1500, 100.0, 0.0))
    >>> judge_bypass(flap, Signal(t, rpm), general(RecordedLimits)).cls
    'follows'
    """
    stands = bypass_stands(position, speed, limits)
    if stands is None:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=None,
            uncertainty=None,
            because=f"Record it at idle and above {limits.drives_rpm:g} rpm, several times.",
        )
    _, (flap, rpm) = beside([position, speed])
    idle = flap[rpm < limits.idle_rpm]
    (at_idle, at_work) = stands
    if np.ptp(np.percentile(flap, [2, 98])) < limits.flap_stuck_percent:
        return Judgement(
            "failed",
            "stuck",
            float(np.median(flap)),
            unit="percent",
            uncertainty=None,
            because=f"The flap stays at {plain(round(float(np.median(flap))))} % from idle to"
            f" {plain(round(float(rpm.max())))} rpm: stuck, or not driven.",
        )
    wanted_apart = abs(at_idle - at_work) >= limits.flap_apart_percent and (
        open_at_idle is None or (at_idle > at_work) == open_at_idle
    )
    third = len(idle) // 3
    began = float(np.median(idle[:third]))
    ends = float(np.median(idle[-third:]))
    if abs(began - ends) >= limits.flap_apart_percent:
        return Judgement(
            "failed",
            "no_return",
            ends,
            unit="percent",
            uncertainty=None,
            because=(
                f"At idle it began at {plain(round(began))} % and ends at {plain(round(ends))} %: it went"
                " over and does not come back. A broken return spring."
            ),
        )
    if not wanted_apart:
        return Judgement(
            "failed",
            "no_return",
            at_idle,
            unit="percent",
            uncertainty=None,
            because=f"{plain(round(at_idle))} % at idle and {plain(round(at_work))} % above"
            f" {limits.drives_rpm:g} rpm: it"
            " moves, but not with the speed.",
        )
    return Judgement(
        "sound",
        "follows",
        abs(at_idle - at_work),
        unit="percent",
        uncertainty=None,
        because=f"{plain(round(at_idle))} % at idle, {plain(round(at_work))} % above {limits.drives_rpm:g}"
        " rpm, every time.",
    )


@dataclass(frozen=True, slots=True)
class RevTest:
    """A rev test: seconds from 1500 to 3000 rpm, their uncertainty, the longest plateau in seconds, the speed
    it stands at, and when the run began."""

    seconds: float
    u_s: float
    plateau_s: float
    plateau_rpm: float
    start_s: float


def rev_test(speed: Signal, limits: RecordedLimits, road: Signal | None = None) -> RevTest | None:
    """Return the quickest run up from 1500 to 3000 rpm, and the longest plateau in it (under a fifth of its
    usual acceleration); None when the recording holds no such run.

    Parameters: `speed`: engine speed in rpm; `limits`: the limits of the area; `road`: vehicle speed in km/h,
    None when not recorded. Source: `figures/recorded.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 10, 0.05)
    >>> run = rev_test(Signal(t, np.clip(800 + 600 * t, 800, 4200)), general(RecordedLimits))
    >>> round(run.seconds, 2)
    2.5
    """
    low_rpm = limits.rev_low_rpm
    high_rpm = limits.rev_high_rpm
    best: RevTest | None = None
    below = np.flatnonzero((speed.values[:-1] < low_rpm) & (speed.values[1:] >= low_rpm))
    for i in below:
        after = np.flatnonzero(speed.values[i:] >= high_rpm)
        if not len(after):
            continue
        end = i + int(after[0])
        if (
            np.any(speed.values[i + 1 : end] < low_rpm)
            or road is not None
            and len(road)
            and float(np.interp(speed.times_s[end], road.times_s, road.values)) > limits.stands_kmh
        ):
            continue
        start_s, end_s = (
            float(
                np.interp(
                    level,
                    speed.values[k - 1 : k + 1] if k else speed.values[:2],
                    speed.times_s[k - 1 : k + 1] if k else speed.times_s[:2],
                )
            )
            for level, k in ((low_rpm, i + 1), (high_rpm, end))
        )
        t = speed.times_s[i : end + 1]
        value = speed.values[i : end + 1]
        usual = (high_rpm - low_rpm) / max(end_s - start_s, 1e-9)
        slow = np.diff(value) / np.maximum(np.diff(t), 1e-9) < limits.plateau_share * usual
        longest = 0.0
        at_rpm = 0.0
        run = 0.0
        for k, flat in enumerate(slow):
            run = run + (t[k + 1] - t[k]) if flat else 0.0
            if run > longest:
                longest = run
                at_rpm = float(value[k])
        run_up = RevTest(end_s - start_s, speed.step_s / 2, longest, at_rpm, start_s)
        if best is None or run_up.seconds < best.seconds:
            best = run_up
    return best


def judge_alike(
    first: Signal,
    second: Signal,
    limits: RecordedLimits,
    names: tuple[str, str] = ("the first", "the second"),
) -> Judgement:
    """Judge two pressures that should move alike, as before and after a filter: how far the second moves for
    a move of the first, and how long after.

    Slopes are compared over half a second; under 35 % of the first's movement, or more than 4 s behind, the
    second's hose or the passage behind it is blocked (general).

    Parameters: `first`: the first pressure; `second`: the second pressure; `limits`: the limits of the area;
    `names`: what they are called. Source: general, `figures/recorded.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 60, 0.1)
    >>> p, limits = 10 + 8 * np.sin(t / 3), general(RecordedLimits)
    >>> [judge_alike(Signal(t, p), Signal(t, q), limits).cls for q in (0.9 * p + 1, 0.05 * p + 9)]
    ['alike', 'creeps']
    """
    t, (a, b) = beside([first, second])
    if len(t) < 20 or np.ptp(a) < limits.moves_kpa and np.ptp(b) < limits.moves_kpa:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=None,
            uncertainty=None,
            because="The pressures hardly move: record them over a few pulls.",
        )
    if np.ptp(b) > np.ptp(a):
        a, b, names = b, a, (names[1], names[0])
    step = float(np.median(np.diff(t)))
    half = max(1, int(limits.slope_s / step))
    sa = a[half:] - a[:-half]
    sb = b[half:] - b[:-half]
    lags = range(0, min(len(sa) // 3, int(2 * limits.latest_s / step)) + 1, max(1, int(0.1 / step)))
    fit = [
        (
            float(
                np.dot(sa[: len(sa) - k], sb[k:])
                / max(float(np.dot(sa[: len(sa) - k], sa[: len(sa) - k])), 1e-12)
            ),
            k * step,
        )
        for k in lags
    ]
    share, late = max(fit)
    if share < limits.alike_share or late > limits.latest_s:
        how = (
            f"{names[1]} moves only {round(max(0.0, share) * 100)} % as far as {names[0]}"
            if share < limits.alike_share
            else f"{names[1]} comes {plain(round(late, 1))} s after {names[0]}"
        )
        return Judgement(
            "failed",
            "creeps",
            share * 100,
            unit="percent",
            uncertainty=5.0,
            because=(
                f"{sentence(how)}: its hose, or the passage behind it, is blocked"
                f" ({limits.alike_share.source})."
            ),
        )
    return Judgement(
        "sound",
        "alike",
        share * 100,
        unit="percent",
        uncertainty=5.0,
        because=(
            f"They move alike: {names[1]} by {round(share * 100)} % of {names[0]}, {plain(round(late, 1))} s"
            " after it."
        ),
    )
