"""The picture of odds that were stated beside how often it was so."""

from collections.abc import Sequence

from frosty_piston.core.learning import Bin

LEFT = 40
FOOT = 250
WIDE = 240
MOST_R = 20.0


def reliability_drawn(bins: Sequence[Bin]) -> list[tuple[float, float, float, Bin]]:
    """For each bin where its dot stands, how large it is, and the bin."""
    return [
        (
            round(LEFT + WIDE * b.stated, 1),
            round(FOOT - WIDE * b.true, 1),
            min(4 + b.count**0.5 * 1.6, MOST_R),
            b,
        )
        for b in bins
    ]
