"""The shapes of what follows from a repair: acts, options, work plans, proofs."""

from typing import Annotated, Literal

from pydantic import Field

from .shapes import Shape

Share = Annotated[float, Field(ge=0, le=100)]
Odds = Annotated[float, Field(ge=0, le=1)]
Takes = Annotated[float, Field(ge=0.05, le=0.97)]
WaitKind = Literal[
    "cool_down",
    "soak",
    "bath",
    "cure",
    "parts",
    "consent",
    "cold_soak",
    "burn",
    "drive",
    "warm_up",
    "charge",
    "starter",
    "thaw",
    "routine",
]
Act = Literal["replaced", "repaired", "cleaned", "adjusted", "refitted", "plugged_in"]


class ActShape(Shape):
    """What can be done to a part, and the most that a cure by it takes."""

    title: str
    takes: Takes
    repair: bool


class CompareShape(Shape):
    """Something compared, old part beside new. `differs`: it may, since the old part has failed."""

    id: str
    asks: str
    unit: str
    card: str | None = None
    differs: bool = False


class StepShape(Shape):
    """One step of a work plan. `acts`: only when the repair is done that way. `asks`: what makes the work
    grow. `seen`: what must be seen before it is done. `pins`: its pin map is noted there. `counts`: what is
    counted at it, `counts_as`: the step whose count it must be again. `gaps`: what is measured port by port.
    `held_by`: what may have held it, one of which is noted."""

    id: str
    does: str
    why: str = ""
    minutes: float = 0
    cautions: list[str] = []
    hardware: bool = False
    per_piece: bool = False
    torque: str | None = None
    torque_is_limit: bool = False
    parts: Literal["in", "out"] | None = None
    consumables: list[str] = []
    new: list[str] = []
    reuse: str = ""
    refits: list[str] = []
    compare: bool = False
    acts: list[Act] = []
    wait: WaitKind | None = None
    hours: Annotated[float, Field(ge=0, le=240)] = 0
    asks: str = ""
    seen: list[str] = []
    pins: bool = False
    counts: str = ""
    counts_as: str = ""
    gaps: str = ""
    held_by: list[str] = []


class TroubleShape(Shape):
    """What to do when a step goes wrong in a known way."""

    title: str
    does: list[str]
    cautions: list[str] = []


class OptionShape(Shape):
    """One way to do a repair. `parts` and `minutes` are shares of the repair's own figures, `part_minutes`
    the part itself as minutes of workshop time; `also`: repairs it does as well; `leaves`: faults of its
    repair that it does not cure. `plan`: the repair whose work plan carries it out, when not its own.
    `usually_with`: options of other repairs that stand ready together with it, and why.
    `pieces`: it is done cylinder by cylinder. `wears`: what is left fails next; `snaps`: it may snap on the
    way out. `goes_round`: it helps although the fault stays as it is.
    """

    id: str = ""
    title: str
    act: Act
    temporary: bool = False
    goes_round: bool = False
    parts: Share = 1.0
    minutes: Share = 1.0
    part_minutes: float | None = None
    minutes_once: Share = 0.0
    minutes_figure: str | None = None
    access_figure: str | None = None
    pieces: Literal["failed", "all"] | None = None
    wears: bool = False
    snaps: bool = False
    days: Share = 0.0
    warranty_months: Annotated[int, Field(ge=0, le=240)] = 0
    back: Odds = 0.03
    breaks: Odds = 0.0
    break_minutes: float = 120
    break_figure: str | None = None
    takes: Takes | None = None
    also: list[str] = []
    leaves: list[str] = []
    plan: str = ""
    usually_with: dict[str, str] = {}


class AtPartShape(Shape):
    """What counts as read at the part itself: at these points, or by these tests; `word`: how the workshop
    calls it."""

    points: list[str] = []
    tests: list[str] = []
    word: str


class RepairShape(Shape):
    title: str
    part: str
    parts_word: str = ""
    kind: str
    cures: list[str]
    minutes: Annotated[float, Field(gt=0, le=6000)]
    part_minutes: Annotated[float, Field(ge=0, le=9000)]
    access: list[str] = []
    takes: dict[Act, Takes] = {}
    also: dict[Act, list[str]] = {}
    leaves: dict[Act, list[str]] = {}
    options: dict[str, OptionShape] = {}
    kind_options: list[str] = []
    compare: list[str | CompareShape] | None = None
    steps: list[str | StepShape] | None = None
    trouble: list[TroubleShape] = []
    remeasure: list[str] = []
    at_part: AtPartShape | None = None
    for_pieces: list[str] = []
    checks: list[str] | None = None
    resets: list[str] | None = None


class KindShape(Shape):
    """What the kind of part gives a repair whose own table is silent."""

    title: str
    steps: list[str | StepShape]
    compare: list[str] = []
    checks: list[str] = []
    resets: list[str] = []
    options: dict[str, OptionShape]


class PieceStep(Shape):
    """A step of the shared ones: its id is its name."""

    does: str
    why: str = ""
    minutes: float = 0
    cautions: list[str] = []
    hardware: bool = False
    per_piece: bool = False
    torque: str | None = None
    parts: Literal["in", "out"] | None = None
    consumables: list[str] = []
    new: list[str] = []
    reuse: str = ""
    refits: list[str] = []
    compare: bool = False
    acts: list[Act] = []
    wait: str | None = None
    hours: float = 0
    asks: str = ""
    seen: list[str] = []
    pins: bool = False
    counts: str = ""
    counts_as: str = ""
    gaps: str = ""
    held_by: list[str] = []


class CheckShape(Shape):
    """A step of a proof. `what`: the kind of thing that is missing while it is open; empty: good practice.
    `reading`: the tests that say the same; it cannot be passed while one of them says otherwise."""

    does: str
    passes: str
    what: Literal["", "reread", "suspect", "codes", "fluid"] = ""
    reading: list[str] = []
    cautions: list[str] = []
    reasons: list[str] = []


class ConditionShape(Shape):
    """A complaint's own condition. `though_broken`, `when_cured`: the chance that it is passed, general
    figures. What shows that it was passed: a `drive` with its distance, a result of one of the tests in
    `shown_by`, or of a recording where it is `recorded`; without that it is only said. Its `reading` must
    come out sound as often as that test is made."""

    title: str
    does: str
    passes: str
    needs_cold: bool = False
    drive: bool = False
    reading: str = ""
    recorded: bool = False
    shown_by: list[str] = []
    wait_min: float = 0
    though_broken: Annotated[float, Field(gt=0, lt=1)]
    when_cured: Annotated[float, Field(gt=0, lt=1)] = 0.97
    cautions: list[str] = []


class ResetShape(Shape):
    """Something to learn or reset: asked when the card lists it, or always."""

    does: str
    passes: str
    card: str = ""
    always: bool = False
    acts: list[Act] = []


class ProofPieces(Shape):
    checks: dict[str, CheckShape]
    conditions: dict[str, ConditionShape]
    resets: dict[str, ResetShape]
    reasons: dict[str, str]
