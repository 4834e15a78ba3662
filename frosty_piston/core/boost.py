"""Boost asked against boost got, from a recording of one or more pulls."""

from dataclasses import dataclass

import numpy as np

from .limits import Limit
from .quantity import Judgement, percent, plain
from .traces import Signal, beside, runs
from .words import counted


@dataclass(frozen=True, slots=True)
class BoostLimits:
    """The figures by which pulls are found and judged, units in their names; shares are of the boost asked,
    or of the highest vane command."""

    pull_kpa: Limit
    pull_s: Limit
    settles_s: Limit
    stood_share: Limit
    short_share: Limit
    short_kpa: Limit
    over_share: Limit
    over_kpa: Limit
    over_s: Limit
    hunts_kpa: Limit
    hunts_turns: Limit
    vane_limit_share: Limit
    vane_follows_percent: Limit


READINGS = {
    (
        "short",
        True,
    ): "The vanes are told to close fully and do: a leak, a restricted exhaust or intake, or a worn turbo.",
    (
        "short",
        False,
    ): "The vanes are told to close fully and do not get there: actuator, linkage or the vane mechanism.",
    ("short", None): "Record the vane command and position too: they tell a leak from an actuator.",
    ("over", True): "The vanes follow: look at what measures the boost, and at the solenoid.",
    ("over", False): "The vanes are told to open and lag: they stick.",
    ("over", None): "Vanes that stick closed, or a solenoid that keeps pulling.",
    (
        "hunts",
        True,
    ): (
        "The vanes follow the hunting: the control hunts after something else, air in the vacuum or a false"
        " pressure."
    ),
    ("hunts", False): "The vanes lag behind it: they stick, or the solenoid does.",
    ("hunts", None): "Sticking vanes or the solenoid.",
}

# The boost table: class and whether the vanes follow, then boost, what the vanes are told, what they do,
# what it points at.
TABLE = (
    (
        "short",
        True,
        "low",
        "closed, at the limit",
        "follow",
        "leak, exhaust or intake restriction, worn turbo",
    ),
    ("short", False, "low", "closed, at the limit", "do not follow", "actuator, linkage or vane mechanism"),
    ("over", False, "too high, then cut", "to open", "lag", "vanes sticking"),
    ("hunts", False, "hunts", "hunt", "lag", "vanes sticking, or the solenoid"),
    (
        "reaches",
        True,
        "as asked, a code stored",
        "fine",
        "fine",
        "comes and goes: connector or dead spot, record longer",
    ),
)


@dataclass(frozen=True, slots=True)
class BoostRow:
    """A row of the boost table; `here` when a recording falls into it."""

    boost: str
    told: str
    does: str
    points_at: str
    here: bool


@dataclass(frozen=True, slots=True)
class BoostReport:
    """What the pulls of a recording say. Pressures in kPa, all as the middle of the pulls.

    `asked_kpa`: boost asked over the pressure at rest. `shortfall_kpa`: asked less got, once it had time to
    come; negative when too much came. `u_kpa`: its uncertainty. `to_90_s`: from when nine tenths of it were
    asked until they stood, None when they never did. `overshoot_kpa`, `over_s`: most above what was asked,
    and for how long it stayed a good way above at one go. `hunting_kpa`, `period_s`: half the swing and the
    time of one swing, 0 when it stands still. `vane_at_limit`, `vane_follows`: None when the vanes were not
    recorded. `stretches`: from when to when each pull went, s.
    """

    pulls: int
    asked_kpa: float
    shortfall_kpa: float
    u_kpa: float
    to_90_s: float | None
    overshoot_kpa: float
    over_s: float
    hunting_kpa: float
    period_s: float
    vane_at_limit: bool | None
    vane_follows: bool | None
    stretches: tuple[tuple[float, float], ...] = ()


