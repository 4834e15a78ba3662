"""The waits of a job, and how an engine cools while it stands."""

from dataclasses import dataclass
from datetime import datetime

from frosty_piston.core.waiting import WaitLimits, cold_soaked_after_h, fitted_tau_h, hours_until
from frosty_piston.job.entries import Condition, Entry, Wait
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert
from frosty_piston.job.weighing.proof_evidence import COLD_HOURS

GENERAL_WARM_C = 85.0
GENERAL_OUTSIDE_C = 10.0


def running_wait(job: Job, now: datetime) -> Entry | None:
    """The wait that is still running, the one that ends last."""
    running = [x for x in open_waits(job) if x.data.until and x.data.until > now]
    return max(running, key=lambda x: x.data.until, default=None)


def open_waits(job: Job) -> list[Entry]:
    """The waits that were begun and not ended by anybody, whether their time is over or not."""
    ended = {x.data.ends for x in job.of(Wait) if x.data.state == "ended"}
    return [x for x in job.of(Wait) if x.data.state == "started" and x.id not in ended]


@dataclass(frozen=True)
class Soak:
    """When an engine will be touchable and cold: temperatures in C, times in hours, and what of it is
    known."""

    start_c: float
    around_c: float
    tau_h: float
    fitted: bool
    guessed: bool
    touch_c: float
    touch_h: float | None
    cold_h: float


def soak_estimate(job: Job, limits: WaitLimits) -> Soak:
    """Estimate the cold soak from the last temperatures written down; two falling ones fit this vehicle's own
    cooling."""
    coolant = job.condition("coolant")
    ambient = job.condition("ambient")
    start = convert(coolant.data.value, coolant.data.unit, "degC") if coolant else GENERAL_WARM_C
    around = convert(ambient.data.value, ambient.data.unit, "degC") if ambient else GENERAL_OUTSIDE_C
    fitted = _fitted_tau(job, around)
    tau = limits.closed_tau_h if fitted is None else fitted
    return Soak(
        start,
        around,
        tau,
        fitted=fitted is not None,
        guessed=coolant is None or ambient is None,
        touch_c=limits.touchable_c,
        touch_h=hours_until(limits.touchable_c, start, around, tau),
        cold_h=max(COLD_HOURS, cold_soaked_after_h(start, around, limits, tau)),
    )


def _fitted_tau(job: Job, around: float) -> float | None:
    read = [
        (condition.at, convert(condition.data.value, condition.data.unit, "degC"))
        for condition in job.of(Condition)
        if condition.data.name == "coolant" and condition.at
    ]
    if len(read) < 2:
        return None
    (first_at, first), (second_at, second) = read[-2:]
    try:
        return fitted_tau_h(first, second, (second_at - first_at).total_seconds() / 3600, around)
    except ValueError:
        return None
