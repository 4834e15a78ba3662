"""Readings gathered before they are judged: as a set of cylinders, or as the figures of one act."""

from collections.abc import Callable, Sequence
from typing import Any

from frosty_piston.core.quantity import Judgement

from .. import entries as e
from ..readings import Readings
from ..verdict import Verdict, where_of

UNFINISHED = "Figures are missing: {}."


def hot(entry: e.Entry) -> bool:
    return bool(entry.data.conditions and entry.data.conditions.part_hot)


def verdict(entry: e.Entry, judged: Judgement, **more: Any) -> Verdict:
    return Verdict(entry.data.test, where_of(entry.data.where), judged, (entry.id,), hot=hot(entry), **more)


def as_set(
    readings: Readings, latest: list[e.Entry], unit: str, judged: Callable[[Sequence[float]], list[Judgement]]
) -> list[Verdict]:
    """Judge all readings of one test against each other; hot and cold parts are sets of their own."""
    found = []
    for warm in (False, True):
        of_set = [x for x in latest if x.kind == "reading" and hot(x) == warm and x.data.value != "OL"]
        if of_set:
            found += [
                verdict(x, j)
                for x, j in zip(of_set, judged([readings.value(x, unit) or 0.0 for x in of_set]), strict=True)
            ]
    return found


def figures(entry: e.Entry, *names: str) -> list[float | None]:
    """The named figures of one act, None where one was not noted."""
    given = entry.data.figures or {}
    return [float(given[n]) if n in given and not isinstance(given[n], bool) else None for n in names]


def unfinished(entry: e.Entry, *missing: str) -> Verdict:
    words = ", ".join(m.replace("_", " ") for m in missing)
    return verdict(entry, Judgement("unclear", "unclear", None, None, None, UNFINISHED.format(words)))
