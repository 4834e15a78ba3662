"""Fit: where a work plan stands, what still lies on the bench, which pieces are missing, and what may be
ticked next."""

from dataclasses import dataclass

from frosty_piston.core import plug_life
from frosty_piston.core.quantity import plain
from frosty_piston.core.words import inside
from frosty_piston.job.entries import Entry, Hardware, Piece
from frosty_piston.job.entries.work import Pin
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.repair_shapes import StepShape
from frosty_piston.knowledge.repairs import Repair

TORQUE_TOLERANCE = 0.25


@dataclass(frozen=True)
class StepState:
    """One step of a plan on this job: its shape, the entries that ticked it, whether it is done or
    skipped."""

    shape: StepShape
    entries: tuple[Entry, ...]
    cylinders_left: tuple[int, ...]
    torque: float | None
    torque_general: bool

    @property
    def ticked(self) -> tuple[Entry, ...]:
        return tuple(x for x in self.entries if x.data.state != "part")

    @property
    def state(self) -> str:
        if not self.ticked:
            return "begun" if self.entries else "open"
        if self.cylinders_left:
            return "part"
        return "skipped" if self.ticked[-1].data.state == "skipped" else "done"


@dataclass(frozen=True)
class Fastener:
    """One line of the hardware map: its own id, the step it came off at, its place in the order, whether it
    is back, and the entry that took it off."""

    id: str
    order: int
    step: str
    hardware: Hardware
    back: bool
    entry: str


# Where a piece may lie so that a turning engine takes it in; two lengths nearer than this are the same.
SWALLOWED = ("bore", "cylinder", "intake", "unknown")
SAME_LENGTH_MM = 0.5


@dataclass(frozen=True)
class PieceState:
    """A piece that broke or fell, as it stands by the latest word on it."""

    name: str
    entry: Entry

    @property
    def missing(self) -> bool:
        """Whether something is not there that the engine could swallow: the whole of it, or the rest of one
        that came out short."""
        d = self.entry.data
        if d.now == "missing":
            return bool(d.went != "outside")
        return d.went in SWALLOWED and (d.now == "left" or self.rest_mm is not None)

    @property
    def rest_mm(self) -> float | None:
        """How much of what came out is still not there, in mm; None when it is whole or nobody measured."""
        short = self.short_mm if self.entry.data.now == "recovered" else None
        return short if short and short > SAME_LENGTH_MM else None

    @property
    def lost(self) -> str:
        """What is missing, in words."""
        return f"{plain(self.rest_mm)} mm of {inside(self.name)}" if self.rest_mm else self.name

    @property
    def short_mm(self) -> float | None:
        """How much of a whole one is not there, when both were measured."""
        d = self.entry.data
        return (
            round(d.whole_mm - d.length_mm, 2)
            if d.whole_mm and d.length_mm and d.length_mm < d.whole_mm
            else None
        )


@dataclass(frozen=True)
class PlanState:
    """Where a plan stands. `out`, `back_in`: old parts off and new parts on, as counted at their steps."""

    id: str
    repair: Repair
    steps: tuple[StepState, ...]
    map: tuple[Fastener, ...]
    out: int
    back_in: int
    pins: tuple[Pin, ...] = ()

    @property
    def thinner(self) -> tuple[Pin, ...]:
        """The cavities whose new wire is thinner than the old one."""
        return tuple(p for p in self.pins if p.mm2 and p.was_mm2 and p.mm2 < p.was_mm2)

    @property
    def finished(self) -> bool:
        return all(s.state in ("done", "skipped") for s in self.steps)

    @property
    def begun(self) -> bool:
        return any(s.entries for s in self.steps)

    @property
    def on_bench(self) -> tuple[Fastener, ...]:
        return tuple(f for f in self.map if not f.back)

    @property
    def new_parts(self) -> tuple[tuple[str, bool], ...]:
        """What is new each time, and whether the step that fits it is done."""
        return tuple((name, s.state == "done") for s in self.steps for name in s.shape.new)

    @property
    def current(self) -> StepState | None:
        return next((s for s in self.steps if s.state in ("open", "begun", "part")), None)

    def step(self, step_id: str) -> StepState:
        return next(s for s in self.steps if s.shape.id == step_id)

    def still_off(self, step_id: str) -> list[str]:
        """What came off later than what this step refits, and is not back yet: it goes on first."""
        targets = set(self.step(step_id).shape.refits)
        if not targets:
            return []
        order = [s.shape.id for s in self.steps]
        refitted = {t for s in self.steps if s.state in ("done", "skipped") for t in s.shape.refits}
        refitting = {t for s in self.steps for t in s.shape.refits}
        last = max(order.index(t) for t in targets)
        later = [
            s for s in self.steps if s.entries and s.shape.id in refitting and order.index(s.shape.id) > last
        ]
        return [s.shape.does for s in later if s.shape.id not in refitted and not self._all_back(s.shape.id)]

    def _all_back(self, step_id: str) -> bool:
        taken = [f for f in self.map if f.step == step_id]
        return bool(taken) and all(f.back for f in taken)