def analyse_boost(
    target: Signal,
    actual: Signal,
    limits: BoostLimits,
    vane_command: Signal | None = None,
    vane_position: Signal | None = None,
) -> BoostReport | None:
    """Return what a recording of pulls says; None without a stretch of two seconds in which at least 20 kPa
    are asked.

    `target`, `actual`: manifold pressure in kPa; the pressure at rest is the lowest asked. `vane_command`,
    `vane_position` in percent, closed at the end at which most boost is asked. Source: `figures/boost.toml`.
    Parameters: `limits`: the limits of the area.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 12, 0.1)
    >>> asked = np.where((t > 3) & (t < 9), 180.0, 100.0)
    >>> got = Signal(t, 100 + 0.6 * (asked - 100))
    >>> report = analyse_boost(Signal(t, asked), got, general(BoostLimits))
    >>> report.pulls, round(report.asked_kpa), round(report.shortfall_kpa)
    (1, 80, 32)
    """
    t, (want, got) = beside([target, actual])
    if len(t) < 10:
        return None
    step = float(np.median(np.diff(t)))
    rest = float(np.percentile(want, 2))
    pulls = [r for r in runs(want - rest >= limits.pull_kpa) if t[r.stop - 1] - t[r.start] >= limits.pull_s]
    if not pulls:
        return None
    asked = []
    missing = []
    came = []
    over = []
    over_s = []
    swing = []
    period = []
    for pull in pulls:
        gauge = want[pull] - rest
        got_gauge = got[pull] - rest
        settled = t[pull] >= t[pull.start] + min(
            limits.settles_s + 0.5, 0.5 * (t[pull.stop - 1] - t[pull.start])
        )
        asked.append(float(np.median(gauge[settled])))
        missing.append(float(np.median((gauge - got_gauge)[settled])))
        mark = limits.stood_share * asked[-1]
        there = np.flatnonzero(got_gauge >= mark)
        wanted = t[pull][np.flatnonzero(gauge >= mark)[0]]
        came.append(max(0.0, float(t[pull][there[0]] - wanted)) if len(there) else np.nan)
        above = (got_gauge - gauge)[there[0] :] if len(there) else np.zeros(1)
        over.append(float(np.max(above, initial=0.0)))
        high = runs(above > max(limits.over_kpa, limits.over_share * asked[-1]))
        over_s.append(max((h.stop - h.start for h in high), default=0) * step)
        kpa, seconds = _hunting((got_gauge - gauge)[settled], step, limits.hunts_turns)
        swing.append(kpa)
        period.append(seconds)
    at_limit, follows = _vanes(t, pulls, limits, vane_command, vane_position)
    noise = float(np.median(np.abs(np.diff(got)))) + 0.5
    reached = [c for c in came if np.isfinite(c)]
    return BoostReport(
        len(pulls),
        float(np.median(asked)),
        float(np.median(missing)),
        u_kpa=noise + float(np.std(missing)) / np.sqrt(len(missing)),
        to_90_s=float(np.median(reached)) if reached else None,
        overshoot_kpa=float(np.median(over)),
        over_s=float(np.median(over_s)),
        hunting_kpa=float(np.median(swing)),
        period_s=float(np.median([p for p in period if p] or [0.0])),
        vane_at_limit=at_limit,
        vane_follows=follows,
        stretches=tuple((float(t[r.start]), float(t[r.stop - 1])) for r in pulls),
    )


def _hunting(miss: np.ndarray, step: float, least_turns: float) -> tuple[float, float]:
    """Half the swing and the period of what goes up and down round its own middle; (0, 0) when it turns too
    seldom."""
    if len(miss) < 8:
        return 0.0, 0.0
    x = np.arange(len(miss))
    flat = miss - np.polyval(np.polyfit(x, miss, 1), x)
    band = 0.3 * float(np.ptp(flat)) / 2
    side = 0
    turns = 0
    last = []
    for index, v in enumerate(flat):
        if abs(v) > band and np.sign(v) != side:
            side = int(np.sign(v))
            turns = turns + 1
            last.append(index)
    if turns < least_turns:
        return 0.0, 0.0
    return (
        float(np.percentile(flat, 95) - np.percentile(flat, 5)) / 2,
        2 * float(np.mean(np.diff(last))) * step,
    )


def _vanes(
    t: np.ndarray, pulls: list[slice], limits: BoostLimits, command: Signal | None, position: Signal | None
) -> tuple[bool | None, bool | None]:
    if command is None or position is None:
        return None, None
    tv, (c, p) = beside([command, position])
    if len(tv) < 10:
        return None, None
    inside = np.zeros(len(tv), bool)
    for r in pulls:
        inside |= (tv >= t[r.start] + limits.settles_s) & (tv <= t[r.stop - 1])
    if not inside.any():
        return None, None
    at_limit = float(np.median(c[inside])) >= limits.vane_limit_share * float(np.percentile(c, 99))
    return at_limit, float(np.percentile(np.abs(c - p)[inside], 75)) <= limits.vane_follows_percent


