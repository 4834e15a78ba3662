"""The shapes of the knowledge files."""

from typing import Annotated, Any, Literal

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
    """`parts`: the only parts at which it holds; empty: wherever a test or a step names it."""

    title: str
    tick: bool
    says: str
    parts: list[str] = []


class FaultShape(Shape):
    title: str
    part: str
    per_thousand: Annotated[float, Field(gt=0, lt=500)]
    shows: Because
    needs: dict[str, list[CardValue]] = {}
    killed_by: dict[str, tuple[Chance, Because]] = {}
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
    opens_plug: bool = False
    ticks: list[str] = []
    pin_ticks: dict[str, list[str]] = {}
    stops_it: bool = False
    asks_why: list[str] = []
    asked_with: list[str] = []
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
    fault: str
    shows: dict[str, Chance]
    because: Because
    beside: dict[str, Chance] = {}


class WitnessShape(Shape):
    """How far a way of finding out can be trusted."""

    title: str
    false_alarm: Annotated[float, Field(gt=0, lt=0.2)]
    unlisted: Annotated[float, Field(gt=0, lt=0.5)]
    repeats: Annotated[float, Field(gt=0, lt=1)]


class FindingShape(Shape):
    name: str
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
    title: str
    general: Chance
    refined: dict[str, str] = {}
    follows: list[str] = []
    of: list[str] = []
    speaks: dict[str, tuple[Chance, Because]] = {}
    clears: dict[str, tuple[Annotated[float, Field(ge=0.05, lt=1)], Because]] = {}


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
