"""The glow plugs of an engine as they are drawn, and how well each heats."""

from collections.abc import Sequence
from typing import Any

from frosty_piston.job.judging.result import Result
from frosty_piston.store.workshop import JobRecord

TIP_BOTTOM = 139.0
TIP_LENGTH = 60.0
HEAT_TESTS = ("glow_resistance", "glow_current", "glow_lamp_test", "glow_bench_heat")
SHARE_APART = 0.05
Shares = dict[int, tuple[float | None, str]]


def banks(cylinders: int, arrangement: str | None) -> list[list[int]]:
    """The cylinders in engine order, by bank: odd and even for two banks, one row for an inline engine."""
    order = list(range(1, cylinders + 1))
    return [order[::2], order[1::2]] if arrangement in ("vee", "flat") else [order]


def plug_shares(judged: list[Result], tape: Sequence[str] = ()) -> Shares:
    """For each cylinder the heat its plug makes as a share, by the best reading there is, and its verdict:
    the plug itself before a connector, unless a connector was read later and better, for in line it cannot be
    better than alone. `tape`: the ids of the entries in their order."""
    shares: Shares = {}
    number = {id_: n for n, id_ in enumerate(tape)}
    at_plug: dict[int, tuple[float, int]] = {}
    ranks = {"relay_connector": 0, "harness_connector": 1, "plug": 2}
    verdicts = [v for v in judged if v.test in HEAT_TESTS and "cylinder" in v.where]

    def rank(verdict: Result) -> int:
        return ranks.get(str(verdict.where.get("point")), 0)

    for v in verdicts:
        if v.test == "glow_resistance" and rank(v) == 2 and (share := _share(v)) is not None:
            at_plug[int(str(v.where["cylinder"]))] = share, max(number.get(i, 0) for i in v.entries)

    def better_since(verdict: Result, share: float | None) -> bool:
        alone = at_plug.get(int(str(verdict.where["cylinder"])))
        if alone is None or share is None or verdict.test != "glow_resistance" or rank(verdict) == 2:
            return False
        return share > alone[0] + SHARE_APART and max(number.get(i, 0) for i in verdict.entries) > alone[1]

    ordered = sorted(
        verdicts, key=lambda v: (better_since(v, _share(v)), v.test == "glow_resistance", rank(v))
    )
    for v in ordered:
        share = _share(v)
        if share is not None or int(str(v.where["cylinder"])) not in shares:
            shares[int(str(v.where["cylinder"]))] = (share, v.judgement.verdict)
    return shares


def _share(verdict: Result) -> float | None:
    return (
        verdict.share
        if verdict.share is not None
        else {"open": 0.0, "all_open": 0.0, "sound": 1.0}.get(verdict.judgement.cls)
    )


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
