"""How well each plug heats, and what the engine did in the cold: what the estimate of a start goes by."""

from collections.abc import Sequence

from frosty_piston.core.starting import COUGHED, STARTED, WOULD_NOT, Start
from frosty_piston.job.entries import Entry, ProofStep
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.units import convert

from .result import Result

HEAT_TESTS = ("glow_resistance", "glow_current", "glow_lamp_test", "glow_bench_heat")
SHARE_APART = 0.05
Shares = dict[int, tuple[float | None, str]]
COLD_START = "cold_start"
# What a complaint says of a start, the worst first.
COMPLAINTS = (
    (("no_start", "no_start_cold"), WOULD_NOT),
    (("hard_start_cold",), COUGHED),
    (("rough_idle_cold", "white_smoke_start"), STARTED),
)
MOST_HEAT = 1.2


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


def heat_of(shares: Shares, cylinders: int) -> tuple[float, ...]:
    """The heat of each plug; one that was not read is taken as healthy."""
    known = [shares.get(c, (None, ""))[0] for c in range(1, cylinders + 1)]
    return tuple(1.0 if s is None else min(MOST_HEAT, s) for s in known)


def starts_of(job: Job, before: Shares, after: Shares) -> list[Start]:
    """What this engine did in the cold, as far as its plugs were read: the complaint with the plugs as they
    were `before` a repair, each proof of a cold start with those `after` it, where one not read is new."""
    starts: list[Start] = []
    ambient: float | None = None
    said = _complaint(job)
    for entry in job.live:
        if entry.kind == "condition" and entry.data.name == "ambient":
            ambient = convert(float(entry.data.value), entry.data.unit, "degC")
            if said and any(s is not None for s, _ in before.values()):
                starts.append(Start(ambient, heat_of(before, job.cylinders), said))
                said = ""
        elif _is_cold_start(entry) and ambient is not None:
            result = STARTED if entry.data.result == "pass" else WOULD_NOT
            starts.append(Start(ambient, heat_of(after, job.cylinders), result))
    return starts


def _complaint(job: Job) -> str:
    there = {name for name, x in job.symptoms.items() if x.data.present}
    return next((result for names, result in COMPLAINTS if there.intersection(names)), "")


def _is_cold_start(entry: Entry) -> bool:
    data = entry.data
    return isinstance(data, ProofStep) and data.step == COLD_START and data.result in ("pass", "fail")
