"""A plug measured pin by pin in one pass: which wire, joint or module it points at."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

NETWORK = ("high", "low", "pair")
GOOD = ("present", "sound")


@dataclass(frozen=True, slots=True)
class PointsAt:
    """What a plug points at: in short, and why."""

    what: str
    because: str


@dataclass(frozen=True, slots=True)
class Unplugged:
    """A module that was unplugged to find what is wrong with the pair: what it came to, and why."""

    module: str
    cls: str
    because: str


def points_at(found: Mapping[str, str], fuse: str = "", unplugged: Sequence[Unplugged] = ()) -> PointsAt:
    """Return what the pins of a plug point at, the feed before the ground, both before what hangs on them.

    Parameters: `found`: by pin (`supply`, `ground`, `reference`, `high`, `low`, `pair`) the class of its
    verdict; pins that were not measured are left out; `fuse`: what fuse and relay were found to be, empty
    when nobody looked; `unplugged`: the modules that were unplugged with the pair read again. Source: the
    order of a wiring diagnosis: feed under load, ground under load, then signal.

    >>> points_at({"supply": "missing"}).what, points_at({"supply": "missing"}, "sound").what
    ('Fuse and relay first', 'The feed wire')
    >>> points_at({"supply": "present", "ground": "present"}).what
    'The part itself, or its signal'
    """
    if fuse in ("blown", "relay_dead", "corroded"):
        return PointsAt("The fuse or relay", "It was found bad: nothing behind it can be judged before that.")
    for pin, says in (("supply", _feed(found, fuse)), ("ground", _ground(found))):
        if says is not None:
            return says
        if found.get(pin) not in GOOD:
            return PointsAt(
                f"Measure the {pin} first" if pin not in found else f"The {pin} is not clear yet",
                "Across supply and ground, loaded, the battery in the same minute: a part without feed tells"
                " nothing.",
            )
    return _signal(found, unplugged)


def _pair(unplugged: Sequence[Unplugged]) -> PointsAt:
    """What unplugging module by module told of a pair whose resistance is wrong."""
    told = [
        u for cls in ("was_it", "one_of_three", "holds_one", "none_here") for u in unplugged if u.cls == cls
    ]
    if not told:
        return PointsAt(
            "The pair or its terminators",
            "Feed and ground are right, and the resistance is not: unplug the modules one by one and read it"
            " again.",
        )
    what = {
        "was_it": told[0].module,
        "one_of_three": "One terminator too many",
        "holds_one": "The terminator at the other end",
    }
    return PointsAt(what.get(told[0].cls, "A terminator"), " ".join(u.because for u in told))


def _feed(found: Mapping[str, str], fuse: str) -> PointsAt | None:
    if found.get("supply") == "missing":
        if not fuse:
            return PointsAt("Fuse and relay first", "No supply arrives: look at them before the wire.")
        return PointsAt("The feed wire", "No supply arrives, and fuse and relay are sound.")
    if found.get("supply") == "low":
        return PointsAt(
            "A joint in the feed",
            "It arrives, and loses too much on the way: follow the drop toward the battery.",
        )
    return None


def _ground(found: Mapping[str, str]) -> PointsAt | None:
    if found.get("ground") in ("missing", "low"):
        return PointsAt("The ground wire or its point", "The feed is there, and the way back is not.")
    return None


def _signal(found: Mapping[str, str], unplugged: Sequence[Unplugged]) -> PointsAt:
    """What is left when feed and ground are right."""
    if found.get("reference") in ("missing", "low"):
        return PointsAt(
            "The reference, or a sensor that shares it",
            "Feed and ground are right: unplug the sensors that share it one by one; where it comes back,"
            " that one pulled it down.",
        )
    bad = [p for p in NETWORK if found.get(p) in ("off", "open_or_short")]
    if "pair" in bad:
        return _pair(unplugged)
    if bad:
        return PointsAt(
            "The network wires", f"Feed and ground are right; {' and '.join(bad)} of the pair read wrong."
        )
    network = [p for p in NETWORK if found.get(p) in GOOD]
    right = (
        "feed, ground" + (", reference" if "reference" in found else "") + (", network" if network else "")
    )
    return PointsAt("The part itself, or its signal", f"Right at this plug: {right}.")
