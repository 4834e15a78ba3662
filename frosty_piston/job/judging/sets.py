"""Readings gathered before they are judged: as a set of cylinders, or as the figures of one act."""

from collections.abc import Callable, Sequence
from typing import Any

from frosty_piston.core.quantity import Judgement
from frosty_piston.job.entries import Entry

from .readings import Readings
from .result import Result, where_of

UNFINISHED = "Figures are missing: {}."
HALF = 0.5


def hot(entry: Entry) -> bool:
    return bool(entry.data.conditions and entry.data.conditions.part_hot)


def result(entry: Entry, judged: Judgement, **more: Any) -> Result:
    return Result(entry.data.test, where_of(entry.data.where), judged, (entry.id,), hot=hot(entry), **more)


def as_set(
    readings: Readings, latest: list[Entry], unit: str, judged: Callable[[Sequence[float]], list[Judgement]]
) -> list[Result]:
    """Judge all readings of one test against each other; hot and cold parts are sets of their own."""
    results = []
    for warm in (False, True):
        of_set = [x for x in latest if x.kind == "reading" and hot(x) == warm and x.data.is_figure]
        if of_set:
            results += [
                result(entry, judgement)
                for entry, judgement in zip(
                    of_set, judged([readings.value(x, unit) or 0.0 for x in of_set]), strict=True
                )
            ]
    return results


def figures(entry: Entry, *names: str) -> list[float | None]:
    """The named figures of one act, None where one was not noted."""
    given = entry.data.figures or {}
    return [float(given[n]) if n in given and not isinstance(given[n], bool) else None for n in names]


def unfinished(entry: Entry, *missing: str) -> Result:
    words = ", ".join(m.replace("_", " ") for m in missing)
    return result(
        entry,
        Judgement("unclear", "unclear", None, unit=None, uncertainty=None, because=UNFINISHED.format(words)),
        left=HALF,
    )
