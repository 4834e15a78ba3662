"""The shapes of reset plans: general ones from `reset_plans.toml`, and an engine card's own from a file."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

from pydantic import Field, model_validator

from frosty_piston.core.resets import in_order, misplaced
from frosty_piston.core.words import inside

from .reader import Reader
from .shapes import CardValue, Shape

Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,59}$")]
LEAST_WORDS = 2  # letters
Words = Annotated[str, Field(min_length=LEAST_WORDS, max_length=300)]
Celsius = Annotated[float, Field(ge=-40, le=900)]
Percent = Annotated[float, Field(ge=0, le=100)]
MOST_STEPS = 40


class NeedsShape(Shape):
    """What must hold before a step: read on the job, or seen and ticked."""

    coolant_from_c: Celsius | None = None
    coolant_under_c: Celsius | None = None
    soot_under_g: Annotated[float, Field(gt=0, le=200)] | None = None
    def_from_percent: Percent | None = None
    fuel_from_percent: Percent | None = None
    battery_from_v: Annotated[float, Field(ge=0, le=60)] | None = None
    key: Literal["on", "off"] | None = None
    engine: Literal["off", "running"] | None = None
    still: bool = False


class PhaseShape(Shape):
    does: Words
    minutes: Annotated[float, Field(gt=0, le=600)]


class ResetStepShape(Shape):
    """One step of a plan. `after`: the steps that come before it; `phases`: timed, one after the other;
    `unlatches`, `counter`: barred until the cause reads sound; `starts`, `km`: what it takes of a
    countdown."""

    id: Id
    does: Words
    why: Annotated[str, Field(max_length=300)] = ""
    minutes: Annotated[float, Field(ge=0, le=600)] = 0
    after: Annotated[list[Id], Field(max_length=MOST_STEPS)] = []
    needs: NeedsShape = NeedsShape()
    phases: Annotated[list[PhaseShape], Field(max_length=12)] = []
    unlatches: bool = False
    counter: bool = False
    starts: Annotated[float, Field(ge=0, le=20)] = 0
    km: Annotated[float, Field(ge=0, le=500)] = 0
    cautions: Annotated[list[Id], Field(max_length=12)] = []

    @property
    def barred(self) -> bool:
        """Whether it waits for the cause."""
        return self.unlatches or self.counter


class ResetPlanShape(Shape):
    """A plan, its steps in an order that holds. `proves`: the resets of the proof that a whole run is."""

    title: Words
    says: Annotated[str, Field(max_length=300)] = ""
    repairs: Annotated[list[Id], Field(max_length=40)] = []
    proves: Annotated[list[Id], Field(max_length=12)] = []
    needs: dict[str, list[CardValue]] = {}
    steps: Annotated[list[ResetStepShape], Field(min_length=1, max_length=MOST_STEPS)]

    @model_validator(mode="after")
    def _order_holds(self) -> "ResetPlanShape":
        if says := order_fault(self.steps):
            raise ValueError(says)
        return self

    def step(self, step_id: str) -> ResetStepShape | None:
        return next((s for s in self.steps if s.id == step_id), None)

    @property
    def minutes(self) -> float:
        return sum(s.minutes for s in self.steps)


def order_fault(steps: Sequence[ResetStepShape]) -> str:
    """Why some steps cannot be done in their order: twice the same, a step that is not there, a circle, or
    one before what it comes after. Empty when they can."""
    after = {s.id: s.after for s in steps}
    does = {s.id: s.does for s in steps}
    ids = [s.id for s in steps]
    if twice := [i for i in after if ids.count(i) > 1]:
        return f"the step {twice[0]!r} stands twice"
    if unknown := [(s.id, a) for s in steps for a in s.after if a not in after]:
        step, named = unknown[0]
        return f"{step!r} comes after {named!r}, and there is no such step"
    try:
        in_order(after)
    except ValueError as circle:
        names = [inside(does[i]) for i in str(circle).split(", ")]
        return f"a circle: {'; '.join(names)} wait for each other"
    if wrong := misplaced(ids, after):
        first = wrong[0]
        then = inside(does[first.after])
        return f"“{does[first.step]}” comes after “{then}”: in the wrong order the codes stay"
    return ""


def read_reset_plans(
    reader: Reader, repairs: object, proofs: object, cautions: object
) -> dict[str, ResetPlanShape]:
    """Read reset_plans.toml and hold it against repairs, resets and cautions. Raises BadKnowledge."""
    plans: dict[str, ResetPlanShape] = reader.read("reset_plans.toml", dict[str, ResetPlanShape])
    for key, plan in plans.items():
        reader.all_known("reset_plans.toml", [key, "repairs"], plan.repairs, repairs)
        reader.all_known("reset_plans.toml", [key, "proves"], plan.proves, proofs)
        for step in plan.steps:
            reader.all_known("reset_plans.toml", [key, step.id, "cautions"], step.cautions, cautions)
    return plans


def plans_for(plans: Mapping[str, ResetPlanShape], repairs: Sequence[str]) -> list[str]:
    """The plans that some repairs ask for, in the order of the knowledge."""
    return [key for key, plan in plans.items() if set(plan.repairs) & set(repairs)]
