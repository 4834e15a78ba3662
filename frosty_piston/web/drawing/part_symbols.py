"""The symbol of each kind of part, as paths in its box: an outline that warms or frosts, and the lines inside
it."""

ROUND = ("wheel", "pump", "sensor", "joint", "valve", "throttle", "gauge")
BUSHED = ("tank", "log", "rail", "block")


def outline(kind: str, x: float, y: float, w: float, h: float) -> str:
    """The outline of a part of some kind."""
    cx = x + w / 2
    cy = y + h / 2
    if kind in ROUND:
        return f"M{x} {cy}a{w / 2} {h / 2} 0 1 1 {w} 0a{w / 2} {h / 2} 0 1 1 {-w} 0z"
    if kind in ("can", "mount"):
        return f"M{x} {y + h}V{cy}a{w / 2} {h / 2} 0 0 1 {w} 0V{y + h}z"
    if kind == "nozzle":
        return f"M{x} {y}h{w}v{h / 2}L{cx + 4} {y + h}h-8L{x} {cy}z"
    if kind == "check":
        return f"M{x} {y}l{w} {h / 2}l{-w} {h / 2}z"
    if kind == "seat":
        return f"M{x} {y}h12l6 26h22v20h-36z"
    r = min(7 if kind in BUSHED else 3, h / 2)
    return (
        f"M{x + r} {y}h{w - 2 * r}a{r} {r} 0 0 1 {r} {r}v{h - 2 * r}a{r} {r} 0 0 1 {-r} {r}h{2 * r - w}a{r}"
        f" {r} 0 0 1 {-r} {-r}v{2 * r - h}a{r} {r} 0 0 1 {r} {-r}z"
    )


def inside(kind: str, x: float, y: float, w: float, h: float) -> str:
    """The lines inside the outline that say what it is."""
    cx = x + w / 2
    cy = y + h / 2
    right = x + w
    foot = y + h
    fins = [n / 5 for n in (1, 2, 3, 4)]
    return {
        "wheel": (
            f"M{cx} {y + 6}V{foot - 6}M{x + 6} {cy}H{right - 6}M{cx - 19} {cy - 19}l38 38M{cx + 19}"
            f" {cy - 19}l-38 38"
        ),
        "valve": f"M{cx - 10} {cy + 12}h20M{cx} {cy + 12}V{y + 5}",
        "throttle": f"M{x + 8} {foot - 8}L{right - 8} {y + 8}",
        "pump": f"M{cx - w / 4} {cy + h / 5}L{cx} {cy - h / 3.4}L{cx + w / 4} {cy + h / 5}z",
        "cooler": "".join(
            f"M{x + w * n} {y + 5}V{foot - 5}" if w > h else f"M{x + 5} {y + h * n}H{right - 5}" for n in fins
        ),
        "brick": "".join(f"M{x + 10} {y + h * n / 6}H{right - 10}" for n in (1, 2, 3, 4, 5)),
        "filter": (
            f"M{x + 8} {foot - 9}"
            + "".join(f"l{(w - 16) / 8} {18 - h if n % 2 == 0 else h - 18}" for n in range(8))
        ),
        "battery": (
            f"M{x + 10} {y - 5}h10v5M{right - 20} {y - 5}h10v5M{x + 10} {cy}h10M{right - 20}"
            f" {cy}h10M{right - 15} {cy - 5}v10"
        ),
        "motor": f"M{cx - 11} {cy}a11 11 0 1 1 22 0a11 11 0 1 1-22 0M{cx} {cy}l8-8",
        "relay": f"M{x + 10} {cy + 6}h14l16-12M{right - 20} {cy + 6}h10",
        "gauge": f"M{cx} {cy + 4}l8-10",
        "unit": "".join(f"M{x + w * n / 7} {foot}v6" for n in range(1, 7)),
        "coil": f"M{x + 5} {cy}q4-14 8 0t8 0t8 0t8 0",
        "starter": f"M{right - 14} {y}v{h}",
        "solenoid": f"M{x + 5} {foot}L{right - 5} {y}",
        "can": f"M{x + 4} {cy + 4}H{right - 4}",
        "sensor": f"M{cx - 6} {cy}h12M{cx} {cy - 6}v12",
        "plug": f"M{x + w / 3} {y}v{h}M{x + 2 * w / 3} {y}v{h}",
        "probe": f"M{x} {y + h / 3}h{w}",
    }.get(kind, "")


def half(r: float, upper: bool) -> str:
    """Half a bore round its middle."""
    return f"M{-r} 0A{r} {r} 0 0 {1 if upper else 0} {r} 0z"


def whole(r: float) -> str:
    """A whole bore round its middle."""
    return f"M{-r} 0a{r} {r} 0 1 1 {2 * r} 0a{r} {r} 0 1 1 {-2 * r} 0z"
