"""A figure that judges: its value, its unit and who says so."""

from typing import Self

GENERAL = "general figure, check your service data"
CARD = "the engine card"

Points = tuple[tuple[float, float], ...]


class Limit(float):
    """A figure that judges a reading, used as the number it is.

    `value`: the figure itself. `unit`: its unit, as on the meter. `source`: who says so, as it stands in a
    because: a general figure, the engine card, or a public standard. Raises ValueError for what is no figure.

    >>> drop = Limit(0.3, "V")
    >>> 0.2 < drop, drop.unit, drop.source
    (True, 'V', 'general figure, check your service data')
    """

    __slots__ = ("source", "unit")
    unit: str
    source: str

    def __new__(cls, value: float, unit: str = "", source: str = GENERAL) -> Self:
        limit = super().__new__(cls, value)
        limit.unit = unit
        limit.source = source
        return limit

    @property
    def value(self) -> float:
        return float(self)

    @property
    def of_card(self) -> bool:
        """Whether the engine card says so."""
        return self.source == CARD


def between(table: Points, x: float) -> float:
    """Return a table's figure at `x`, on straight lines between its points and level beyond them.

    `table`: pairs of x and figure, x rising, at least one. Units are those of the table. Source: straight
    lines.

    >>> between(((0.0, 80.0), (25.0, 100.0)), 12.5), between(((0.0, 80.0), (25.0, 100.0)), 40)
    (90.0, 100.0)
    """
    if x <= table[0][0]:
        return table[0][1]
    for (x0, y0), (x1, y1) in zip(table, table[1:], strict=False):
        if x <= x1:
            return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
    return table[-1][1]
