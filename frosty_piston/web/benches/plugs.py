"""The glow plugs of an engine as they are drawn, and how well each heats."""

from typing import Any

from frosty_piston.job.judging.starts import Shares
from frosty_piston.store.workshop import JobRecord

TIP_BOTTOM = 139.0
TIP_LENGTH = 60.0


def banks(cylinders: int, arrangement: str | None) -> list[list[int]]:
    """The cylinders in engine order, by bank: odd and even for two banks, one row for an inline engine."""
    order = list(range(1, cylinders + 1))
    return [order[::2], order[1::2]] if arrangement in ("vee", "flat") else [order]


def plug_rows(record: JobRecord, shares: Shares) -> list[list[dict[str, Any]]]:
    """The plugs as they are drawn, by bank: how much of each glows, and its verdict."""

    def drawn(cylinder: int) -> dict[str, Any]:
        share, verdict = shares.get(cylinder, (None, ""))
        fill = max(0.0, min(1.0, share or 0.0))
        return {
            "cylinder": cylinder,
            "share": share,
            "verdict": verdict,
            "glow_y": round(TIP_BOTTOM - fill * TIP_LENGTH, 1),
            "glow_height": round(fill * TIP_LENGTH, 1),
        }

    return [[drawn(c) for c in bank] for bank in banks(record.job.cylinders, record.job.engine.arrangement)]
