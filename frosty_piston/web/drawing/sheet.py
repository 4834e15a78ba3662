"""What stands on the sheet of an engine: parts with their names, and the pipes between them."""

from dataclasses import dataclass

from .part_symbols import inside, outline

THUMB = 46.0  # px, the least that a thumb hits


def box_path(cx: float, cy: float, w: float, h: float) -> str:
    """The path of a box around its middle."""
    return f"M{cx - w / 2:g} {cy - h / 2:g}h{w:g}v{h:g}h{-w:g}z"


@dataclass(frozen=True)
class PartDrawing:
    """A part as it is drawn: its symbol, its box, and where its name stands. `part` is its id on the plan."""

    part: str
    symbol: str
    x: float
    y: float
    w: float
    h: float
    label: str = ""
    label_at: str = "below"
    label_dx: float = 0.0
    label_dy: float = 0.0

    @property
    def cx(self) -> float:
        return self.x + self.w / 2

    @property
    def cy(self) -> float:
        return self.y + self.h / 2

    @property
    def outline(self) -> str:
        return outline(self.symbol.split()[0], self.x, self.y, self.w, self.h)

    @property
    def inside(self) -> str:
        return inside(self.symbol.split()[0], self.x, self.y, self.w, self.h)

    @property
    def reach(self) -> str:
        """What a thumb may press: the part, and never less than a thumb."""
        return box_path(self.cx, self.cy, max(self.w, THUMB), max(self.h, THUMB))

    @property
    def spot(self) -> tuple[float, float]:
        """Where the mark of its worst test sits."""
        return self.x + self.w - 11, self.y - 9

    @property
    def label_x(self) -> float:
        return {"right": self.x + self.w + 6, "left": self.x - 6, "under": self.x}.get(
            self.label_at, self.cx
        ) + self.label_dx

    @property
    def label_y(self) -> float:
        return {"above": self.y - 8, "right": self.cy + 6, "left": self.cy + 6, "inside": self.cy + 6}.get(
            self.label_at, self.y + self.h + 19
        ) + self.label_dy

    @property
    def anchor(self) -> str:
        return {"right": "start", "under": "start", "left": "end"}.get(self.label_at, "middle")


@dataclass(frozen=True)
class Pipe:
    """A line between parts: air, charge, exhaust, egr, fuel, vacuum, def or wire. `part` when a press opens
    one."""

    kind: str
    d: str
    part: str = ""
