"""Reset plans: their steps in an order that holds, and why an order does not."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Misplaced:
    """A step that stands before one it comes after."""

    step: str
    after: str


def in_order(after: Mapping[str, Sequence[str]]) -> list[str]:
    """Return the steps of a plan in an order in which each comes after what it needs; where the needs leave
    it free, in the order given.

    Parameters: `after`: for each step those that come before it; names that are no step are passed over.
    Raises ValueError, with the steps that wait for each other, when there is a cycle. Source: topological
    sorting by dependency.

    >>> in_order({"clear": ["inhibit"], "monitor": [], "inhibit": ["monitor"]})
    ['monitor', 'inhibit', 'clear']
    >>> in_order({"a": ["b"], "b": ["a"], "c": []})
    Traceback (most recent call last):
    ...
    ValueError: a, b
    """
    placed: list[str] = []
    waiting = list(after)
    while waiting:
        free = next((s for s in waiting if not set(after[s]) & set(waiting)), None)
        if free is None:
            raise ValueError(", ".join(_circle(after, waiting)))
        placed.append(free)
        waiting.remove(free)
    return placed


def _circle(after: Mapping[str, Sequence[str]], waiting: Sequence[str]) -> list[str]:
    """The steps of one circle among those that wait, in the order given."""
    way = [waiting[0]]
    while True:
        step = next(s for s in after[way[-1]] if s in waiting)
        if step in way:
            circle = set(way[way.index(step) :])
            return [s for s in waiting if s in circle]
        way.append(step)


def misplaced(order: Sequence[str], after: Mapping[str, Sequence[str]]) -> list[Misplaced]:
    """Return which steps of an order stand before one that they come after.

    Parameters: `order`: the steps as they would be done; `after`: for each step those that come before it.

    >>> misplaced(["clear", "monitor"], {"clear": ["monitor"], "monitor": []})
    [Misplaced(step='clear', after='monitor')]
    >>> misplaced(["monitor", "clear"], {"clear": ["monitor"], "monitor": []})
    []
    """
    at = {step: n for n, step in enumerate(order)}
    return [
        Misplaced(step, before)
        for step in order
        for before in after.get(step, ())
        if before in at and at[before] > at[step]
    ]
