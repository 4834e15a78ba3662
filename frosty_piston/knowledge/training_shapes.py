"""The shapes of what can be trained: lessons, what ends an exercise, pieces that go missing."""

from collections.abc import Collection
from typing import Annotated, Literal

from pydantic import Field

from frosty_piston.core.errors import BadKnowledge

from .reader import Reader
from .shapes import Shape

FILE = "training.toml"

LESSONS = 32
ROOMS = ("faults", "tests", "cautions")


class LessonShape(Shape):
    """Something to train. `number`: its own for good; `faults`, `system`: what may be wrong, nothing:
    anything; `count`: how many faults, None: as chance has it; `shelf`: where on the Shelf it is written."""

    number: Annotated[int, Field(ge=0, lt=LESSONS)]
    kind: Literal["any", "trap", "system"]
    title: str
    says: str = ""
    system: str = ""
    faults: list[str] = []
    count: Annotated[int, Field(ge=0, le=2)] | None = None
    cleared: bool = False
    altitude_m: Annotated[float, Field(ge=-400, le=5000)] | None = None
    learn: str = ""
    shelf: str = ""


class EndingShape(Shape):
    """What ends an exercise, by the caution that would have held."""

    caution: str
    says: str
    learn: str


class PieceShape(Shape):
    """A piece that goes missing: by what is opened, how likely, and what it takes to find it."""

    opened_by: list[str] = []
    chance: Annotated[float, Field(ge=0, le=1)]
    says: str
    does: str
    minutes: Annotated[float, Field(gt=0, le=600)]


class TrainingShape(Shape):
    lessons: dict[str, LessonShape]
    endings: dict[str, EndingShape]
    pieces: dict[str, PieceShape]


def read_training(
    reader: Reader,
    systems: Collection[str],
    faults: Collection[str],
    tests: Collection[str],
    cautions: Collection[str],
    access: Collection[str],
) -> TrainingShape:
    """Read what can be trained. Raises BadKnowledge with file, key and reason."""
    training: TrainingShape = reader.read(FILE, TrainingShape)
    numbers: dict[int, str] = {}
    for key, lesson in training.lessons.items():
        path = ["lessons", key]
        if (other := numbers.setdefault(lesson.number, key)) != key:
            raise BadKnowledge(reader.says(FILE, path, f"the number {lesson.number} is {other}'s already"))
        reader.all_known(FILE, [*path, "faults"], lesson.faults, faults)
        reader.all_known(FILE, [*path, "system"], filter(None, [lesson.system]), systems)
        room, _, page = lesson.shelf.partition("/")
        reader.known(FILE, [*path, "shelf"], room or "tests", ROOMS)
        if page:
            reader.known(FILE, [*path, "shelf"], page, faults if room == "faults" else tests)
    for key, ending in training.endings.items():
        reader.known(FILE, ["endings", key, "caution"], ending.caution, cautions)
    for key, piece in training.pieces.items():
        reader.all_known(FILE, ["pieces", key, "opened_by"], piece.opened_by, access)
    return training