def judge_boost(report: BoostReport | None, limits: BoostLimits) -> Judgement:
    """Judge the pulls: hunts, over, short, reaches, with what the vanes say of it.

    Short: more than 12 % of what was asked and 10 kPa are missing (general), uncertainty taken off. Over:
    more than 15 % and 15 kPa above it for half a second. Hunts: swings over 8 kPa either way, five turns or
    more, unless one long excess makes up more than a whole swing.

    Parameters: the report, None for a recording without a pull; the limits. Source: general,
    `figures/boost.toml`.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 12, 0.1)
    >>> asked = np.where((t > 3) & (t < 9), 180.0, 100.0)
    >>> got, limits = Signal(t, 100 + 0.6 * (asked - 100)), general(BoostLimits)
    >>> judge_boost(analyse_boost(Signal(t, asked), got, limits), limits).cls
    'short'
    """
    if report is None:
        return Judgement(
            "unclear",
            "unclear",
            None,
            unit=None,
            uncertainty=None,
            because=f"No pull in it: {plain(limits.pull_s)} s in which at least {plain(limits.pull_kpa)} kPa"
            " of boost are asked are wanted.",
        )
    asked = report.asked_kpa
    u = report.u_kpa
    head = f"{plain(round(asked, 1))} kPa of boost asked over {counted(report.pulls, 'pull')}"
    came = (
        f"; nine tenths stood after {plain(round(report.to_90_s, 1))} s"
        if report.to_90_s is not None
        else "; nine tenths never stood"
    )
    follows = report.vane_follows if report.vane_at_limit is not None else None
    over = report.over_s >= limits.over_s and report.overshoot_kpa > max(
        limits.over_kpa, limits.over_share * asked
    )
    if report.hunting_kpa >= limits.hunts_kpa and not (over and report.over_s > report.period_s):
        return Judgement(
            "failed",
            "hunts",
            report.hunting_kpa,
            unit="kPa",
            uncertainty=u,
            because=f"{head}; it swings by {plain(round(report.hunting_kpa, 1))} kPa either way, every"
            f" {plain(round(report.period_s, 1))} s ({limits.hunts_kpa.source})."
            f" {READINGS['hunts', follows]}",
        )
    if over:
        return Judgement(
            "failed",
            "over",
            report.overshoot_kpa,
            unit="kPa",
            uncertainty=u,
            because=f"{head}; {plain(round(report.overshoot_kpa, 1))} kPa too much for"
            f" {plain(round(report.over_s, 1))} s ({limits.over_kpa.source}). {READINGS['over', follows]}",
        )
    if report.shortfall_kpa - u > max(limits.short_kpa, limits.short_share * asked):
        known = follows if report.vane_at_limit else None
        tail = (
            READINGS["short", known]
            if report.vane_at_limit is not False
            else (
                "The vanes are not told to close fully: the control holds back for another reason, look at"
                " its codes."
            )
        )
        return Judgement(
            "failed",
            "short",
            report.shortfall_kpa,
            unit="kPa",
            uncertainty=u,
            because=f"{head}; {plain(round(report.shortfall_kpa, 1))} kPa are missing,"
            f" {percent(report.shortfall_kpa / asked)} of it{came} ({limits.short_share.source}). {tail}",
        )
    return Judgement(
        "sound",
        "reaches",
        report.shortfall_kpa,
        unit="kPa",
        uncertainty=u,
        because=f"{head}; it comes within {plain(round(abs(report.shortfall_kpa), 1))} kPa of it{came}.",
    )


def boost_table(report: BoostReport | None, limits: BoostLimits) -> list[BoostRow]:
    """Return the rows of the boost table, the one the recording falls into marked; none is when the vanes
    were not recorded.

    Parameters: `report`: what the recording came to, None when there was nothing in it; `limits`: the limits
    of the area. Source: `judge_boost`, and the table of the trade.

    >>> from frosty_piston.knowledge.figures import general
    >>> t = np.arange(0, 12, 0.1)
    >>> asked, vane = (
    ...     np.where((t > 3) & (t < 9), 180.0, 100.0),
    ...     Signal(t, np.where((t > 3) & (t < 9), 95.0, 20.0)),
    ... )
    >>> got, limits = Signal(t, 100 + 0.6 * (asked - 100)), general(BoostLimits)
    >>> report = analyse_boost(Signal(t, asked), got, limits, vane, vane)
    >>> [row.points_at for row in boost_table(report, limits) if row.here]
    ['leak, exhaust or intake restriction, worn turbo']
    """
    cls = judge_boost(report, limits).cls
    follows = report.vane_follows if report is not None and (cls != "short" or report.vane_at_limit) else None
    return [
        BoostRow(boost, told, does, says, follows is not None and (cls, follows) == (row, wanted))
        for row, wanted, boost, told, does, says in TABLE
    ]