def plan_state(
    job: Job, knowledge: Knowledge, plan: str, cylinders: tuple[int, ...] = (), act: str | None = None
) -> PlanState:
    """Fold the fit entries of a job into the state of one plan; `cylinders`: those the plan works on; `act`:
    the way it is done, which leaves out the steps of other ways."""
    repair = knowledge.repairs[plan]
    entries = [x for x in job.since_failure if x.kind == "fit_step" and x.data.plan == plan]
    steps = []
    for step in repair.steps_for(act):
        mine = tuple(x for x in entries if x.data.step == step.id)
        done = {x.data.cylinder for x in mine if x.data.state != "part"}
        left = tuple(c for c in cylinders if c not in done) if step.per_piece and None not in done else ()
        torque, general = torque_for(job, knowledge, step)
        steps.append(StepState(step, mine, left if done or not step.per_piece else (), torque, general))
    refitted = {t for s in steps if s.ticked and s.ticked[-1].data.state == "done" for t in s.shape.refits}
    back = {name for x in entries for name in x.data.back or []}
    taken = [
        (x.id if len(x.data.hardware) == 1 else f"{x.id}.{index}", x.data.step, hardware, x.id)
        for x in entries
        for index, hardware in enumerate(x.data.hardware or [])
    ]
    fasteners = tuple(
        Fastener(key, i + 1, step, hardware=h, back=step in refitted or key in back, entry=entry)
        for i, (key, step, h, entry) in enumerate(taken)
    )
    ways = {s.id: s.parts for s in repair.steps}
    counted = {
        way: sum(x.data.pieces or 0 for x in entries if ways.get(x.data.step) == way) for way in ("out", "in")
    }
    pins = {p.cavity: p for x in entries for p in x.data.pins or []}
    return PlanState(
        plan, repair, tuple(steps), fasteners, counted["out"], counted["in"], tuple(pins.values())
    )


def pieces_of(job: Job) -> tuple[PieceState, ...]:
    """The pieces that broke or fell on this job, each by the latest word on it."""
    return tuple(PieceState(name, x) for name, x in {x.data.name: x for x in job.of(Piece)}.items())


def missing_pieces(job: Job) -> tuple[PieceState, ...]:
    """The pieces that bar starting, cranking and proof."""
    return tuple(p for p in pieces_of(job) if p.missing)


def barred(job: Job, knowledge: Knowledge, test: str) -> str:
    """Why a test cannot be made while a piece is missing, in words; empty when it can: it turns or runs the
    engine."""
    missing = missing_pieces(job)
    shape = knowledge.tests[test]
    if not missing or not (shape.cranks or shape.runs):
        return ""
    return f"a piece is missing: {missing[0].lost}. Nobody starts or cranks it until it is found"


def torque_fault(state: StepState, given_nm: float | None, explained: bool) -> str | None:
    """Return what is wrong with a torque at a step; a breakaway limit is never passed, another torque can be
    explained."""
    if given_nm is None or not state.torque:
        return None
    if state.shape.torque_is_limit:
        if given_nm > state.torque:
            return (
                f"stop at {state.torque:g} N m: a seized plug is a different, dearer job that the owner"
                " agrees to first"
            )
    elif abs(given_nm - state.torque) > TORQUE_TOLERANCE * state.torque and not explained:
        return f"{state.torque:g} N m is asked for; say why it differs, or correct it"
    return None


def _alike(text: str) -> str:
    """What was typed of a part, so that `12 V` and `12V`, `27,5` and `27.5 mm` are the same."""
    return "".join(text.replace(",", ".").lower().split()).removesuffix("mm").removesuffix("ohm")


def differing(repair: Repair, compared: dict[str, list[str]]) -> list[str]:
    """Return in what the new part differs from the old one. What the old part failed by may."""
    return [
        inside(row.asks)
        for row in repair.compare
        if not row.differs
        and row.id in compared
        and all(compared[row.id])
        and len({_alike(text) for text in compared[row.id]}) > 1
    ]


def torque_for(job: Job, knowledge: Knowledge, step: StepShape) -> tuple[float | None, bool]:
    """The torque of a step in N m, and whether it is a general figure: card first, then the thread's general
    one."""
    if step.torque is None:
        return None, False
    card = job.engine.limit(step.torque)
    thread = job.engine.choice("glow_plug_thread")
    by_thread = {
        "glow_plug_breakaway_nm": plug_life.breakaway,
        "glow_plug_fitting_nm": plug_life.fitting,
    }.get(step.torque)
    if by_thread:
        torque = by_thread(thread, card, knowledge.limits(plug_life.PlugLifeLimits, job.engine.limits))
        return torque.nm, torque.general
    return (knowledge.figures[step.torque].general, True) if card is None else (card, False)


def chosen(job: Job) -> Entry | None:
    """The option the technician picked last, since a proof last failed."""
    return next((x for x in reversed(job.since_failure) if x.kind == "option" and x.data.chosen), None)


def consent(job: Job) -> Entry | None:
    """What the owner last said; a failed proof asks for a new word."""
    return next((x for x in reversed(job.since_failure) if x.kind == "consent"), None)


@dataclass(frozen=True)
class ToDo:
    """One repair of what was picked: its option, the cylinders it is about, its plan, and the act that did
    it."""

    option_id: str
    repair: str
    act: str
    cylinders: tuple[int, ...]
    plan: PlanState
    entry: Entry | None
    temporary: bool
    title: str


def done_since(job: Job, repair: str, since: int) -> Entry | None:
    """The act that did a repair since a place on the tape, if it was done."""
    acts = {x.id for x in job.repairs}
    done = [
        entry
        for entry in job.since_failure
        if entry.id in acts and entry.data.repair == repair and job.position[entry.id] > since
    ]
    return done[-1] if done else None
