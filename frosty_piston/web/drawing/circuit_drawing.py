"""The drawing of a vacuum circuit, made from its list: pump on the left, outward to the right, every branch
in rows of its own, so that no hose crosses another; what no pump reaches stands below."""

from dataclasses import dataclass
from functools import lru_cache

from frosty_piston.core.circuit import Circuit, Hose
from frosty_piston.knowledge import Knowledge

from .part_symbols import inside, outline

ROW = 88.0
COLUMN = 116.0
NARROW = 82.0
LEFT = 40.0
TOP = 52.0
SIZES = {
    "pump": ("pump", 46, 46),
    "booster": ("can", 54, 44),
    "check_valve": ("check", 30, 24),
    "reservoir": ("tank", 56, 34),
    "tee": ("joint", 18, 18),
    "gauge_point": ("gauge", 26, 26),
    "open_end": ("joint", 14, 14),
    "solenoid": ("solenoid", 42, 26),
    "mount": ("mount", 40, 30),
    "key_switch": ("relay", 44, 28),
}
VENTED = ("solenoid", "key_switch")
THUMB = 19.0
ACTUATOR = ("can", 42, 34)


@dataclass(frozen=True)
class PartShape:
    """A part as it is drawn; its middle at x, y."""

    id: str
    kind: str
    title: str
    x: float
    y: float
    reached: bool

    @property
    def size(self) -> tuple[str, float, float]:
        return SIZES.get(self.kind, ACTUATOR)

    @property
    def outline(self) -> str:
        symbol, w, h = self.size
        return outline(symbol, self.x - w / 2, self.y - h / 2, w, h)

    @property
    def inside(self) -> str:
        symbol, w, h = self.size
        return inside(symbol, self.x - w / 2, self.y - h / 2, w, h)

    @property
    def vent(self) -> str:
        """The stub of its vent, open to the air."""
        return f"M{self.x} {self.y - self.size[2] / 2}v-9m-4 0h8" if self.kind in VENTED else ""

    @property
    def reach(self) -> str:
        return f"M{self.x - 24} {self.y - 24}h48v48h-48z"

    @property
    def spot(self) -> tuple[float, float]:
        _, w, h = self.size
        if self.kind == "tee":
            return self.x + 6, self.y + 5
        return self.x + w / 2 - 8, self.y - h / 2 - 12

    @property
    def anchor(self) -> str:
        """A tee has its name on its left, below the hose that comes in."""
        return "end" if self.kind == "tee" else "middle"

    def name_at(self, above: bool) -> tuple[float, float]:
        """Where its name begins: below it, or above where a hose goes down from it."""
        lines = len(self.lines)
        if self.kind == "tee":
            return self.x - 9, self.y + 20
        return self.x, self.y - self.size[2] / 2 - 8 - 16 * (lines - 1) if above else self.y + self.size[
            2
        ] / 2 + 16

    @property
    def lines(self) -> tuple[str, ...]:
        """The name in one line, or two where it is long."""
        words = self.title.split()
        if len(self.title) <= 10 or len(words) == 1:
            return (self.title,)
        cut = min(range(1, len(words)), key=lambda n: abs(len(" ".join(words[:n])) - len(self.title) / 2))
        return " ".join(words[:cut]), " ".join(words[cut:])


@dataclass(frozen=True)
class HoseShape:
    """A hose as it is drawn: its way, and its middle for its mark. `odd`: it closes a loop or hangs on
    nothing."""

    id: str
    d: str
    x: float
    y: float
    points: tuple[tuple[float, float], ...]
    odd: bool

    @property
    def reach(self) -> str:
        """What a thumb may press: a band along its last leg."""
        (x0, y0), (x1, y1) = self.points[-2:]
        left = min(x0, x1)
        right = max(x0, x1)
        top = min(y0, y1)
        foot = max(y0, y1)
        left, right = (left - THUMB, right + THUMB) if right - left < 2 * THUMB else (left, right)
        top, foot = (top - THUMB, foot + THUMB) if foot - top < 2 * THUMB else (top, foot)
        return f"M{left:g} {top:g}H{right:g}V{foot:g}H{left:g}z"

    @property
    def name_at(self) -> tuple[float, float, str]:
        """Where its mark stands: above it, or on its right where it goes straight down."""
        (x0, _), (x1, _) = self.points[-2:]
        return (self.x + 10, self.y + 5, "start") if x0 == x1 else (self.x, self.y - 10, "middle")


@dataclass(frozen=True)
class CircuitDrawing:
    parts: tuple[PartShape, ...]
    hoses: tuple[HoseShape, ...]
    width: float
    height: float


