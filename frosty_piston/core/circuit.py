"""A vacuum circuit: parts, their ports, the hoses between; what hangs on what, and what is joined wrongly."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

BORE_MM = 3.5
LENGTH_MM = 500.0


@dataclass(frozen=True, slots=True)
class PartKind:
    """What every part of a kind has: its ports by side (toward the pump, outward, without a side, to the
    air), whether vacuum comes from it, whether it passes one way only or stores, its volume in ml, and
    whether it is the open air itself."""

    title: str
    toward: tuple[str, ...] = ()
    outward: tuple[str, ...] = ()
    either: tuple[str, ...] = ()
    vents: tuple[str, ...] = ()
    gives: bool = False
    one_way: bool = False
    stores: bool = False
    volume_ml: float = 0.0
    open_air: bool = False

    @property
    def ports(self) -> tuple[str, ...]:
        return (*self.toward, *self.outward, *self.either, *self.vents)


@dataclass(frozen=True, slots=True)
class Part:
    id: str
    kind: str
    title: str


@dataclass(frozen=True, slots=True)
class Hose:
    """A hose between two ports, each a part and the name of its port. Lengths and bores in mm, heat
    `exhaust`, `engine` or `cool`, age in years, access in minutes; None where nobody said."""

    id: str
    start: tuple[str, str]
    end: tuple[str, str]
    length_mm: float | None = None
    bore_mm: float | None = None
    heat: str | None = None
    age_years: float | None = None
    access_min: float | None = None
    last_hands: bool = False

    @property
    def volume_ml(self) -> float:
        """What it holds, by its length and bore; general ones where nobody said."""
        bore = self.bore_mm or BORE_MM
        length = self.length_mm or LENGTH_MM
        return math.pi / 4 * bore**2 * length / 1000


@dataclass(frozen=True, slots=True)
class Circuit:
    parts: tuple[Part, ...]
    hoses: tuple[Hose, ...]


@dataclass(frozen=True, slots=True)
class Run:
    """A hose as it lies from the pump outward: the port it comes from, the port it goes to, and the number of
    the run that it hangs on, -1 at the pump."""

    hose: Hose
    near: tuple[str, str]
    far: tuple[str, str]
    hangs_on: int


@dataclass(frozen=True, slots=True)
class WrongJoint:
    """Something joined wrongly: what, the ids it is about, and in words."""

    what: str
    ids: tuple[str, ...]
    says: str


@dataclass(frozen=True, slots=True)
class Outward:
    """A circuit from the pump outward: its runs in order, the parts that vacuum reaches, and what is joined
    wrongly."""

    runs: tuple[Run, ...]
    reached: frozenset[str]
    wrong: tuple[WrongJoint, ...]


@dataclass
class _Walk:
    """The walk from the pump outward."""

    kinds: Mapping[str, PartKind]
    parts: dict[str, Part]
    at: dict[tuple[str, str], list[Hose]]
    runs: list[Run] = field(default_factory=list)
    came_by: dict[str, tuple[str, int]] = field(default_factory=dict)
    wrong: list[WrongJoint] = field(default_factory=list)
    walked: set[str] = field(default_factory=set)

    def kind(self, part: str) -> PartKind:
        return self.kinds[self.parts[part].kind]

    def goes_on(self, part: str, port: str) -> tuple[str, ...]:
        """The ports from which vacuum goes on, when it came in by one."""
        kind = self.kind(part)
        if port in kind.either:
            return tuple(p for p in (*kind.either, *kind.outward) if p != port)
        if port in kind.toward:
            return (*kind.outward, *kind.either)
        return ()

    def against(self, part: str, port: str, hose: Hose) -> None:
        """Vacuum that comes in at an outward port."""
        kind = self.kind(part)
        title = self.parts[part].title
        if kind.one_way:
            self.wrong.append(
                WrongJoint(
                    "backwards", (part, hose.id), f"{title} is backwards: nothing is drawn through it."
                )
            )
        elif (near := self._outlet_of(hose, part)) is not None:
            says = f"Outlet to outlet: {self.parts[near].title} and {title}."
            self.wrong.append(WrongJoint("outlets", (near, part, hose.id), says))
        else:
            self.wrong.append(
                WrongJoint(
                    "swapped", (part, hose.id), f"{title} gets its vacuum at {port}: its hoses are swapped."
                )
            )

    def _outlet_of(self, hose: Hose, far: str) -> str | None:
        """The part at the other end of a hose, where its outlet is on it; none for a pump."""
        near, port = hose.start if hose.end[0] == far else hose.end
        return near if port in self.kind(near).outward and not self.kind(near).gives else None

    def go(self) -> None:
        todo = [
            (part.id, port, -1)
            for part in self.parts.values()
            if self.kind(part.id).gives
            for port in self.kind(part.id).outward
        ]
        for part, _, _ in todo:
            self.came_by.setdefault(part, ("", -1))
        while todo:
            part, port, on = todo.pop(0)
            for hose in self.at.get((part, port), []):
                if hose.id in self.walked:
                    continue
                self.walked.add(hose.id)
                far = hose.end if hose.start == (part, port) else hose.start
                self.runs.append(Run(hose, (part, port), far, on))
                self.arrives(far, hose, todo)

    def arrives(self, far: tuple[str, str], hose: Hose, todo: list[tuple[str, str, int]]) -> None:
        part, port = far
        kind = self.kind(part)
        n = len(self.runs) - 1
        if kind.gives:
            self.wrong.append(
                WrongJoint("sources", (part, hose.id), f"{self.parts[part].title} is joined to a pump.")
            )
        elif port in kind.outward:
            self.against(part, port, hose)
        elif part not in self.came_by:
            if kind.open_air:
                says = f"{self.parts[part].title} is open to the air: no vacuum builds before it."
                self.wrong.append(WrongJoint("air", (part, hose.id), says))
            self.came_by[part] = (port, n)
            todo += [(part, p, n) for p in self.goes_on(part, port)]


def outward(circuit: Circuit, kinds: Mapping[str, PartKind]) -> Outward:
    """Return how a circuit hangs together from the pump outward, and what is joined wrongly: a port taken
    twice or joined to the air, outlet to outlet, a valve backwards, hoses swapped, parts and loops without a
    source.

    Parameters: `circuit`: parts and hoses; `kinds`: the kinds of parts by id. Raises KeyError for a kind or
    part that is not there. Source: vacuum comes from the pump and goes in at the side toward it.

    >>> kinds = {
    ...     "pump": PartKind("Pump", outward=("out",), gives=True),
    ...     "valve": PartKind("One-way valve", toward=("pump",), outward=("far",), one_way=True),
    ...     "actuator": PartKind("Actuator", toward=("in",)),
    ... }
    >>> parts = (Part("p", "pump", "Pump"), Part("v", "valve", "Valve"), Part("a", "actuator", "Actuator"))
    >>> right = Circuit(parts, (Hose("1", ("p", "out"), ("v", "pump")), Hose("2", ("v", "far"), ("a", "in"))))
    >>> [(r.hose.id, r.hangs_on) for r in outward(right, kinds).runs], outward(right, kinds).wrong
    ([('1', -1), ('2', 0)], ())
    >>> turned = Circuit(
    ...     parts, (Hose("1", ("p", "out"), ("v", "far")), Hose("2", ("v", "pump"), ("a", "in")))
    ... )
    >>> [(w.what, w.ids) for w in outward(turned, kinds).wrong]
    [('backwards', ('v', '1')), ('no_source', ('a',))]
    >>> kinds["end"] = PartKind("Open end", toward=("in",), open_air=True)
    >>> opened = Circuit((*parts, Part("e", "end", "Air box")), (Hose("1", ("p", "out"), ("e", "in")),))
    >>> [w.what for w in outward(opened, kinds).wrong if "e" in w.ids]
    ['air']
    """
    parts = {p.id: p for p in circuit.parts}
    at: dict[tuple[str, str], list[Hose]] = {}
    for hose in circuit.hoses:
        for end in (hose.start, hose.end):
            at.setdefault(end, []).append(hose)
    walk = _Walk(kinds, parts, at)
    _ports(circuit, walk)
    walk.go()
    _outlets(circuit, walk)
    _without_source(circuit, walk)
    return Outward(tuple(walk.runs), frozenset(walk.came_by), tuple(walk.wrong))


def _ports(circuit: Circuit, walk: _Walk) -> None:
    """What is wrong at single ports."""
    for (part, port), hoses in walk.at.items():
        kind = walk.kind(part)
        title = walk.parts[part].title
        ids = tuple(h.id for h in hoses)
        if port not in kind.ports:
            known = ", ".join(kind.ports)
            walk.wrong.append(
                WrongJoint("port", (part, *ids), f"{title} has no port {port}; it has {known}.")
            )
        elif port in kind.vents and any(_leads_nowhere(walk, h, part) for h in hoses):
            walk.wrong.append(WrongJoint("vent", (part, *ids), f"{title}: its vent stays open to the air."))
        elif len(hoses) > 1:
            walk.wrong.append(
                WrongJoint("twice", (part, *ids), f"{title}: two hoses on {port}; a tee is wanted.")
            )


def _leads_nowhere(walk: _Walk, hose: Hose, part: str) -> bool:
    """Whether a hose on a vent leads to anything but the open air."""
    far = hose.end[0] if hose.start[0] == part else hose.start[0]
    return not walk.kind(far).open_air


def _outlets(circuit: Circuit, walk: _Walk) -> None:
    """What is wrong between the two ends of a hose, where no vacuum has shown it already."""
    shown = {i for w in walk.wrong for i in w.ids}
    for hose in circuit.hoses:
        (a, pa) = hose.start
        (b, pb) = hose.end
        if a == b:
            walk.wrong.append(
                WrongJoint("itself", (a, hose.id), f"{walk.parts[a].title} is joined to itself.")
            )
        elif hose.id not in shown and pa in walk.kind(a).outward and pb in walk.kind(b).outward:
            says = f"Outlet to outlet: {walk.parts[a].title} and {walk.parts[b].title}."
            walk.wrong.append(WrongJoint("outlets", (a, b, hose.id), says))


def _without_source(circuit: Circuit, walk: _Walk) -> None:
    """Parts that no vacuum reaches, and loops among them."""
    lost = [p for p in circuit.parts if p.id not in walk.came_by and not walk.kind(p.id).open_air]
    inner = [h for h in circuit.hoses if h.start[0] not in walk.came_by and h.end[0] not in walk.came_by]
    joined = {part for h in inner for part in (h.start[0], h.end[0])}
    if joined and len(inner) >= len(joined):
        names = ", ".join(p.title for p in lost if p.id in joined)
        walk.wrong.append(WrongJoint("loop", tuple(joined), f"A loop without a source: {names}."))
    named = {i for w in walk.wrong if w.what in ("backwards", "swapped", "loop") for i in w.ids}
    for p in lost:
        if p.id not in named:
            walk.wrong.append(WrongJoint("no_source", (p.id,), f"No vacuum reaches {p.title}."))


def volume_ml(parts: Sequence[Part], hoses: Sequence[Hose], kinds: Mapping[str, PartKind]) -> float:
    """Return what some parts and hoses hold together, ml.

    Parameters: `parts`, `hoses`: what is pumped; `kinds`: the kinds by id. Raises KeyError for an unknown
    kind. Source: general volumes of the kinds; length and bore of a hose.

    >>> volume_ml([Part("a", "can", "A")], [], {"can": PartKind("Can", toward=("in",), volume_ml=50)})
    50.0
    >>> round(volume_ml([], [Hose("h", ("a", "x"), ("b", "x"), 1000, 4)], {}), 1)
    12.6
    """
    return sum((kinds[p.kind].volume_ml for p in parts), 0.0) + sum((h.volume_ml for h in hoses), 0.0)
