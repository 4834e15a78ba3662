"""How firmly a figure stands in its class: what it would be called a little lower and a little higher."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace

from frosty_piston.core.quantity import Judgement
from frosty_piston.job.entries import Entry
from frosty_piston.job.units import convert
from frosty_piston.knowledge.shapes import EdgeShape, TestShape

from .result import Result, same_place

# Halves of halves on each side of what was read: a class is found to a sixteenth of the edge.
DEPTH = 4
Judged = dict[tuple[object, ...], Judgement]
At = Callable[[float], Judged]


def shifted(entry: Entry, shape: TestShape, by: float) -> Entry:
    """An entry with its figures moved by so much of the edge of its test, -1 to 1."""
    data = entry.data
    if entry.kind == "reading":
        edge = shape.edges.get("value")
        if edge is None or isinstance(data.value, str):
            return entry
        value = _moved(data.value, edge, by, (data.unit, shape.units[0]))
        return replace(entry, data=data.model_copy(update={"value": value}))
    given = data.figures or {}
    moved = {
        name: _moved(float(given[name]), edge, by)
        for name, edge in shape.edges.items()
        if name in given and not isinstance(given[name], bool)
    }
    return replace(entry, data=data.model_copy(update={"figures": {**given, **moved}})) if moved else entry


def _moved(value: float, edge: EdgeShape, by: float, units: tuple[str, str] | None = None) -> float:
    if edge.share:
        return float(value * (1 + edge.share) ** by)
    if units is None:
        return value + edge.by * by
    typed, of_test = units
    return convert(convert(value, typed, of_test) + edge.by * by, of_test, typed)


def shaded(results: Sequence[Result], judged_at: Callable[[float], Iterable[Result]]) -> list[Result]:
    """Results with their shades: what they would be called over the width of the edge and how large a share
    of it that is. The shares of all of them go together. As they were, where nothing would be called
    otherwise.

    `judged_at`: the results with every figure moved by so much of the edge, -1 to 1.
    """
    here = {same_place(v): v.judgement for v in results}

    def at(by: float) -> Judged:
        moved = {same_place(v): v.judgement for v in judged_at(by)} if by else {}
        return {place: _called(moved.get(place), was) for place, was in here.items()}

    pieces = [*_pieces(at, (-1.0, 0.0), (at(-1.0), here), DEPTH)]
    pieces += _pieces(at, (0.0, 1.0), (here, at(1.0)), DEPTH)
    together: dict[tuple[str, ...], tuple[float, Judged]] = {}
    for share, judged in pieces:
        before = together.get(_classes(judged), (0.0, judged))
        together[_classes(judged)] = (before[0] + share / 2, judged)
    if len(together) == 1:
        return list(results)
    shares = list(together.values())
    return [replace(v, shades=tuple((s, j[same_place(v)]) for s, j in shares)) for v in results]


def _called(moved: Judgement | None, was: Judgement) -> Judgement:
    """What cannot be is no class of its own beside what was read."""
    return was if moved is None or moved.verdict == "implausible" else moved


def _classes(judged: Judged) -> tuple[str, ...]:
    return tuple(f"{j.verdict} {j.cls}" for j in judged.values())


def _pieces(
    at: At, span: tuple[float, float], ends: tuple[Judged, Judged], depth: int
) -> Iterator[tuple[float, Judged]]:
    """Pieces of a span in which all is called alike, each with its width."""
    (low, high) = span
    if _classes(ends[0]) == _classes(ends[1]) or depth == 0:
        yield (high - low) / 2, ends[0]
        yield (high - low) / 2, ends[1]
        return
    middle = (low + high) / 2
    between = at(middle)
    yield from _pieces(at, (low, middle), (ends[0], between), depth - 1)
    yield from _pieces(at, (middle, high), (between, ends[1]), depth - 1)
