"""Decide: the options of a job side by side, with what each really costs."""

from dataclasses import dataclass, field, replace

from frosty_piston.core import plug_life
from frosty_piston.core.costing import Costed, Option, cost_options, price_of
from frosty_piston.knowledge.shapes import OptionShape

from .assessment import Assessed

YEARLY_KM = 15_000.0
WEIGHED_FROM = 0.04
GENERAL_ODOMETER_KM = 150_000.0
DIAGNOSIS_HOURS = 1.5


@dataclass(frozen=True)
class Prices:
    """What the workshop charges, money in the smallest coin, and what was typed for single options."""

    rate: int = 95_000
    tax_percent: float = 25.0
    currency: str = "kr"
    standstill_per_day: int = 0
    typed: dict[str, dict[str, float]] = field(default_factory=dict)


@dataclass(frozen=True)
class Weighed:
    """An option with its cost, the plan that carries it out, how its odds came about, and which cylinders."""

    costed: Costed
    repair: str
    plan: str
    cylinders: tuple[int, ...]
    because: str


def condemned(assessed: Assessed) -> tuple[dict[int, str], set[int]]:
    """Answer the plugs that failed or are tired, with the class, and those condemned from the connector alone."""
    bad: dict[int, str] = {}
    at_plug: set[int] = set()
    cleared: set[int] = set()
    for v in assessed.diagnosis:
        c = v.where.get("cylinder")
        if not isinstance(c, int) or v.test not in ("glow_resistance", "glow_lamp_test", "glow_current", "glow_bench_heat"):
            continue
        at_part = v.where.get("point") == "plug" or v.test == "glow_bench_heat"
        if v.judgement.verdict in ("failed", "marginal"):
            bad.setdefault(c, v.judgement.cls)
            if at_part:
                at_plug.add(c)
        elif at_part and v.judgement.verdict == "sound":
            cleared.add(c)
    bad = {c: cls for c, cls in bad.items() if c not in cleared or c in at_plug}
    return bad, set(bad) - at_plug


def weigh_options(assessed: Assessed, prices: Prices) -> list[Weighed]:
    """Lay the options side by side: those of every repair that may well be needed."""
    k, odds = assessed.knowledge, assessed.suspicion.repairs
    bad, _ = condemned(assessed)
    shapes = {key: shape for key, shape in k.options.items()
              if odds.get(shape.repair, 0) >= WEIGHED_FROM and not (shape.count == "dead" and (not bad or len(bad) == assessed.job.cylinders))}
    drafts = {key: _option(assessed, key, shape, prices, bad) for key, shape in shapes.items()}
    drafts = _with_next_steps(drafts, shapes, odds, prices)
    costed = cost_options([option for option, _, _ in drafts.values()], prices.rate, prices.tax_percent, prices.standstill_per_day)
    return [Weighed(c, shapes[key].repair, shapes[key].plan, drafts[key][1], drafts[key][2]) for key, c in zip(drafts, costed, strict=True)]


def _with_next_steps(drafts: dict[str, tuple[Option, tuple[int, ...], str]], shapes: dict[str, OptionShape], odds: dict[str, float],
                     prices: Prices) -> dict[str, tuple[Option, tuple[int, ...], str]]:
    """What follows when a repair does not cure: another look, and the cheapest option of the likeliest other repair."""
    prices_by_repair: dict[str, int] = {}
    for key, (option, _, _) in drafts.items():
        price = price_of(option, prices.rate, prices.tax_percent)[0]
        repair = shapes[key].repair
        prices_by_repair[repair] = min(price, prices_by_repair.get(repair, price))
    look = round(DIAGNOSIS_HOURS * prices.rate * (1 + prices.tax_percent / 100))
    found = {}
    for key, (option, cylinders, because) in drafts.items():
        others = [r for r in prices_by_repair if r != shapes[key].repair]
        likeliest = max(others, key=lambda r: odds.get(r, 0), default=None)
        found[key] = (replace(option, next_step=look + (prices_by_repair[likeliest] if likeliest else 0)), cylinders, because)
    return found


def _option(assessed: Assessed, key: str, shape: OptionShape, prices: Prices, bad: dict[int, str]) -> tuple[Option, tuple[int, ...], str]:
    job, k = assessed.job, assessed.knowledge

    def figure(name: str) -> float:
        return job.engine.limit(name) or k.general(name)

    cylinders = tuple(range(1, job.cylinders + 1)) if shape.count == "all" else tuple(sorted(bad)) if shape.count == "dead" else ()
    pieces = len(cylinders) or 1
    typed = prices.typed.get(key, {})
    cures = assessed.suspicion.repairs[shape.repair]
    comes_back, breaks, because = 0.03, 0.0, "general figure"
    if shape.repair == "glow_plugs":
        age = job.vehicle.odometer_km or GENERAL_ODOMETER_KM
        failed = len(bad)
        if shape.count == "dead":
            comes_back = plug_life.next_failure_chance(age, failed, job.cylinders, YEARLY_KM)
            because = (f"{failed} of {job.cylinders} gone at {round(age / 1000)} 000 km: one of the other {job.cylinders - failed} follows within "
                       f"{YEARLY_KM / 1000:g} 000 km with {round(comes_back * 100)} % (Weibull, shape 3)")
        else:
            comes_back = plug_life.new_set_failure_chance(plug_life.life_scale(age, failed, job.cylinders), job.cylinders, YEARLY_KM)
            because = "all new: next to none in the first year"
        breaks = plug_life.snap_chance(len(bad) if cylinders else 0, max(0, len(cylinders) - len(bad)))
    option = Option(
        key, shape.title, int(typed.get("part", shape.part)) * pieces, typed.get("hours", figure(shape.hours_each)) * (pieces if shape.repair == "glow_plugs" and "hours" not in typed else 1),
        typed.get("access", figure(shape.access) if shape.access else 0.0), int(typed.get("consumables", 0)), cures, comes_back, breaks,
        round(figure("snap_extra_hours") * prices.rate), 0, typed.get("days", 0.0), int(typed.get("warranty", shape.warranty_months)))
    return option, cylinders, because


def warnings(assessed: Assessed) -> list[str]:
    """What a technician should hear before money is spent."""
    found = []
    bad, only_connector = condemned(assessed)
    if only_connector:
        names = ", ".join(map(str, sorted(only_connector)))
        found.append(f"Cylinder {names} condemned from the connector alone: a broken wire reads the same. Repeat it at the plug before it is pulled.")
    unread = [c for c in range(1, assessed.job.cylinders + 1) if not any(v.where.get("cylinder") == c for v in assessed.diagnosis)]
    if bad and unread:
        found.append(f"Cylinder {', '.join(map(str, unread))} never read: the count of dead plugs is a guess.")
    top = assessed.suspicion.suspects[0]
    if top.probability < 0.8 and assessed.proposals.next_tests:
        n = assessed.proposals.next_tests[0]
        found.append(f"The leading suspect stands at {round(top.probability * 100)} %. {n.minutes:g} minutes more would tell: {n.title[0].lower()}{n.title[1:]}.")
    return found
