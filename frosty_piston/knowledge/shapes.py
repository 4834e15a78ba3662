"""The shapes of the knowledge files."""

from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

Chance = str | Annotated[float, Field(ge=0.002, le=0.98)]
Because = Annotated[str, Field(min_length=3, max_length=160)]
Verdict = Literal["sound", "marginal", "failed", "unclear"]
CardValue = str | bool | int


def _upward(pair: tuple[float, float]) -> tuple[float, float]:
    """A range from its lower to its upper end."""
    if not pair[0] < pair[1]:
        raise ValueError(f"{pair[0]:g} must lie under {pair[1]:g}: the lower end stands first")
    return pair


Range = Annotated[tuple[float, float], AfterValidator(_upward)]


class Shape(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class AccessShape(Shape):
    title: str
    minutes: Annotated[float, Field(ge=0, le=600)]


class CautionShape(Shape):
    """`parts`: the only parts at which it holds; empty: wherever a test or a step names it. `named_by`: words
    of a written warning to stop that call it up."""

    title: str
    tick: bool
    says: str
    parts: list[str] = []
    named_by: list[str] = []


class FaultShape(Shape):
    """`quiet`: the share of moments at which it can be measured although the complaint is away just then; 1
    for what lasts. `one_of_many`: it can be at many things, and is at one of them: a code or a reading says
    at which. `never_with`: faults that cannot be there at the same time: one thing has one state."""

    title: str
    part: str
    per_thousand: Annotated[float, Field(gt=0, lt=500)]
    quiet: Annotated[float, Field(gt=0, le=1)] = 1.0
    one_of_many: bool = False
    shows: Because
    needs: dict[str, list[CardValue]] = {}
    killed_by: dict[str, tuple[Chance, Because]] = {}
    never_with: list[str] = []
    dies_of: list[str] = []


class ChannelShape(Shape):
    """A channel of a recording: its unit, how scan tools name it, what is plausible."""

    title: str
    unit: str
    words: Annotated[list[str], Field(min_length=1)]
    not_: Annotated[list[str], Field(alias="not")] = []
    low: float
    high: float
    numbered: bool = False


class CleaningShape(Shape):
    """A way to clean: usual minutes of one turn, what to watch; `parts`: the only ones cleaned that way."""

    title: str
    minutes: float
    watch: str
    cautions: list[str]
    parts: list[str] = []


class SootCauseShape(Shape):
    """Something that makes soot: why, how it is looked for, the faults that stand for it, the tests that show
    it."""

    title: str
    why: str
    look: str
    faults: list[str]
    tests: list[str]


class NamedReachShape(Shape):
    """The bounds of a figure by its name; `unit`: what they are in, empty for one that is only counted."""

    low: float
    high: float
    unit: str = ""


class ReachShape(Shape):
    """What an instrument can show, by kind of unit and by the name of a figure."""

    units: dict[str, Range]
    names: dict[str, NamedReachShape]


class SootShape(Shape):
    """The causes of soot, and the faults that soot makes: they are asked when one of them was repaired."""

    made_by_soot: list[str]
    causes: dict[str, SootCauseShape]


class SymptomShape(Shape):
    """`line`, `by_state`: how often it shows in each state of a line; the faults of that line have it from
    there, whatever chance stands beside their reason."""

    title: str
    general: Chance
    words: str = ""
    comes_and_goes: bool = False
    told_by: str = ""
    told_whole: bool = False
    regime: Literal["start", "running", "stopping", "message"]
    lit_by_code: bool = False
    proved_by: str = ""
    cautions: list[str] = []
    line: str = ""
    by_state: dict[str, Chance] = {}
    speaks: dict[str, tuple[Chance, Because]] = {}


class ContextShape(Shape):
    title: str
    evidence_lost: bool = False
    advice: str = ""
    cautions: list[str] = []
    moves: dict[str, tuple[Annotated[float, Field(ge=0.1, le=10)], Because]] = {}


class PointShape(Shape):
    title: str
    access: list[str] = []
    minutes: float | None = None


class NeverShape(Shape):
    """What it means that a figure was never reached."""

    verdict: Verdict
    cls: str
    because: Because


class EdgeShape(Shape):
    """How far around its mark a figure still says a little of both sides: `share` of the figure, or `by` so
    much of the unit."""

    share: Annotated[float, Field(ge=0, le=2)] = 0.0
    by: Annotated[float, Field(ge=0)] = 0.0

    @model_validator(mode="after")
    def one_of_them(self) -> Self:
        if bool(self.share) == bool(self.by):
            raise ValueError("an edge is a share of the figure, or so much of its unit")
        return self


class TestShape(Shape):
    title: str
    how: str = ""
    system: str
    parts: Annotated[list[str], Field(min_length=1)]
    minutes: Annotated[float, Field(gt=0, le=600)]
    access: list[str]
    tools: list[str]
    cautions: list[str]
    if_failed: list[str] = []
    needs: dict[str, list[CardValue]] = {}
    units: list[str] = []
    range: Range | None = None
    overload: bool = False
    outcomes: dict[str, Verdict] = {}
    figures: list[str] = []
    edges: dict[str, EdgeShape] = {}
    flags: list[str] = []
    points: list[str] = []
    channels: list[str] = []
    pins: list[str] = []
    cell_units: dict[str, str] = {}
    where: list[str] = []
    trace: bool = False
    cranks: bool = False
    look: bool = False
    on_part: bool = False
    blocks: bool = False
    by_drive: bool = False
    by_vacuum: bool = False
    sweeps: bool = False
    recorded: list[list[str]] = []
    unplugs: bool = False
    about_codes: bool = False
    opens_plug: bool = False
    ticks: list[str] = []
    pin_ticks: dict[str, list[str]] = {}
    stops_it: bool = False
    asks_why: list[str] = []
    asked_with: list[str] = []
    repeats: Annotated[int, Field(ge=1, le=9)] = 1
    stands_in_for: list[str] = []
    adds_nothing_after: list[str] = []
    never: NeverShape | None = None
    clock: tuple[str, str] | None = None
    timed: bool = False
    grid: dict[str, list[str]] = {}
    grid_columns: list[str] = []
    plain: bool = True
    at: dict[str, PointShape] = {}
    taken_in_at: dict[str, list[str]] = {}
    answered_by: list[str] = []

    @property
    def runs(self) -> bool:
        """Whether the engine runs while it is made."""
        return bool({"running", "engine_hot"} & set(self.access))

    @property
    def short_title(self) -> str:
        """The title up to its first comma or colon."""
        return self.title.split(",")[0].split(":")[0]


class SpeaksShape(Shape):
    """`itself`: the test sees the very thing that is wrong; then it misses it as seldom as its witness is
    wrong, and `shows` tells how it looks."""

    fault: str
    shows: dict[str, Chance] = {}
    because: Because
    itself: bool = False
    beside: dict[str, Chance] = {}


class WitnessShape(Shape):
    """How far a way of finding out can be trusted. `wrong_share`: of those that see a state directly, the
    share that is wrong."""

    title: str
    wrong_share: Annotated[float, Field(gt=0, lt=0.2)] | None = None
    false_alarm: Annotated[float, Field(gt=0, lt=0.2)]
    unlisted: Annotated[float, Field(gt=0, lt=0.5)]
    repeats: Annotated[float, Field(gt=0, lt=1)]


class ToldApartShape(Shape):
    """An outcome that another test of the same part tells apart: by what that one came to, on one `channel`
    of it where it has several, its new name."""

    by: str
    channel: str = ""
    into: dict[str, str]


class FindingShape(Shape):
    """`part`: the kind of part whose own state it reads, cylinder by cylinder: what is read at the part
    itself then decides over what is read of it from afar. `whole`: it is made of the verdict over all points
    together, which stands at this point; single points conclude nothing of the whole. `unless`: it is silent
    once this other finding of its test has come to something. `lasting`: it is found whether or not the
    complaint is there, since it is seen on the part, or brought about by the test; left out, what is seen
    lasts and what is measured is of its moment. `told_apart`: outcomes that another test of the part makes
    more of: a valve that stands, by where it stands. `by_state`: what it comes to in each state of the part
    with its wire; the faults of that line then need no rows but for what befalls all lines at once. `alike`:
    what a whole set that is bad and reads alike speaks for and against: parts do not tire alike. `shared`: it
    reads what all cylinders share as well as what each has of its own; bad at all of them, it speaks by its
    `all_` outcomes, whatever single parts read at themselves."""

    name: str
    part: str | None = None
    whole: str | None = None
    unless: str | None = None
    lasting: bool | None = None
    told_apart: dict[str, ToldApartShape] = {}
    by_state: dict[str, dict[str, Chance]] = {}
    reach: list[str] = []
    how: str
    outcomes: Annotated[list[str], Field(min_length=2)]
    general: dict[str, Chance] = {}
    well: dict[str, Chance] = {}
    points: list[str] = []
    nodes: list[str] = []
    unsaid: bool = False
    channels: list[str] = []
    hot: bool | None = None
    dosing: bool | None = None
    needs: dict[str, list[CardValue]] = {}
    covers: Literal["cylinders", "batteries", "suspect_plugs"] | None = None
    between: dict[str, tuple[Chance, Because]] = {}
    shared: bool = False
    alike: dict[str, tuple[Annotated[float, Field(ge=0.05, le=20)], Because]] = {}
    speaks: list[SpeaksShape]


class BenchShape(Shape):
    """What stands on a bench. `steps`: its tests, each with its part where it has one. `cleans`: what is
    cleaned there, as part, words and the repair it is. `asks_turbo`: whether it asks if it is the part or the
    turbo. `needs`: what the engine card must have."""

    title: str
    says: str
    steps: Annotated[list[tuple[str, str]], Field(min_length=1)]
    cleans: list[tuple[str, str, str]] = []
    asks_turbo: bool = False
    needs: dict[str, list[CardValue]] = {}


class CodeGroupShape(Shape):
    """`follows_unless`: what a test comes to when a code of the group cannot follow from those others: too
    little does not flow because a valve stands open. `clears`: what a code of the group rules out, so many
    times as likely; `of_all`: the same, while its codes do not name every cylinder: what all of them share
    would name all. `latches`: once something was repaired, and none of the groups it follows is there, a code
    of the group is a latch that waits for its reset: the fault that is, and how many times as likely. `line`,
    `by_state`: as of a symptom."""

    title: str
    general: Chance
    refined: dict[str, str] = {}
    follows: list[str] = []
    follows_unless: dict[str, list[str]] = {}
    line: str = ""
    by_state: dict[str, Chance] = {}
    of: list[str] = []
    speaks: dict[str, tuple[Chance, Because]] = {}
    clears: dict[str, tuple[Annotated[float, Field(ge=0.05, lt=1)], Because]] = {}
    of_all: dict[str, tuple[Annotated[float, Field(ge=0.05, lt=1)], Because]] = {}
    latches: tuple[str, Annotated[float, Field(gt=1, le=1000)]] | None = None


class WordingShape(Shape):
    """What the scan tool's own words beside codes of some groups say more: any of `words` in its text."""

    groups: Annotated[list[str], Field(min_length=1)]
    words: Annotated[list[str], Field(min_length=1)]
    moves: dict[str, tuple[Annotated[float, Field(ge=0.1, le=10)], Because]]


class StatusShape(Shape):
    """What the kind and the status of a code say more: how many times as seldom it is set by nothing (`own`),
    and how many times as likely it makes what only leaves codes (`left`). `kinds`, `statuses`: of which
    codes; empty: any."""

    kinds: list[str] = []
    statuses: list[str] = []
    own: tuple[Annotated[float, Field(gt=1, le=20)], Because]
    left: dict[str, tuple[Annotated[float, Field(ge=0.05, lt=1)], Because]] = {}


CodeId = Annotated[str, Field(pattern=r"^[PBCU][0-3][0-9A-F]{3}$")]
CodeKind = Literal["circuit", "range", "performance", "plausibility", "communication", "limit"]


class CodeFamilyShape(Shape):
    first: CodeId
    last: CodeId
    starts_at: int
    step: Annotated[int, Field(ge=1)] = 1
    title: str
    system: str
    kind: CodeKind
    group: str


class CodesFile(Shape):
    groups: dict[str, CodeGroupShape]
    codes: dict[CodeId, tuple[str, CodeKind, str, str]] = {}
    families: list[CodeFamilyShape] = []


class FigureShape(Shape):
    """A figure that judges. `general`: used when the engine card has none. `low`, `high`: what a card may
    say. `standard`: the public standard it is from, said instead of calling it general. `card`: its key on
    the engine card. `ask`: whether the form of the card asks for it."""

    title: str
    unit: str
    general: float | None = None
    low: float = 0.0
    high: float
    source: Annotated[str, Field(max_length=160)] = ""
    standard: str = ""
    card: str = ""
    ask: bool = False
    area: str = ""

    @model_validator(mode="before")
    @classmethod
    def _bounded(cls, row: Any) -> Any:
        """What a card may say, where the row does not: up to ten times the general figure."""
        if isinstance(row, dict) and "high" not in row and isinstance(row.get("general"), int | float):
            return row | {"high": 10 * row["general"]}
        return row

    @model_validator(mode="after")
    def _inside(self) -> "FigureShape":
        if not self.low < self.high:
            raise ValueError(f"low {self.low:g} must lie under high {self.high:g}")
        if self.general is not None and not self.low <= self.general <= self.high:
            raise ValueError(f"general {self.general:g} lies outside {self.low:g} to {self.high:g}")
        return self


class TableShape(Shape):
    """A figure that hangs on another one, straight between its points and level beyond them."""

    title: str
    unit: str
    table: Annotated[list[tuple[float, float]], Field(min_length=2)]
    source: Annotated[str, Field(max_length=160)] = ""


class ChoiceShape(Shape):
    title: str
    choices: list[str]