@lru_cache(maxsize=64)
def draw_circuit(circuit: Circuit, knowledge: Knowledge) -> CircuitDrawing:
    """Lay a circuit out."""
    below, tree, extra = _tree(circuit, knowledge)
    title = {p.id: p.title for p in circuit.parts}
    kind = {p.id: p.kind for p in circuit.parts}
    at: dict[str, tuple[float, float]] = {}
    rows = 0

    def lay(part: str, x: float) -> float:
        """Lay a part and what hangs on it; answers its row. A tee that hangs on a tee stands right below it:
        the trunk goes down, its branches to the right."""
        nonlocal rows
        step = NARROW if kind[part] in ("tee", "check_valve", "gauge_point") else COLUMN
        far_parts = sorted(below.get(part, ()), key=lambda far: kind[far] == "tee")
        down = far_parts[-1] if kind[part] == "tee" and len(far_parts) > 1 else ""
        mine = [lay(far, x if far == down and kind[far] == "tee" else x + step) for far in far_parts]
        if not mine:
            row = float(rows)
            rows = rows + 1
        else:
            row = mine[0]
        at[part] = (x, TOP + row * ROW)
        return row

    reached = set()
    for part in tree:
        before = set(at)
        lay(part, LEFT + 24)
        if knowledge.circuit.kinds[kind[part]].gives:
            reached |= set(at) - before
    shapes = tuple(PartShape(i, kind[i], title[i], x, y, i in reached) for i, (x, y) in at.items())
    hoses = tuple(_hose(h, at, h.id in extra) for h in circuit.hoses if h.start[0] in at and h.end[0] in at)
    width = max((x for x, _ in at.values()), default=0.0) + 70
    return CircuitDrawing(shapes, hoses, width, TOP + max(rows, 1) * ROW - 14)


def _tree(circuit: Circuit, knowledge: Knowledge) -> tuple[dict[str, list[str]], list[str], set[str]]:
    """What hangs on each part as it is drawn, the parts that begin a drawing, and the hoses beside it."""
    known = [p for p in circuit.parts if p.kind in knowledge.circuit.kinds]
    begin = [p.id for p in known if knowledge.circuit.kinds[p.kind].gives]
    at: dict[str, list[tuple[Hose, str]]] = {}
    for h in circuit.hoses:
        at.setdefault(h.start[0], []).append((h, h.end[0]))
        at.setdefault(h.end[0], []).append((h, h.start[0]))
    below: dict[str, list[str]] = {}
    seen: set[str] = set()
    used: set[str] = set()
    roots: list[str] = []
    for root in (*begin, *(p.id for p in known)):
        if root in seen:
            continue
        roots.append(root)
        seen.add(root)
        todo = [root]
        while todo:
            part = todo.pop(0)
            for hose, far in at.get(part, ()):
                if far not in seen and any(p.id == far for p in known):
                    seen.add(far)
                    used.add(hose.id)
                    below.setdefault(part, []).append(far)
                    todo.append(far)
    return below, roots, {h.id for h in circuit.hoses} - used


def _hose(hose: Hose, at: dict[str, tuple[float, float]], odd: bool) -> HoseShape:
    """The way of a hose: along its row, and down close behind the part it comes from."""
    (x0, y0), (x1, y1) = sorted((at[hose.start[0]], at[hose.end[0]]))
    points: tuple[tuple[float, float], ...] = ((x0, y0), (x1, y1))
    if not odd and y0 != y1 and x0 != x1:
        points = ((x0, y0), (x0, y1), (x1, y1))
    d = "M" + "L".join(f"{x:g} {y:g}" for x, y in points)
    (mx0, my0), (mx1, my1) = points[-2:]
    return HoseShape(hose.id, d, (mx0 + mx1) / 2, (my0 + my1) / 2, points, odd)


def crossings(drawing: CircuitDrawing) -> int:
    """How many pairs of hoses cross in a drawing."""
    legs = [
        (h.id, p, q) for h in drawing.hoses for p, q in zip(h.points, h.points[1:], strict=False) if p != q
    ]
    return sum(_cross(a, b) for n, a in enumerate(legs) for b in legs[n + 1 :] if a[0] != b[0])


Leg = tuple[str, tuple[float, float], tuple[float, float]]


def _side(p: tuple[float, float], q: tuple[float, float], r: tuple[float, float]) -> float:
    return (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0])


def _cross(a: Leg, b: Leg) -> bool:
    _, p, q = a
    _, r, s = b
    return _side(p, q, r) * _side(p, q, s) < 0 and _side(r, s, p) * _side(r, s, q) < 0
