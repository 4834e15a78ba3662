"""Voltage drop along a loaded circuit, stretch by stretch from the battery to the load and back by the
ground."""

from collections.abc import Mapping
from dataclasses import dataclass

from .limits import Limit
from .quantity import plain
from .wiring import WiringLimits

FEED_SIDE = ("stud", "feed", "fuse", "relay", "wire", "connector")
STRETCHES = {
    "stud": "Battery post or stud",
    "feed": "Wire to the fuse box",
    "fuse": "Fuse, leg to leg",
    "relay": "Relay contacts",
    "wire": "Wire to the plug",
    "connector": "Plug",
    "ground": "Ground, back to the post",
}


@dataclass(frozen=True, slots=True)
class Stair:
    """One stretch: its id, the drop in V with what is allowed, and what stands before it in V."""

    stretch: str
    drop_v: float
    budget_v: float
    before_v: float

    @property
    def over(self) -> bool:
        return self.drop_v > self.budget_v


@dataclass(frozen=True, slots=True)
class Staircase:
    """The stretches that were measured in their order, and what they come to in a sentence."""

    stairs: tuple[Stair, ...]
    says: str


def budget_of(stretch: str, limits: WiringLimits) -> Limit:
    """Return what one stretch may lose.

    Parameters: `stretch`: an id of `STRETCHES`; anything else counts as a whole feed; `limits`: the limits of
    the area. Source: the general budget: feed 0.2 V, ground 0.1 V, one connection 0.05 V, a high-current stud
    0.3 V.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(WiringLimits)
    >>> [float(budget_of(s, limits)) for s in ("wire", "ground", "fuse", "stud")]
    [0.2, 0.1, 0.05, 0.3]
    """
    if stretch == "ground":
        return limits.ground_drop_v
    if stretch == "stud":
        return limits.stud_drop_v
    return limits.joint_drop_v if stretch in ("fuse", "relay", "connector") else limits.feed_drop_v


def staircase(drops: Mapping[str, float], limits: WiringLimits) -> Staircase:
    """Return the staircase of a circuit from the drops of its stretches: what each takes, which takes too
    much, and whether the feed as a whole does though each of its stretches is within its own.

    Parameters: `drops`: V by stretch, those measured; unknown ones are left out; `limits`: the limits of the
    area. Source: Kirchhoff's voltage law.

    >>> from frosty_piston.knowledge.figures import general
    >>> limits = general(WiringLimits)
    >>> staircase({"fuse": 0.02, "connector": 0.9}, limits).says
    'Plug takes 0.9 V; 0.05 V is allowed. Look there first.'
    >>> staircase({"feed": 0.12, "wire": 0.15}, limits).says
    'Each is within its own, together the feed loses 0.27 V; 0.2 V is allowed.'
    """
    stairs = []
    gone = 0.0
    for stretch in STRETCHES:
        if stretch in drops:
            stairs.append(Stair(stretch, drops[stretch], float(budget_of(stretch, limits)), gone))
            gone += drops[stretch]
    over = sorted((s for s in stairs if s.over), key=lambda s: s.budget_v - s.drop_v)
    feed = sum(s.drop_v for s in stairs if s.stretch in FEED_SIDE and s.stretch != "stud")
    if over:
        also = "".join(f" Then {STRETCHES[s.stretch].lower()}, {plain(s.drop_v)} V." for s in over[1:])
        worst = over[0]
        says = (
            f"{STRETCHES[worst.stretch]} takes {plain(worst.drop_v)} V; {plain(worst.budget_v)} V is"
            f" allowed. Look there first.{also}"
        )
    elif feed > limits.feed_drop_v:
        says = (
            f"Each is within its own, together the feed loses {plain(feed)} V;"
            f" {plain(limits.feed_drop_v)} V is allowed."
        )
    elif stairs:
        says = f"All that was measured is within its budget: {plain(gone)} V in all."
    else:
        says = "Measure stretch by stretch with the circuit loaded: the step that is too high is the place."
    return Staircase(tuple(stairs), says)
