"""The parts of a vehicle: each is one table in `parts/`, faults and tests name the part they belong to."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from .finding import TestFinding
from .reader import Reader
from .shapes import CardValue, FaultShape, Shape, TestShape


class DriveShape(Shape):
    """What drives a part. `by`: the card's field that says it. `command`, `position`: its channels of a
    recording, `volts` a position that is not in percent. `closed`: the figure that counts as shut."""

    by: str
    command: str = ""
    position: str = ""
    volts: str = ""
    closed: str = ""

    @property
    def all(self) -> set[str]:
        """Every channel that is its own."""
        return {c for c in (self.command, self.position, self.volts) if c}

    def channels(self, recorded: Collection[str]) -> tuple[str, str, bool] | None:
        """Command and position among some channels, and whether the position is in percent; None when one is
        missing."""
        if not self.command or self.command not in recorded:
            return None
        if self.position in recorded:
            return self.command, self.position, True
        return (self.command, self.volts, False) if self.volts in recorded else None


class NamedShape(Shape):
    """What a reading calls a part: the words that people type, the longest that fits decides; what the engine
    card must have. `title` where it is not the part's."""

    words: Annotated[list[str], Field(min_length=1)]
    title: str = ""
    needs: dict[str, list[CardValue]] = {}


class PartShape(Shape):
    """A part as its table stands. `readings`: of a test that reads several channels, those of this part."""

    title: str
    cylinder: bool = False
    readings: dict[str, list[str]] = {}
    drive: DriveShape | None = None
    named: dict[str, NamedShape] = {}


@dataclass(frozen=True)
class Part:
    """A part with what can be wrong with it, and the tests that are made at it, the most telling first."""

    id: str
    title: str
    faults: tuple[str, ...]
    tests: tuple[str, ...]
    cylinder: bool
    readings: Mapping[str, list[str]]
    drive: DriveShape | None


@dataclass(frozen=True)
class Node:
    """A part as a reading names it."""

    title: str
    words: tuple[str, ...]
    part: str
    needs: Mapping[str, list[CardValue]]


def read_parts(
    reader: Reader,
    systems: Collection[str],
    faults: Mapping[str, FaultShape],
    fault_system: Mapping[str, str],
    tests: Mapping[str, TestShape],
) -> dict[str, PartShape]:
    """The part tables in the order of the systems, with all that names one checked."""
    shapes: dict[str, PartShape] = {}
    there = set(reader.many("parts"))
    for system in systems:
        if (name := f"parts/{system}.toml") in there:
            shapes |= reader.read(name, dict[str, PartShape])
    for key, fault in faults.items():
        reader.known(f"faults/{fault_system[key]}.toml", [key, "part"], fault.part, shapes)
    for key, test in tests.items():
        reader.all_known("tests.toml", [key, "parts"], test.parts, shapes)
    return shapes


def joined(
    shapes: Mapping[str, PartShape],
    faults: Mapping[str, FaultShape],
    tests: Mapping[str, TestShape],
    findings: Mapping[str, list[TestFinding]],
) -> dict[str, Part]:
    """Each part with its faults and its tests."""
    parts = {}
    for key, shape in shapes.items():
        mine = tuple(f for f, fault in faults.items() if fault.part == key)
        at_it = [t for t, test in tests.items() if key in test.parts]
        telling = tuple(sorted(at_it, key=lambda t: -_tells(findings.get(t, []), mine)))
        parts[key] = Part(key, shape.title, mine, telling, shape.cylinder, shape.readings, shape.drive)
    return parts


def _tells(findings: list[TestFinding], faults: tuple[str, ...]) -> float:
    """How many times likelier the most telling outcome of a test is with a fault of some than in general."""
    return max(
        (
            float((row[1:] / known.finding.general[1:]).max())
            for known in findings
            for fault in faults
            if (row := known.finding.shows.get(fault)) is not None
        ),
        default=0.0,
    )


def nodes_of(shapes: Mapping[str, PartShape]) -> dict[str, Node]:
    """What readings name, by id."""
    return {
        node: Node(named.title or shape.title, tuple(named.words), key, named.needs)
        for key, shape in shapes.items()
        for node, named in shape.named.items()
    }
