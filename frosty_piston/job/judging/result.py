"""A judgement with its place on the job."""

from collections.abc import Iterable
from dataclasses import dataclass

from frosty_piston.core.quantity import Judgement
from frosty_piston.core.words import spoken
from frosty_piston.job.entries import Where

SEVERITY = ("sound", "unclear", "implausible", "marginal", "failed")
POINT_WORDS = {
    "relay_connector": "the relay connector",
    "harness_connector": "the harness connector",
    "plug": "the plug",
}


@dataclass(frozen=True)
class Result:
    """A judgement with its place on the job: test, where, the entries it rests on; heat where it is a plug.
    `counts`: how fully it clears when it is good. `beside`: one of several things that a look may find.
    `left`: the share of the test that must still be read before it concludes anything. `shades`: what it
    would be called a little lower and higher, each with its share of the edge; empty where that is one
    thing."""

    test: str
    where: dict[str, object]
    judgement: Judgement
    entries: tuple[str, ...]
    share: float | None = None
    power_w: float | None = None
    hot: bool = False
    dosing: bool | None = None
    counts: float = 1.0
    beside: bool = False
    energised: bool | None = None
    left: float = 0.0
    shades: tuple[tuple[float, Judgement], ...] = ()


def where_of(where: Where) -> dict[str, object]:
    return where.model_dump(exclude_none=True)


def place(verdict: Result) -> str:
    """Say where in words: 'cylinder 2 at the harness connector'."""
    where = verdict.where
    words = []
    if "cylinder" in where:
        words.append(f"cylinder {where['cylinder']}")
    if "point" in where:
        point = str(where["point"])
        words.append(f"at {POINT_WORDS[point]}" if point in POINT_WORDS else spoken(point))
    words += [spoken(str(where[key])) for key in ("bank", "node", "pin", "channel") if key in where]
    return " ".join(words)


def same_place(verdict: Result) -> tuple[object, ...]:
    """What makes two verdicts one of the same place: test, where, hot or cold, dosing or not, with power or
    not."""
    where = tuple(sorted((key, str(value)) for key, value in verdict.where.items()))
    return (verdict.test, where, verdict.hot, verdict.dosing, verdict.energised)


def latest_of_each(times: Iterable[list[Result]]) -> list[Result]:
    """What the last time says of every place, in its order: one verdict, or each thing that one look
    found."""
    results: dict[tuple[object, ...], list[Result]] = {}
    for verdicts in times:
        of_time: dict[tuple[object, ...], list[Result]] = {}
        for v in verdicts:
            of_time[same_place(v)] = [*(of_time.get(same_place(v), []) if v.beside else []), v]
        for key, found in of_time.items():
            results.pop(key, None)
            results[key] = found
    return [v for found in results.values() for v in found]


def worse(verdict: Result, other: Result | None) -> bool:
    """Whether one verdict on a place is worse than another."""
    return other is None or SEVERITY.index(verdict.judgement.verdict) > SEVERITY.index(
        other.judgement.verdict
    )
