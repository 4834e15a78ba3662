"""The shapes of circuit.toml: the kinds of parts of a vacuum circuit, and what makes its hoses leak."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from frosty_piston.core.circuit import PartKind

from .reader import Reader

Odds = Annotated[float, Field(gt=0, le=100)]
Minutes = Annotated[float, Field(gt=0, le=240)]


class KindShape(BaseModel):
    """A kind of part: its ports by side, its volume, its odds, how long it takes to reach, the fault that it
    stands for and the test that is opened when it is pressed."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    title: str
    toward: tuple[str, ...] = ()
    outward: tuple[str, ...] = ()
    either: tuple[str, ...] = ()
    vents: tuple[str, ...] = ()
    gives: bool = False
    one_way: bool = False
    stores: bool = False
    shut_without_power: bool = False
    volume_ml: Annotated[float, Field(ge=0, le=20_000)]
    odds: Odds
    access_min: Minutes
    fault: str
    test: str
    driving_turbo: str = ""
    open_air: bool = False

    @property
    def part_kind(self) -> PartKind:
        """The kind as the core reads it."""
        return PartKind(
            self.title,
            self.toward,
            self.outward,
            either=self.either,
            vents=self.vents,
            gives=self.gives,
            one_way=self.one_way,
            stores=self.stores,
            volume_ml=self.volume_ml,
            open_air=self.open_air,
        )


class HoseShape(BaseModel):
    """What makes a hose leak: its odds, what a year adds, what heat and the last hands make of it; minutes to
    reach it and to pump."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    odds: Odds
    a_year: Annotated[float, Field(ge=0, le=10)]
    last_hands: Odds
    access_min: Minutes
    pumping_min: Minutes
    heat: dict[str, Odds]

    def odds_of(self, heat: str | None, age_years: float | None, last_hands: bool) -> float:
        """The odds of one hose beside others.

        >>> shape = HoseShape(
        ...     odds=3, a_year=0.1, last_hands=8, access_min=5, pumping_min=3, heat={"exhaust": 3}
        ... )
        >>> (
        ...     shape.odds_of(None, None, False),
        ...     shape.odds_of("exhaust", 10, False),
        ...     shape.odds_of(None, 0, True),
        ... )
        (3.0, 18.0, 24.0)
        """
        aged = self.odds * (1 + self.a_year * (age_years or 0.0))
        return aged * self.heat.get(heat or "", 1.0) * (self.last_hands if last_hands else 1.0)


Share = Annotated[float, Field(gt=0, lt=1)]


class LeaksShape(BaseModel):
    """How leaks show, and which faults the hoses stand for."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    seen: Share
    behind_valve: Share
    gross_off: Share
    off_alone: Share
    gross: Share
    looked: Share
    looks_off: tuple[Share, Share, Share]
    looks_split: tuple[Share, Share, Share]
    looks_either: tuple[Share, Share, Share]
    clears_from: Share
    usual_ml: Annotated[float, Field(gt=0)]
    absent: Share
    found_from: Share
    off: tuple[str, ...]
    stop_line: str
    hose: tuple[str, ...]


class CircuitShape(BaseModel):
    """circuit.toml."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    kinds: dict[str, KindShape]
    hose: HoseShape
    leaks: LeaksShape

    @property
    def part_kinds(self) -> dict[str, PartKind]:
        return {key: kind.part_kind for key, kind in self.kinds.items()}


def read_circuit(reader: Reader, faults: object, tests: object) -> CircuitShape:
    """Read circuit.toml; faults and tests of its kinds stand in their files. Raises BadKnowledge."""
    shape: CircuitShape = reader.read("circuit.toml", CircuitShape)
    for key, kind in shape.kinds.items():
        reader.known("circuit.toml", ["kinds", key, "fault"], kind.fault, faults)
        reader.known("circuit.toml", ["kinds", key, "test"], kind.test, tests)
        if kind.driving_turbo:
            reader.known("circuit.toml", ["kinds", key, "driving_turbo"], kind.driving_turbo, faults)
    named = (*shape.leaks.off, shape.leaks.stop_line, *shape.leaks.hose)
    reader.all_known("circuit.toml", ["leaks"], named, faults)
    return shape
