"""Reset plans on a job: which are asked for, what each step still needs, and what keeps anything latched."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from frosty_piston.core.cached import cached_property
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import sign
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import Condition, Entry, Reading, ResetStep, Wait
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert
from frosty_piston.knowledge.reset_shapes import NeedsShape, ResetPlanShape, ResetStepShape, plans_for

from .countdown_count import still_counts
from .prove import prove
from .reset_order import BEHIND, in_wrong_order
from .waits import open_waits

LATCHED_BY = {"unlatches": ("scr",), "counter": ("dpf",)}
LEAD = "Or a lead gives the reason"
KEY = {"on": "key on", "off": "key off"}
ENGINE = {"off": "engine off", "running": "engine running"}
STILL = "standing still"


@dataclass(frozen=True)
class Need:
    """Something that must hold before a step. `state`: `held`, `missing` (read otherwise), `unread`, `seen`
    (nobody can read it here: look). `asks`: the figure that is wanted, by the name of its field."""

    says: str
    state: str
    asks: str = ""


@dataclass(frozen=True)
class Figure:
    """A figure that steps ask for: what it is called, its unit, and where the job has it."""

    title: str
    unit: str
    condition: str = ""
    test: str = ""
    channel: str = ""


FIGURES = {
    "coolant": Figure("Coolant", "degC", condition="coolant"),
    "soot": Figure("Soot mass", "g", test="dpf_state", channel="soot_mass"),
    "def_level": Figure("DEF level", "percent", condition="def_level"),
    "fuel_level": Figure("Fuel level", "percent", condition="fuel_level"),
    "battery": Figure("Battery", "V", test="battery_rest"),
}
# The field of a need, the figure it is about, and whether it must lie above.
WANTED = {
    "coolant_from_c": ("coolant", True),
    "coolant_under_c": ("coolant", False),
    "soot_under_g": ("soot", False),
    "def_from_percent": ("def_level", True),
    "fuel_from_percent": ("fuel_level", True),
    "battery_from_v": ("battery", True),
}


def last_figure(job: Job, name: str) -> tuple[float, datetime | None] | None:
    """The latest figure that a need asks for, in its unit, and when it was read."""
    figure = FIGURES[name]
    for entry in reversed(list(job.of(Condition, Reading))):
        data = entry.data
        if isinstance(data, Condition) and figure.condition and data.name == figure.condition:
            return convert(float(data.value), data.unit, figure.unit), entry.at
        read = isinstance(data, Reading) and data.test == figure.test and data.is_figure
        if read and figure.channel in ("", data.where.channel):
            return convert(float(data.value), data.unit, figure.unit), entry.at
    return None


def needs_of(job: Job, needs: NeedsShape) -> tuple[Need, ...]:
    """What a step needs, each held against the latest reading: what is missing, and what is there."""
    found = []
    for field, (name, above) in WANTED.items():
        wanted = getattr(needs, field)
        if wanted is None:
            continue
        figure = FIGURES[name]
        read = last_figure(job, name)
        unit = sign(figure.unit)
        asked = f"{plain(wanted)} {unit}{' or more' if above else ' at most'}"
        if read is None:
            found.append(Need(f"{figure.title}: {asked}, not read yet", "unread", name))
            continue
        value, at = read
        good = value >= wanted if above else value <= wanted
        when = f" at {at.astimezone():%H:%M}" if at else ""
        says = f"{figure.title}: {asked}, {plain(round(value, 1))}{when}"
        found.append(Need(says, "held" if good else "missing", "" if good else name))
    looked = [KEY[needs.key] if needs.key else "", ENGINE[needs.engine] if needs.engine else ""]
    looked.append(STILL if needs.still else "")
    return (*found, *(Need(says[0].upper() + says[1:], "seen") for says in looked if says))


@dataclass(frozen=True)
class StepState:
    """One step of a plan on a job. `before`: the steps it comes after that are still open; `phase`: how many
    of its phases are over; `running`: the wait of the one that runs."""

    shape: ResetStepShape
    entry: Entry[ResetStep] | None
    needs: tuple[Need, ...]
    before: tuple[ResetStepShape, ...]
    bar: str
    phase: int
    running: Entry[Wait] | None

    @property
    def result(self) -> str:
        return self.entry.data.result if self.entry else "open"

    @property
    def over(self) -> bool:
        """Whether it is behind: done, or skipped with a reason."""
        return self.result in BEHIND

    @property
    def missing(self) -> list[Need]:
        return [n for n in self.needs if n.state in ("missing", "unread")]

    @property
    def phases_over(self) -> bool:
        return self.phase >= len(self.shape.phases)

    @property
    def out_of_order(self) -> str:
        """Why it cannot be done yet by the order of the plan; empty when it can."""
        return in_wrong_order([s.does for s in self.before]) if self.before else ""


@dataclass(frozen=True)
class PlanState:
    """A plan on a job, step by step."""

    key: str
    plan: ResetPlanShape
    steps: tuple[StepState, ...]

    @cached_property
    def current(self) -> StepState | None:
        return next((s for s in self.steps if not s.over), None)

    @property
    def begun(self) -> bool:
        return any(s.entry for s in self.steps)

    @property
    def done(self) -> bool:
        return self.current is None

    def step(self, step_id: str) -> StepState | None:
        return next((s for s in self.steps if s.shape.id == step_id), None)


def phase_name(plan: str, step: str, phase: int) -> str:
    """How the wait of a phase is named on the tape."""
    return f"{plan}/{step}/{phase}"


def plan_state(
    assessed: Assessed, key: str, plan: ResetPlanShape, now: datetime, bars: Mapping[str, str]
) -> PlanState:
    """A plan as it stands on a job at a moment: what was done of it since the last repair. `bars`: why
    nothing is unlatched, or no counter set back, yet."""
    job = assessed.job
    since = {x.id for n in range(assessed.after_time, len(job.times)) for x in job.times[n]}
    said = {x.data.step: x for x in job.of(ResetStep) if x.data.plan == key and x.id in since}
    waits = {x.data.step: x for x in job.of(Wait) if x.data.state == "started" and x.id in since}
    running = {x.id for x in open_waits(job)}
    behind = {s for s, x in said.items() if x.data.result in BEHIND}
    states = []
    for shape in plan.steps:
        phase = 0
        runs = None
        for n in range(len(shape.phases)):
            wait = waits.get(phase_name(key, shape.id, n))
            if wait is None:
                break
            if wait.id in running and wait.data.until and wait.data.until > now:
                runs = wait
                break
            phase = n + 1
        before = tuple(s for s in plan.steps if s.id in shape.after and s.id not in behind)
        barred_by = [way for way, on in (("unlatches", shape.unlatches), ("counter", shape.counter)) if on]
        bar = bars.get(barred_by[0], "") if barred_by else ""
        states.append(
            StepState(shape, said.get(shape.id), needs_of(job, shape.needs), before, bar, phase, runs)
        )
    return PlanState(key, plan, tuple(states))


def plans_asked(assessed: Assessed) -> list[str]:
    """The plans that this job asks for: by what was repaired, and by a countdown that still runs."""
    knowledge = assessed.knowledge
    job = assessed.job
    repaired = [x.data.repair for x in job.repairs]
    keys = plans_for(knowledge.reset_plans, repaired)
    if still_counts(job) is not None:
        keys = [key for key in keys if key != "quality_latch"]
        keys += [key for key in plans_for(knowledge.reset_plans, ["countdown_latched"]) if key not in keys]
    return [key for key in keys if not job.engine.rules_out(knowledge.reset_plans[key].needs)]


def latch_bars(assessed: Assessed) -> dict[str, str]:
    """Why nothing is unlatched, and no counter set back, yet: the cause does not read sound. Empty where it
    does."""
    bars = {latch: _bar(assessed, systems) for latch, systems in LATCHED_BY.items()}
    return {latch: says for latch, says in bars.items() if says}


def _bar(assessed: Assessed, systems: tuple[str, ...]) -> str:
    knowledge = assessed.knowledge
    tests = {t for t, shape in knowledge.tests.items() if shape.system in systems}
    if assessed.job.repairs:
        wrong = [
            m.because for m in prove(assessed).missing if m.what in ("reread", "failed") and m.id in tests
        ]
        read = [v for v in assessed.after if v.test in tests]
    else:
        read = [v for v in assessed.now if v.test in tests]
        wrong = [
            f"{knowledge.tests[verdict.test].title}: {verdict.judgement.because}"
            for verdict in read
            if _bad(verdict.judgement.verdict)
        ]
    if wrong:
        return f"not before the cause reads sound. {wrong[0]} {LEAD}"
    if not any(v.judgement.verdict == "sound" for v in read):
        return f"nothing was read since that says the cause is gone: measure what failed again. {LEAD}"
    return ""


def _bad(verdict: str) -> bool:
    return verdict == "failed"


def latched_says(assessed: Assessed) -> str:
    """That a countdown is latched: the cause and its readings are good, and it still counts. Empty when that
    is not so."""
    if still_counts(assessed.job) is None or "unlatches" in latch_bars(assessed):
        return ""
    if not assessed.job.repairs and not assessed.now:
        return ""
    return "Latched: cause and readings are good, and it still counts. Run the reset plan."
