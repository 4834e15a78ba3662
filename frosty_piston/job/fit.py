"""Fit: where a work plan stands, what still lies on the bench, and what may be ticked next."""

from dataclasses import dataclass

from frosty_piston.core import plug_life
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.shapes import ProcedureShape, StepShape

from .entries import Entry, Hardware
from .tape import Job

TORQUE_TOLERANCE = 0.25


@dataclass(frozen=True)
class StepState:
    """One step of a plan on this job: its shape, the entries that ticked it, whether it is done or skipped."""

    shape: StepShape
    entries: tuple[Entry, ...]
    cylinders_left: tuple[int, ...]
    torque: float | None
    torque_general: bool

    @property
    def state(self) -> str:
        if not self.entries:
            return "open"
        if self.cylinders_left:
            return "part"
        return "skipped" if self.entries[-1].data.state == "skipped" else "done"


@dataclass(frozen=True)
class Piece:
    """One piece on the hardware map: the step it came off at, its place in the order, and whether it is back."""

    order: int
    step: str
    hardware: Hardware
    back: bool


@dataclass(frozen=True)
class PlanState:
    id: str
    shape: ProcedureShape
    steps: tuple[StepState, ...]
    pieces: tuple[Piece, ...]
    out: int
    back_in: int

    @property
    def finished(self) -> bool:
        return all(s.state in ("done", "skipped") for s in self.steps)

    def step(self, step_id: str) -> StepState:
        return next(s for s in self.steps if s.shape.id == step_id)

    def still_off(self, step_id: str) -> list[str]:
        """What came off later than what this step refits, and is not back yet: it goes on first."""
        targets = set(self.step(step_id).shape.refits)
        if not targets:
            return []
        order = [s.shape.id for s in self.steps]
        refitted = {t for s in self.steps if s.state in ("done", "skipped") for t in s.shape.refits}
        taken = [s for s in self.steps if s.state != "open" and any(s.shape.id in other.shape.refits for other in self.steps)]
        last = max(order.index(t) for t in targets)
        return [s.shape.does for s in taken if order.index(s.shape.id) > last and s.shape.id not in refitted]


def plan_state(job: Job, k: Knowledge, plan: str, cylinders: tuple[int, ...]) -> PlanState:
    """Fold the fit entries of a job into the state of one plan; `cylinders`: those the plan works on."""
    shape = k.procedures[plan]
    entries = [x for x in job.since_failure if x.kind == "fit_step" and x.data.plan == plan]
    steps = []
    for step in shape.steps:
        mine = tuple(x for x in entries if x.data.step == step.id)
        done = {x.data.cylinder for x in mine}
        left = tuple(c for c in cylinders if c not in done) if step.per_cylinder and None not in done else ()
        torque, general = torque_for(job, k, step)
        steps.append(StepState(step, mine, left if mine or not step.per_cylinder else (), torque, general))
    refitted = {t for s in steps if s.entries and s.entries[-1].data.state == "done" for t in s.shape.refits}
    pieces = [(x.data.step, h) for x in entries for h in x.data.hardware or []]
    ledger = {"out": 0, "in": 0}
    for x in entries:
        way = next((s.pieces for s in shape.steps if s.id == x.data.step), None)
        if way and x.data.pieces:
            ledger[way] += x.data.pieces
    return PlanState(plan, shape, tuple(steps), tuple(Piece(i + 1, step, h, step in refitted) for i, (step, h) in enumerate(pieces)), ledger["out"], ledger["in"])


def torque_fault(state: StepState, given_nm: float | None, explained: bool) -> str | None:
    """Answer what is wrong with a torque at a step; a breakaway limit is never passed, another torque can be explained."""
    if given_nm is None or not state.torque:
        return None
    if state.shape.torque_is_limit:
        if given_nm > state.torque:
            return f"stop at {state.torque:g} N m: a seized plug is a different, dearer job that the owner agrees to first"
    elif abs(given_nm - state.torque) > TORQUE_TOLERANCE * state.torque and not explained:
        return f"{state.torque:g} N m is asked for; say why it differs, or correct it"
    return None


def differing(plan: PlanState, compared: dict[str, list[str]]) -> list[str]:
    """Answer in what the new part differs from the old one. A resistance may: the old part has failed."""
    return [row.asks.lower() for row in plan.shape.compare if row.id != "resistance_ohm" and row.id in compared and all(compared[row.id])
            and len({text.replace(",", ".").lower() for text in compared[row.id]}) > 1]


def torque_for(job: Job, k: Knowledge, step: StepShape) -> tuple[float | None, bool]:
    """The torque of a step in N m, and whether it is a general figure: card first, then the thread's general one."""
    if step.torque is None:
        return None, False
    card, thread = job.engine.limit(step.torque), job.engine.choice("glow_plug_thread")
    if step.torque == "glow_plug_breakaway_nm":
        found = plug_life.breakaway(thread, card)
        return found.nm, found.general
    if step.torque == "glow_plug_fitting_nm":
        found = plug_life.fitting(thread, card)
        return found.nm, found.general
    return (card, False) if card else (k.figures[step.torque].general, True)


def chosen(job: Job) -> Entry | None:
    """The option picked last; a failed proof asks for a new one."""
    """The option the technician picked last, since a proof last failed."""
    return next((x for x in reversed(job.since_failure) if x.kind == "option" and x.data.chosen), None)


def consent(job: Job) -> Entry | None:
    """What the owner last said; a failed proof asks for a new word."""
    return next((x for x in reversed(job.since_failure) if x.kind == "consent"), None)
