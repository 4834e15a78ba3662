"""A drive that is told where to go, and where it went: EGR valve, inlet flap, vanes, bypass, from a
recording."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from .limits import Limit
from .quantity import Judgement, plain
from .traces import Signal, beside, refresh_s, runs, without_stairs
from .words import inside

BIN_PERCENT = 1.0
TAUS_S = (0.0, 0.03, 0.06, 0.1, 0.15, 0.2, 0.3, 0.45, 0.7, 1.0, 1.5, 2.2, 3.2, 4.5)
DELAYS_S = (0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.8, 1.2)
MOST_SAMPLES = 6000
FITTED_SAMPLES = 900
SETTLED_TAUS = 2.5
STILL_PERCENT = 0.6
STILL_S = 0.5
STEP_PERCENT = 12.0
AFTER_STEP_S = 5.0
# A command in steps: plateaus that are read once the drive has arrived.
LEAST_PLATEAUS = 4
PLATEAU_SAMPLES = 3
PLATEAU_S = 1.0
JUMPED_SHARE = 0.8
GOES_ON_SHARE = 0.25
UNREAD = 0.0
UPPER = 75.0
FITTED_PART = 65.0


@dataclass(frozen=True, slots=True, eq=False)
class ActuatorLimits:
    """The figures that judge a drive from a recording, percent of the command where a name says so. `slow_s`:
    lag by what drives it; `closed_percent`: what counts as shut, by part, where it is not asked of the
    card."""

    slow_s: Mapping[str, Limit]
    stuck_percent: Limit
    command_percent: Limit
    dead_spot_percent: Limit
    flat_share: Limit
    stall_percent: Limit
    stalls_a_sweep: Limit
    loose_percent: Limit
    shut_command_percent: Limit
    scaled_percent: Limit
    end_stop_percent: Limit
    coarse_times: Limit


@dataclass(frozen=True, slots=True)
class DriveReport:
    """What a recording of a drive says. Percent of command unless said otherwise; None where it cannot be
    told.

    `closed_offset`: rest position at no command. `reach`: lowest and highest actual. `delay_s`, `tau_s`: of a
    delay and a first-order lag fitted together, `tau_u_s` their uncertainty. `hysteresis`: mean gap up
    against down at equal command, the lag taken out. `dead_spots`: stretches of command. `stalls`: how often
    it stands and then slips, in one sweep; `stall_size`: by how much of the command. `noise`: on a still
    command. `steady_error`: mean on a settled command. `loose`: how far it moves with no command.
    `steps_of`: the usual step of a command that was given in steps; what is narrower does not show, and
    nothing does where it is 0: the steps hold too few samples.
    """

    closed_offset: float | None
    reach: tuple[float, float]
    delay_s: float | None
    tau_s: float | None
    tau_u_s: float | None
    hysteresis: float | None
    dead_spots: tuple[tuple[float, float], ...]
    stalls: float
    stall_size: float
    noise: float
    steady_error: float | None
    loose: float
    scaled: bool
    steps_of: float | None = None


def lagged(command: np.ndarray, step_s: float, taus_s: np.ndarray, delays_s: np.ndarray) -> np.ndarray:
    """Return a command behind every delay and first-order lag: ``y += (1 - exp(-dt/tau))*(c(t - delay) -
    y)``.

    `command`: shape (N,), evenly spaced by `step_s`; `taus_s`, `delays_s`: shapes (T,), (D,). Returns shape
    (N, T, D). Source: a delay and a first-order lag, sample by sample.

    >>> lagged(np.array([0.0, 1, 1, 1]), 1.0, np.array([0.0, 1.0]), np.array([0.0, 1.0]))[:, :, 0].round(
    ...     2
    ... ).tolist()
    [[0.0, 0.0], [1.0, 0.63], [1.0, 0.86], [1.0, 0.95]]
    """
    shifts = np.round(delays_s / step_s).astype(int)
    source = np.maximum(np.arange(len(command))[:, None] - shifts[None, :], 0)
    late = command[source]
    share = np.where(taus_s > 0, 1 - np.exp(-step_s / np.maximum(taus_s, 1e-9)), 1.0)[:, None]
    values = np.empty((len(command), len(taus_s), len(delays_s)))
    values[0] = late[0]
    for i in range(1, len(command)):
        values[i] = values[i - 1] + share * (late[i] - values[i - 1])
    return values


def analyse_drive(
    command: Signal, actual: Signal, limits: ActuatorLimits, percent: bool = True
) -> DriveReport | None:
    """Return what the recording of a drive says; None when the two never stand beside each other for five
    seconds.

    `command` in percent; `actual` in percent, or in any unit when `percent` is False: it is then scaled onto
    the command by its middle half, so that reach and closed offset hold only roughly. A signal that runs the
    other way round is turned. Stairs of a slow channel are taken out first. Source: `lagged`, and the limits
    of `figures/actuators.toml`.

    Calibration: the simulated drives of the rig, 2 to 50 samples a second; `./piston bench` prints how often
    it is right.

    >>> t = np.arange(0, 40, 0.1)
    >>> c = np.interp(t, [0, 2, 20, 38, 40], [0, 0, 100, 0, 0])
    >>> from frosty_piston.knowledge.figures import general
    >>> report = analyse_drive(Signal(t, c), Signal(t, np.where(c < 12, 12.0, c)), general(ActuatorLimits))
    >>> report.closed_offset, report.dead_spots
    (12.0, ())
    """
    laid = _laid_out(without_stairs(command), without_stairs(actual), limits, percent)
    if laid is None:
        return None
    t, c, a, step = laid
    scaled = not percent
    low, high = (float(x) for x in np.percentile(a, [0.5, 99.5]))
    if np.ptp(c) < limits.command_percent or high - low < limits.stuck_percent:
        still = _still(t, c, step, 0.0)
        return DriveReport(
            None,
            (low, high),
            None,
            tau_s=None,
            tau_u_s=None,
            hysteresis=None,
            dead_spots=(),
            stalls=0.0,
            stall_size=0.0,
            noise=_spread(a, still),
            steady_error=None,
            loose=0.0,
            scaled=scaled,
        )
    delay, tau, u = _fit(t, c, a, step)
    steps_of = None
    if (held := _in_steps(command, actual, limits, percent)) is not None:
        t, c, a, step, delay, tau, u, steps_of = held
    tau_u = 0.5 * max(step, refresh_s(actual)) + 0.1 * tau
    still = _still(t, c, step, delay + SETTLED_TAUS * tau)
    closed = _at_rest(t, c <= limits.shut_command_percent, a, delay + SETTLED_TAUS * tau)
    loose = _wandering(a, still) if steps_of is None else _shaking(t, c, a)
    noise = _spread(a, still)
    spots, stalls, stall_size = (
        _stalls(c, u, a, (low, high), limits)
        if steps_of is None
        else _stalls_in_steps(_plateaus(t, c, a, u, delay + 2 * tau), (low, high), noise, limits)
    )
    settled = still & (c > 5) & (c < 95)
    return DriveReport(
        closed,
        (low, high),
        delay,
        tau_s=tau,
        tau_u_s=tau_u,
        hysteresis=_hysteresis(c, u, a),
        dead_spots=spots,
        stalls=stalls,
        stall_size=stall_size,
        noise=noise,
        steady_error=float(np.mean(a[settled] - c[settled])) if settled.sum() >= 3 else None,
        loose=loose,
        scaled=scaled,
        steps_of=steps_of,
    )


def _laid_out(
    command: Signal, actual: Signal, limits: ActuatorLimits, percent: bool
) -> tuple[np.ndarray, np.ndarray, np.ndarray, float] | None:
    """Times, command and actual beside each other, and their step; None for less than five seconds."""
    step = max(0.02, actual.step_s)
    t, rows = beside([command, actual], step)
    if len(t) < 10 or t[-1] - t[0] < 5:
        return None
    c, a = rows
    a = upright(c, a, percent, limits.command_percent)
    thinner = int(np.ceil(len(t) / MOST_SAMPLES))
    return t[::thinner], c[::thinner], a[::thinner], step * thinner


def _in_steps(
    command: Signal, actual: Signal, limits: ActuatorLimits, percent: bool
) -> tuple[np.ndarray, np.ndarray, np.ndarray, float, float, float, np.ndarray, float] | None:
    """The same for a command that was given in steps: times, command, actual, step, delay, lag, the command
    behind them, and the usual jump. A ramp that the tool wrote slowly has stairs too, but the drive goes on
    through them."""
    moves = np.abs(np.diff(command.values))
    changed = np.flatnonzero(moves > STILL_PERCENT)
    laid = _laid_out(command, actual, limits, percent)
    if len(changed) < LEAST_PLATEAUS or moves[changed].sum() < JUMPED_SHARE * moves.sum() or laid is None:
        return None
    if float(np.median(np.diff(command.times_s[changed]))) < PLATEAU_S:
        return None
    t, c, a, step = laid
    if _gone_on(t, c, a) > GOES_ON_SHARE:
        return None
    delay, tau, u = _fit(t, c, a, step, float(limits.end_stop_percent))
    levels = np.array([p[0] for p in _plateaus(t, c, a, u)])
    height = float(np.median(np.abs(np.diff(levels)))) if len(levels) * 2 > len(changed) else UNREAD
    return t, c, a, step, delay, tau, u, height


def _gone_on(t: np.ndarray, c: np.ndarray, a: np.ndarray) -> float:
    """How far the actual goes on, with the command, in the last third of each plateau: share of the step."""
    rests = [r for r in runs(np.append(np.abs(np.diff(c)) <= STILL_PERCENT, False)) if _long_enough(t, r)]
    went = []
    for before, r in zip(rests, rests[1:], strict=False):
        rise = float(c[r.start] - c[before.start])
        third = max(1, (r.stop - r.start) // 3)
        if abs(rise) > STILL_PERCENT:
            went.append(float(a[r.stop - 1] - a[r.stop - 1 - third]) / rise)
    return float(np.median(went)) if went else 0.0


def _long_enough(t: np.ndarray, r: slice) -> bool:
    return r.stop - r.start >= PLATEAU_SAMPLES and float(t[r.stop - 1] - t[r.start]) >= PLATEAU_S


def _plateaus(
    t: np.ndarray, c: np.ndarray, a: np.ndarray, u: np.ndarray, settled_s: float = 0.0
) -> list[tuple[float, float, float]]:
    """Level of the command, where the drive stood in the end, and where a sound one would: the last third of
    each plateau on which it had so long to arrive."""
    found = []
    for r in runs(np.append(np.abs(np.diff(c)) <= STILL_PERCENT, False)):
        if _long_enough(t, r) and t[r.stop - 1] - t[r.start] >= settled_s:
            end = slice(r.stop - max(1, (r.stop - r.start) // 3), r.stop)
            found.append((float(np.median(c[end])), float(np.median(a[end])), float(np.median(u[end]))))
    return found


def _stalls_in_steps(
    plateaus: list[tuple[float, float, float]],
    reach: tuple[float, float],
    noise: float,
    limits: ActuatorLimits,
) -> tuple[tuple[tuple[float, float], ...], float, float]:
    """Dead spots, stalls a sweep and their mean width, from where the drive came to rest on each step. It
    stands off its line at the same levels on every way there where its track is worn, and nowhere else;
    here and there where it sticks."""
    u = np.array([p[2] for p in plateaus])
    a = np.array([p[1] for p in plateaus])
    stop = limits.end_stop_percent
    free = (a > reach[0] + stop) & (a < reach[1] - stop)
    first, second = np.triu_indices(len(u), 1)
    apart = (np.abs(u[second] - u[first]) > 1e-6) & free[first] & free[second]
    if apart.sum() < 3:
        return (), 0.0, 0.0
    slopes = (a[second] - a[first])[apart] / (u[second] - u[first])[apart]
    gain = float(np.median(slopes))
    off = a - gain * u
    off = np.where(free, off - np.median(off[free]), 0.0)
    bad = np.abs(off) >= max(float(limits.stall_percent) + 1.0, 4 * noise)
    if not bad.any():
        return (), 0.0, 0.0
    rising = np.append(np.diff(u) > 0, False)
    rising[-1] = u[-1] > u[-2]
    levels = np.array([p[0] for p in plateaus])
    spot = [
        level
        for level in np.unique(np.round(levels, 0))
        if any(
            (here := (np.abs(levels - level) <= 1.0) & (rising == way)).any() and bad[here].all()
            for way in (True, False)
        )
    ]
    elsewhere = bad & ~np.isin(np.round(levels, 0), spot)
    order = sorted(np.unique(np.round(levels, 0)))
    places = [order.index(level) for level in spot]
    in_one_place = (
        bool(places) and places[-1] - places[0] + 1 == len(places) and len(places) * 2 <= len(order)
    )
    if in_one_place and not elsewhere.any():
        return ((float(order[max(0, places[0] - 1)]), float(order[places[-1]])),), 0.0, 0.0
    ways = max(1, int((np.diff(rising.astype(int)) != 0).sum()) + 1)
    return (), max(float(limits.stalls_a_sweep), float(bad.sum()) / ways), float(np.mean(np.abs(off[bad])))


def upright(c: np.ndarray, a: np.ndarray, percent: bool, least_command: float = 30.0) -> np.ndarray:
    """Return an actual, shape (N,), beside its command `c` in percent: one that runs the other way round is
    turned; one in another unit (`percent` False) is scaled onto the command by its middle half, if that spans
    `least_command` percent. Raises ValueError when the two differ in length. Source: the middle of a drive's
    way is straight.

    >>> upright(np.array([0.0, 50, 100]), np.array([98.0, 50, 2]), True).tolist()
    [2.0, 50.0, 98.0]
    """
    backwards = np.ptp(a) > 0 and np.corrcoef(c, a)[0, 1] < -0.3 if np.ptp(c) > 0 else False
    if percent:
        return 100 - a if backwards else a
    if np.ptp(a) == 0:
        return np.full(len(a), 50.0)
    inside = (c > 35) & (c < 90)
    if inside.sum() < 5 or np.ptp(c) < least_command:
        return np.asarray((a - a.min()) / 0.04)
    slope, base = np.polyfit(c[inside], a[inside], 1)
    if abs(slope) * 100 < 0.05 * max(abs(float(np.mean(a))), 1e-9) and np.ptp(a) < 0.1 * max(
        abs(float(np.mean(a))), 1e-9
    ):
        return np.asarray(np.full(len(a), 50.0) + (a - a.mean()) / 0.04)
    return np.asarray((a - base) / slope)


def _fit(
    t: np.ndarray, c: np.ndarray, a: np.ndarray, step: float, stop: float | None = None
) -> tuple[float, float, np.ndarray]:
    """The delay and lag under which the command explains the actual best, gain and offset free; and the
    command behind them. `stop`, for a command in steps: how near its ends it may stand at a stop; the ways up
    and down are parted by play, and it is fitted again without the samples that fit worst. They are looked
    for after steps where there are any, since on a slow sweep a lag looks like play; and on every n-th
    sample, at most `FITTED_SAMPLES`."""
    every = int(np.ceil(len(t) / FITTED_SAMPLES))
    ct = t[::every]
    cc = c[::every]
    ca = a[::every]
    coarse = step * every
    taus = np.array(TAUS_S)
    delays = np.array([d for d in DELAYS_S if d == 0 or d >= 0.5 * coarse])
    y = lagged(cc, coarse, taus, delays)
    known = ~_near(np.append(False, np.diff(ct) > 4 * coarse), int(np.ceil(3 / coarse)))
    jumped = np.append(False, np.abs(np.diff(cc)) > STEP_PERCENT)
    if (at_steps := known & _near(jumped, int(np.ceil(AFTER_STEP_S / coarse)))).sum() >= 10:
        known = at_steps
    if stop is not None:
        between = (ca > ca.min() + stop) & (ca < ca.max() - stop)
        known = known & between if (known & between).sum() >= 10 else between
    if known.sum() < 10:
        known = np.ones(len(ct), bool)
    yk = y[known].reshape(int(known.sum()), -1)
    ak = ca[known]
    best, miss = _best_lag(yk, ak)
    if stop is not None:
        moved = np.diff(cc, prepend=cc[0])
        moved[np.abs(moved) <= STILL_PERCENT] = 0
        at = np.maximum.accumulate(np.where(moved != 0, np.arange(len(moved)), 0))
        falling = (moved[at] < 0)[known]
        best, miss = _best_lag(yk, ak, falling)
        kept = np.abs(miss) <= np.percentile(np.abs(miss), FITTED_PART)
        best, _ = _best_lag(yk[kept], ak[kept], falling[kept])
    i, j = divmod(best, len(delays))
    return float(delays[j]), float(taus[i]), lagged(c, step, taus[i : i + 1], delays[j : j + 1])[:, 0, 0]


def _best_lag(y: np.ndarray, a: np.ndarray, falling: np.ndarray | None = None) -> tuple[int, np.ndarray]:
    """Which of the lagged commands, the columns of `y`, explains an actual best, and what it misses. Where it
    is told which samples come after a step down, play may part them from the others."""
    ym = np.broadcast_to(y.mean(axis=0), y.shape)
    am = np.full(len(a), a.mean())
    if falling is not None and 3 <= falling.sum() <= len(a) - 3:
        ym = np.where(falling[:, None], y[falling].mean(axis=0), y[~falling].mean(axis=0))
        am = np.where(falling, a[falling].mean(), a[~falling].mean())
    gain = ((y - ym) * (a - am)[:, None]).sum(axis=0) / np.maximum(((y - ym) ** 2).sum(axis=0), 1e-12)
    miss = (a - am)[:, None] - gain * (y - ym)
    off = np.median(np.abs(miss), axis=0) + 0.25 * np.sqrt(np.mean(miss**2, axis=0))
    best = int(np.argmin(off * (1 + 0.002 * np.arange(len(off)) / len(off))))
    return best, miss[:, best]


def _near(flags: np.ndarray, reach: int) -> np.ndarray:
    """Where a flag stands within `reach` samples before."""
    if not flags.any():
        return np.zeros(len(flags), bool)
    return np.convolve(flags, np.ones(reach + 1))[: len(flags)] > 0


def _still(t: np.ndarray, c: np.ndarray, step: float, after_s: float) -> np.ndarray:
    """Where the command has stood still for a second, and for long enough after that the drive has
    arrived."""
    wait = int(np.ceil(max(STILL_S, after_s) / step))
    moved = np.append(True, np.abs(np.diff(c)) > STILL_PERCENT * max(step, 0.1))
    return ~_near(moved | np.append(False, np.diff(t) > 4 * step), wait)


def _at_rest(t: np.ndarray, shut: np.ndarray, a: np.ndarray, after_s: float) -> float | None:
    """Where it rests at no command: the last third of every rest that is long enough for it to arrive."""
    ends = [
        float(np.median(a[run][-max(1, (run.stop - run.start) // 3) :]))
        for run in runs(shut)
        if t[run.stop - 1] - t[run.start] >= max(1.0, after_s)
    ]
    return float(np.median(ends)) if ends else None


def _spread(a: np.ndarray, still: np.ndarray) -> float:
    spreads = [float(np.std(a[r])) for r in runs(still) if r.stop - r.start >= 4]
    return float(np.median(spreads)) if spreads else 0.0


def _shaking(t: np.ndarray, c: np.ndarray, a: np.ndarray) -> float:
    """How far the actual moves about in the last half of a step, its way to rest taken out: more than the
    middle of what the steps show, since it may hold still on a short one by chance."""
    ranges = []
    for r in runs(np.append(np.abs(np.diff(c)) <= STILL_PERCENT, False)):
        half = slice((r.start + r.stop) // 2, r.stop)
        if _long_enough(t, r) and half.stop - half.start >= PLATEAU_SAMPLES:
            slope, base = np.polyfit(t[half] - t[half.start], a[half], 1)
            ranges.append(float(np.ptp(a[half] - base - slope * (t[half] - t[half.start]))))
    return float(np.percentile(ranges, UPPER)) if ranges else 0.0


def _wandering(a: np.ndarray, still: np.ndarray) -> float:
    """How far the actual moves while nothing is asked of it: the middle of what every rest shows."""
    ranges = [float(np.ptp(np.percentile(a[r], [2, 98]))) for r in runs(still) if r.stop - r.start >= 4]
    return float(np.median(ranges)) if ranges else 0.0


def sweeps(c: np.ndarray, u: np.ndarray) -> list[tuple[int, slice]]:
    """Return the sweeps of a command: stretches in which it, lagged, keeps its direction (1 up, -1 down) over
    at least 20 %. What was ordered in one step is no sweep.

    `c`: command in percent, shape (N,); `u`: the same behind the drive's lag, or itself. Source: what a hand
    or a scan tool does in one go.

    >>> c = np.array([0.0, 10, 20, 30, 40, 50, 60, 60, 60])
    >>> sweeps(c, c)
    [(1, slice(1, 7, None))]
    """
    jumps = np.append(np.abs(np.diff(c)) > STEP_PERCENT, False)
    pairs = []
    for way in (1, -1):
        for run in runs(np.append(False, np.diff(u) * way > 1e-6)):
            if (
                abs(u[run.stop - 1] - u[run.start]) >= 20
                and run.stop - run.start >= 6
                and not jumps[max(0, run.start - 2) : run.stop].any()
            ):
                pairs.append((way, run))
    return pairs


def _hysteresis(c: np.ndarray, u: np.ndarray, a: np.ndarray) -> float | None:
    """The mean gap between the ways up and down at equal command."""
    grid = np.arange(10.0, 91.0, 2.0)
    ways: dict[int, list[np.ndarray]] = {1: [], -1: []}
    for way, r in sweeps(c, u):
        order = np.argsort(u[r], kind="stable")
        x = u[r][order]
        y = a[r][order]
        ways[way].append(np.where((grid >= x[0]) & (grid <= x[-1]), np.interp(grid, x, y), np.nan))
    if not ways[1] or not ways[-1]:
        return None
    ups = np.array(ways[1])
    downs = np.array(ways[-1])
    both = np.isfinite(ups).any(axis=0) & np.isfinite(downs).any(axis=0)
    gap = np.nanmean(ups[:, both], axis=0) - np.nanmean(downs[:, both], axis=0) if both.any() else np.zeros(0)
    return float(abs(np.mean(gap))) if len(gap) else None


def _flats(
    u: np.ndarray, a: np.ndarray, r: slice, reach: tuple[float, float], limits: ActuatorLimits
) -> list[tuple[float, float]]:
    """Where, on one sweep, the actual stands while the command goes on by 3 % or more; not at its stops."""
    order = np.argsort(u[r], kind="stable")
    x = u[r][order]
    y = a[r][order]
    grid = np.arange(np.ceil(x[0]), np.floor(x[-1]) + 0.5, BIN_PERCENT)
    if len(grid) < 12:
        return []
    line = np.interp(grid, x, y)
    span = int(limits.stall_percent / BIN_PERCENT)
    low = reach[0] + limits.end_stop_percent
    high = reach[1] - limits.end_stop_percent
    slope = (line[span:] - line[:-span]) / (span * BIN_PERCENT)
    usual = (line[-1] - line[0]) / (grid[-1] - grid[0])
    flat = np.abs(slope) < limits.flat_share * max(abs(usual), 0.2)
    pairs = []
    for run in runs(flat):
        start = float(grid[run.start])
        end = float(grid[run.stop - 1 + span])
        level = float(np.mean(line[run.start : run.stop + span]))
        if end - start >= limits.stall_percent and low < level < high:
            pairs.append((start, end))
    return pairs


def _stalls(
    c: np.ndarray, u: np.ndarray, a: np.ndarray, reach: tuple[float, float], limits: ActuatorLimits
) -> tuple[tuple[tuple[float, float], ...], float, float]:
    """Dead spots, how many stalls a sweep has, and their mean width. A dead spot stands at the same command
    on every sweep of a direction and is alone: wear has its place. Soot has not: many stalls, here and there,
    are stiction.
    """
    found_on = [(way, _flats(u, a, r, reach, limits)) for way, r in sweeps(c, u) if np.ptp(u[r]) > 60]
    if not found_on:
        return (), 0.0, 0.0
    widths = [end - start for _, flats in found_on for start, end in flats]
    per_sweep = len(widths) / len(found_on)
    if per_sweep >= limits.stalls_a_sweep:
        return (), per_sweep, float(np.mean(widths))
    pairs: list[tuple[float, float]] = []
    for way in (1, -1):
        of_way = [
            [f for f in flats if f[1] - f[0] >= limits.dead_spot_percent] for w, flats in found_on if w == way
        ]
        for start, end in of_way[0] if of_way else []:
            partners = [
                [f for f in other if min(end, f[1]) - max(start, f[0]) > 0.5 * (end - start)]
                for other in of_way[1:]
            ]
            if all(partners):
                pairs.append((start, end))
    merged: list[tuple[float, float]] = []
    for spot in sorted(pairs):
        if merged and spot[0] <= merged[-1][1]:
            merged[-1] = (merged[-1][0], max(merged[-1][1], spot[1]))
        else:
            merged.append(spot)
    return tuple(merged), per_sweep, float(np.mean(widths)) if widths else 0.0


def judge_drive(
    report: DriveReport | None,
    limits: ActuatorLimits,
    closed: Limit,
    kind: str = "motor",
    name: str = "The drive",
) -> Judgement:
    """Judge a drive by its report: stuck, dead_spot, sticks, loose, does_not_close, slow, follows; the worst
    is named.

    Parameters: `report`: what the recording came to, None when there was nothing in it; `limits`: the limits
    of the area; `closed`: percent that counts as shut; `kind`: kind of drive, `motor` or `vacuum`; `name`:
    what the part is called in the sentence. A drive is called slow only when its lag passes the limit by more
    than its uncertainty. Raises KeyError for another kind. Source: general, `figures/actuators.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 40, 0.1)
    >>> c = np.interp(t, [0, 2, 20, 38, 40], [0, 0, 100, 0, 0])
    >>> limits = general(ActuatorLimits)
    >>> report = analyse_drive(Signal(t, c), Signal(t, np.full(len(t), 30.0)), limits)
    >>> judge_drive(report, limits, Limit(5, "percent"), name="EGR valve").because
    'EGR valve moves 0 % while it is told to go from end to end: stuck, or not driven.'
    """
    if report is None:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=None,
            uncertainty=None,
            because="Command and position never stand beside each other for five seconds: record both.",
        )
    low, high = report.reach
    if report.tau_s is None:
        if high - low >= limits.stuck_percent:
            return Judgement(
                "unclear",
                "unclear",
                None,
                unit=None,
                uncertainty=None,
                because="The command hardly moves: sweep it from end to end, both ways.",
            )
        return Judgement(
            "failed",
            "stuck",
            high - low,
            unit="percent",
            uncertainty=report.noise,
            because=(
                f"{name} moves {plain(high - low)} % while it is told to go from end to end: stuck, or not"
                " driven."
            ),
        )
    assert report.tau_u_s is not None
    limit = limits.slow_s[kind]
    margin = limits.scaled_percent if report.scaled else 0.0
    if report.loose >= limits.loose_percent:
        return Judgement(
            "failed",
            "loose",
            report.loose,
            unit="percent",
            uncertainty=report.noise,
            because=f"{name} wanders by {plain(report.loose)} % while nothing is asked of it: loose, or its"
            " sensor is.",
        )
    if report.steps_of == UNREAD:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=None,
            uncertainty=None,
            because=(
                "The steps were too short for so few samples: hold each step for two seconds or more, or"
                " record it with more samples a second."
            ),
        )
    if report.stalls >= limits.stalls_a_sweep:
        return Judgement(
            "failed",
            "sticks",
            report.stall_size,
            unit="percent",
            uncertainty=None,
            because=(
                f"{name} stands and slips about {plain(report.stalls)} times a sweep,"
                f" {plain(report.stall_size)} % of the command each time: it sticks."
            ),
        )
    if report.dead_spots:
        start, end = report.dead_spots[0]
        return Judgement(
            "failed",
            "dead_spot",
            end - start,
            unit="percent",
            uncertainty=2.0,
            because=(
                f"{name} stands still from {plain(start)} to {plain(end)} % of the command, at the same place"
                " on every sweep: a dead spot."
            ),
        )
    open_by = None if report.closed_offset is None else report.closed_offset - 2 * report.noise - margin
    if open_by is not None and report.closed_offset is not None and open_by > closed:
        return Judgement(
            "failed",
            "does_not_close",
            report.closed_offset,
            unit="percent",
            uncertainty=2 * report.noise + margin,
            because=f"At no command {inside(name)} rests at {plain(report.closed_offset)} %; up to"
            f" {plain(closed)} counts as shut ({closed.source}).",
        )
    if report.tau_s - report.tau_u_s > limit:
        return Judgement(
            "marginal",
            "slow",
            report.tau_s,
            unit="s",
            uncertainty=report.tau_u_s,
            because=(
                f"{name} takes {plain(report.tau_s)} s for two thirds of a step; under {plain(limit)} s is"
                f" healthy ({limit.source})."
            ),
        )
    if report.tau_s + report.tau_u_s < limits.coarse_times * limit or report.tau_s <= limit:
        return Judgement(
            "sound",
            "follows",
            report.tau_s,
            unit="s",
            uncertainty=report.tau_u_s,
            because=(
                f"{name} follows: {plain(report.tau_s)} s behind, no dead spot, no jump, it comes to rest"
                f" where it is told.{_unseen(report)}"
            ),
        )
    return Judgement(
        "unclear",
        "unclear",
        report.tau_s,
        unit="s",
        uncertainty=report.tau_u_s,
        because=(
            "The recording is too coarse to tell how fast it follows: record it with more samples a second."
        ),
    )


def _unseen(report: DriveReport) -> str:
    """What a command in steps cannot show."""
    if report.steps_of is None:
        return ""
    return f" It was told in steps of {plain(round(report.steps_of))} %: what is narrower does not show."


def dead_stretches(command: Signal, report: DriveReport) -> tuple[tuple[float, float], ...]:
    """Return the stretches, s, in which the command went through a dead spot of a report.

    Parameters: the command in percent; the report.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 40, 0.1)
    >>> c = Signal(t, np.interp(t, [0, 2, 20, 38, 40], [0, 0, 100, 0, 0]))
    >>> a = Signal(t, np.where((c.values > 40) & (c.values < 60), 40.0, c.values))
    >>> [(round(s), round(e)) for s, e in dead_stretches(c, analyse_drive(c, a, general(ActuatorLimits)))]
    [(9, 13), (27, 31)]
    """
    inside = np.zeros(len(command), bool)
    for start, end in report.dead_spots:
        inside |= (command.values >= start) & (command.values <= end)
    return tuple(
        (float(command.times_s[r.start]), float(command.times_s[r.stop - 1]))
        for r in runs(inside)
        if r.stop - r.start > 1
    )


def judge_position(
    actual: Signal, limits: ActuatorLimits, closed: Limit, name: str = "The drive"
) -> Judgement:
    """Say what a position tells without its command, in percent: how far it went and whether it ever stood
    shut. Never more than unclear, since nobody knows what was asked of it.

    Parameters: `actual`: the recorded position in percent; `limits`: the limits of the area; `closed`:
    percent that counts as shut; `name`: what the part is called in the sentence. Raises IndexError for an
    empty signal. Source: `figures/actuators.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> still = Signal(np.arange(50.0), np.full(50, 31.0))
    >>> judged = judge_position(still, general(ActuatorLimits), Limit(5, "percent"), "EGR valve")
    >>> judged.because.split(".")[0]
    'EGR valve stands at 31 % throughout'
    """
    low, high = (float(x) for x in np.percentile(actual.values, [0.5, 99.5]))
    if high - low < limits.stuck_percent:
        says = (
            f"{name} stands at {plain(round((low + high) / 2))} % throughout. Without its command nobody"
            " knows whether it should move: record that too."
        )
    else:
        shut = (
            "comes to rest shut"
            if low <= closed
            else f"never stands shut (up to {plain(closed)} % counts, {closed.source})"
        )
        says = (
            f"{name} goes from {plain(round(low))} to {plain(round(high))} % and {shut}. How well it follows"
            " takes its command: record that too."
        )
    return Judgement("unclear", "command_missing", high - low, unit="percent", uncertainty=None, because=says)
