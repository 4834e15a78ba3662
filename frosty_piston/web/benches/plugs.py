"""The glow plugs of an engine as they are drawn, and how well each heats."""

from typing import Any

from frosty_piston.job.result import Result
from frosty_piston.store.workshop import JobRecord

TIP_BOTTOM, TIP_LENGTH = 139.0, 60.0
Shares = dict[int, tuple[float | None, str]]


def banks(cylinders: int, arrangement: str | None) -> list[list[int]]:
    """The cylinders in engine order, by bank: odd and even for two banks, one row for an inline engine."""
    order = list(range(1, cylinders + 1))
    return [order[::2], order[1::2]] if arrangement in ("vee", "flat") else [order]


def plug_shares(judged: list[Result]) -> Shares:
    """For each cylinder the heat its plug makes as a share, by the best reading there is, and its verdict."""
    shares: Shares = {}
    ranks = {"relay_connector": 0, "harness_connector": 1, "plug": 2}
    verdicts = [
        v
        for v in judged
        if v.test in ("glow_resistance", "glow_current", "glow_lamp_test", "glow_bench_heat")
        and "cylinder" in v.where
    ]
    for v in sorted(
        verdicts, key=lambda v: (v.test == "glow_resistance", ranks.get(str(v.where.get("point")), 0))
    ):
        share = v.share
        if share is None:
            share = {"open": 0.0, "all_open": 0.0, "sound": 1.0}.get(v.judgement.cls)
        if share is not None or int(str(v.where["cylinder"])) not in shares:
            shares[int(str(v.where["cylinder"]))] = (share, v.judgement.verdict)
    return shares


def plug_rows(record: JobRecord, shares: Shares) -> list[list[dict[str, Any]]]:
    """The plugs as they are drawn, by bank: how much of each glows, and its verdict."""

    def drawn(c: int) -> dict[str, Any]:
        share, verdict = shares.get(c, (None, ""))
        fill = max(0.0, min(1.0, share or 0.0))
        return {
            "cylinder": c,
            "share": share,
            "verdict": verdict,
            "glow_y": round(TIP_BOTTOM - fill * TIP_LENGTH, 1),
            "glow_height": round(fill * TIP_LENGTH, 1),
        }

    return [[drawn(c) for c in bank] for bank in banks(record.job.cylinders, record.job.engine.arrangement)]
