"""Decide: what can be done, alone or together, what it costs, what it leaves, and what to hear before money
is spent."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from itertools import combinations
from typing import Any

import numpy as np

from frosty_piston.core import plug_life
from frosty_piston.core.costing import Costed, cost_options, price_of
from frosty_piston.core.costing import Option as CostOption
from frosty_piston.core.quantity import percent
from frosty_piston.core.words import counted, grouped, inside
from frosty_piston.job.assessment import Assessed
from frosty_piston.job.entries import OptionPicked
from frosty_piston.job.place import Place, test_place
from frosty_piston.job.tape.fold import Job
from frosty_piston.job.weighing.failed import Condemned
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.repairs import Option

from .fit import missing_pieces

YEARLY_KM = 15_000.0
GENERAL_ODOMETER_KM = 150_000.0
WEIGHED_FROM = 0.04
BESIDE_THE_LIKELIEST = 0.5
TOGETHER_FROM = 0.05
LEFT_FROM = 0.02
HIGH = 0.2
TAKES_SURELY = 0.85
MOST_REPAIRS = 5
MOST_TOGETHER = 3
DIAGNOSIS_HOURS = 1.5
LOOK_MIN = 15.0
COIN = 100
PRICED = ("price", "parts", "labour_h", "access_h", "consumables", "days", "warranty_months")


@dataclass(frozen=True)
class Prices:
    """What the workshop charges, money in the smallest coin, and what was typed for single options: its part,
    hours, hours to reach it, consumables, days, months of warranty."""

    rate: int = 95_000
    tax_percent: float = 25.0
    currency: str = "kr"
    standstill_per_day: int = 0
    typed: dict[str, dict[str, float]] = field(default_factory=dict)


@dataclass(frozen=True)
class Offer:
    """One option, or several together: what it cures and leaves, what it costs. `estimated`: no price was
    typed. `usual`: why the trade does it together."""

    id: str
    options: tuple[Option, ...]
    repairs: tuple[str, ...]
    costed: Costed
    leaves: tuple[tuple[str, float], ...]
    estimated: bool
    cylinders: tuple[int, ...]
    because: str
    usual: str = ""

    @property
    def title(self) -> str:
        return " and ".join([self.options[0].title, *(inside(o.title) for o in self.options[1:])])

    @property
    def cures(self) -> float:
        return self.costed.option.cures


@dataclass(frozen=True)
class Advice:
    """Something to hear before money is spent, with where it is done; `before`: going on asks for a
    reason."""

    says: str
    where: Place | None
    before: bool


def typed_on_tape(job: Job, knowledge: Knowledge) -> dict[str, dict[str, float]]:
    """What was typed for single options on this job: the latest price on the tape for each."""
    typed: dict[str, dict[str, float]] = {}
    for x in job.of(OptionPicked):
        if x.data.option in knowledge.options and not x.data.chosen:
            given = {name: getattr(x.data, name) for name in PRICED if name in x.data.model_fields_set}
            typed[x.data.option] = {name: value for name, value in given.items() if value is not None}
    return typed


def _needed_together(assessed: Assessed) -> list[tuple[str, ...]]:
    """The groups of repairs that are likely needed together, likeliest first."""
    many = [(p, names) for names, p in assessed.suspicion.together.items() if len(names) > 1]
    return [names for p, names in sorted(many, reverse=True) if p >= TOGETHER_FROM][:MOST_TOGETHER]


def _worth_a_price(needed: dict[str, float]) -> list[str]:
    """The repairs that are offered: what is likely by itself, and what stands not far behind the likeliest.
    The rest waits for a test."""
    least = min(HIGH, BESIDE_THE_LIKELIEST * max(needed.values(), default=0.0))
    return [r for r, p in needed.items() if p >= max(WEIGHED_FROM, least)][:MOST_REPAIRS]


def weigh_offers(assessed: Assessed, prices: Prices) -> list[Offer]:
    """Lay what can be done side by side, cheapest expected first: every option of the repairs that may well
    be needed, of those that were named and not done, and the cheapest of each together where more than one
    fault stands."""
    found = assessed.suspicion.repairs_needed if assessed.suspicion.found_something else {}
    needed = {r: p for r, p in found.items() if p >= WEIGHED_FROM}
    options = (x.data.option for x in assessed.job.since_failure if x.kind == "option")
    asked = [one for joined in options for one in joined.split("+")]
    done = {x.data.repair for x in assessed.job.repairs}
    named = {assessed.knowledge.options[o].repair for o in asked if o in assessed.knowledge.options} - done
    gone = {p.entry.data.went for p in missing_pieces(assessed.job)}
    fetched = [r for r, shape in assessed.knowledge.repairs.items() if gone & set(shape.shape.for_pieces)]
    repairs = list(dict.fromkeys([*fetched, *_worth_a_price(needed), *named]))
    drafts = _one_of_each_assembly(_singles(assessed, repairs, prices), asked)
    best = {r: _best(prices, [d for d in drafts if d.options[0].repair == r]) for r in repairs}
    high = [r for r, p in needed.items() if p >= HIGH]
    for names in dict.fromkeys([*_needed_together(assessed), *combinations(high[:MOST_TOGETHER], 2)]):
        for pair in dict.fromkeys(zip(*(best[r] for r in names if best.get(r)), strict=False)):
            if len(pair) > 1 and not any(set(names) <= set(o.repairs) for o in pair):
                drafts.append(_draft(assessed, pair, prices))
    usual = [pair for d in drafts for pair in _usual_pairs(assessed, d, done, prices)]
    drafts = list({d.cost.id: d for d in [*drafts, *usual]}.values())
    # What is too unlikely to be offered still costs what it costs when the offer did not cure.
    unlikely = [r for r in list(needed)[:MOST_REPAIRS] if r not in repairs]
    return _costed(drafts, prices, _singles(assessed, unlikely, prices))


def _one_of_each_assembly(drafts: list["_Draft"], asked: Sequence[str]) -> list["_Draft"]:
    """The same assembly stands once, whichever of its parts it is bought for: by the likelier of them, or as
    it was asked for."""
    shown: dict[frozenset[str], str] = {}
    for d in sorted(drafts, key=lambda d: d.cost.id not in asked):
        if len(d.options[0].repairs) > 1:
            shown.setdefault(frozenset(d.options[0].repairs), d.options[0].repair)
    whole = [(d, shown.get(frozenset(d.options[0].repairs))) for d in drafts]
    return [d for d, repair in whole if repair in (None, d.options[0].repair)]


def _usual_pairs(
    assessed: Assessed, draft: "_Draft", done: set[str | None], prices: Prices
) -> Iterator["_Draft"]:
    """An option with another that the trade does with it, where this vehicle has both and neither is done."""
    if len(draft.options) > 1:
        return
    (option,) = draft.options
    for name, why in option.shape.usually_with.items():
        other = assessed.knowledge.options[name]
        if other.repair not in done and possible(assessed, other):
            yield replace(_draft(assessed, (option, other), prices), usual=why)


def possible(assessed: Assessed, option: Option) -> bool:
    """Whether this engine can have what an option cures."""
    faults = assessed.knowledge.faults
    ruled_out = [assessed.job.engine.rules_out(faults[f].needs) for f in option.cures]
    return not ruled_out or not all(ruled_out)


def _singles(assessed: Assessed, repairs: Iterable[str], prices: Prices) -> list["_Draft"]:
    return [_draft(assessed, (option,), prices) for r in repairs for option in _options(assessed, r)]


def offer_of(assessed: Assessed, options: Sequence[Option], prices: Prices) -> Offer:
    """One option, or some together, whatever is thought of them: what they would cost and take here."""
    return _costed([_draft(assessed, tuple(options), prices)], prices)[0]


def _best(prices: Prices, drafts: list["_Draft"]) -> tuple[Option, ...]:
    """Of the options of one repair that last: the cheapest, its failure counted in, and the cheapest that
    takes surely."""
    lasting = [d for d in drafts if not d.options[0].shape.temporary]
    if not lasting:
        return ()
    price = {d.cost.id: price_of(d.cost, prices.rate, prices.tax_percent)[0] for d in lasting}
    again = min(
        price[d.cost.id] for d in lasting if d.options[0].takes == max(x.options[0].takes for x in lasting)
    ) + _look(prices)

    # What fails is done over the sure way: the cost of a failure is that way and another look, so that a
    # cheap repair wins only where it takes often enough to pay for its misses.
    def expected(d: "_Draft") -> float:
        idle = d.cost.days * prices.standstill_per_day
        return price[d.cost.id] * (1 + d.cost.comes_back) + (1 - d.options[0].takes) * again + idle

    surely = [d for d in lasting if d.options[0].takes >= TAKES_SURELY] or lasting
    return (min(lasting, key=expected).options[0], min(surely, key=expected).options[0])


def _look(prices: Prices) -> int:
    """What another look costs when a repair did not cure."""
    return round(DIAGNOSIS_HOURS * prices.rate * (1 + prices.tax_percent / 100))


@dataclass(frozen=True)
class _Draft:
    options: tuple[Option, ...]
    cost: CostOption
    left: dict[str, float]
    estimated: bool
    cylinders: tuple[int, ...]
    because: str
    usual: str = ""

    @property
    def leaves(self) -> tuple[tuple[str, float], ...]:
        return tuple(sorted(((f, p) for f, p in self.left.items() if p >= LEFT_FROM), key=lambda x: -x[1]))


def _costed(drafts: list[_Draft], prices: Prices, unlikely: Sequence[_Draft] = ()) -> list[Offer]:
    """Cost the offers. What follows when one does not cure: another look, and what it leaves put right, by
    what is offered or by what is too `unlikely` for that."""
    look = _look(prices)
    price = {
        d.cost.id: price_of(d.cost, prices.rate, prices.tax_percent)[0] * (1 + d.cost.comes_back)
        for d in (*drafts, *unlikely)
    }
    lasting = [
        d
        for d in (*drafts, *unlikely)
        if len(d.options) == 1 and not d.options[0].shape.temporary and d.options[0].takes
    ]
    costs = [replace(d.cost, next_step=round(look + _what_follows(d, lasting, price, look))) for d in drafts]
    costed = cost_options(costs, prices.rate, prices.tax_percent, prices.standstill_per_day)
    costed = [_at_typed_price(d, c, prices) for d, c in zip(drafts, costed, strict=True)]
    offers = [
        Offer(
            draft.cost.id,
            draft.options,
            _repairs(draft),
            costed=c,
            leaves=draft.leaves,
            estimated=draft.estimated,
            cylinders=draft.cylinders,
            because=draft.because,
            usual=draft.usual,
        )
        for draft, c in zip(drafts, costed, strict=True)
    ]
    return sorted((_whole_coins(o) if o.estimated else o for o in offers), key=lambda o: o.costed.expected)


def _what_follows(draft: _Draft, lasting: list[_Draft], price: dict[str, float], look: int) -> float:
    """What the faults it leaves are expected to cost, given that it did not cure: each by the chance that it
    is left. `price`: of each option, what comes back within a year counted in."""
    total = 0.0
    for repair in dict.fromkeys(d.options[0].repair for d in lasting):
        mine = [d for d in lasting if d.options[0].repair == repair]
        left = {f: draft.left[f] for d in mine for f in d.options[0].cures if draft.left.get(f)}
        tried = {f: max((o.takes for o in draft.options if f in o.cures), default=0.0) for f in left}
        ways = {
            f: [(d.options[0].takes, price[d.cost.id]) for d in mine if f in d.options[0].cures] for f in left
        }
        # At most one fault of a repair is put right: where their chances add to more than one, they share it.
        total += sum(p * _put_right(ways[f], tried[f], look) for f, p in left.items()) / max(
            sum(left.values()), 1.0
        )
    # The chances that faults are left hold whether it cured or not; the costs ask for "given that it did
    # not".
    return total / max(1 - draft.cost.cures, 1e-6)


def _put_right(ways: list[tuple[float, float]], tried: float, look: int) -> float:
    """What it is expected to cost until one repair has taken, by the cheapest way: what failed once is not
    tried again, a surer one is, with another look before it; the surest is done over."""
    surer = [w for w in ways if w[0] > tried]
    if not surer:
        # Done over until it takes: the tries behind the first are a geometric series.
        takes, cost = max(ways, key=lambda w: (w[0], -w[1]))
        return cost + (1 - takes) / takes * (cost + look)
    return min(cost + (1 - takes) * (look + _put_right(ways, takes, look)) for takes, cost in surer)


def _at_typed_price(draft: _Draft, costed: Costed, prices: Prices) -> Costed:
    """Where the whole price of every option was typed, it stands in place of the sum."""
    given = [prices.typed.get(o.id, {}).get("price") for o in draft.options]
    if any(g is None for g in given):
        return costed
    price = round(sum(g for g in given if g is not None))
    return replace(costed, price=price, expected=costed.expected - costed.price + price)


def _whole_coins(offer: Offer) -> Offer:
    """An estimate pretends no small change."""

    def whole(amount: int | None) -> int | None:
        return None if amount is None else round(amount / COIN) * COIN

    names = (
        "price",
        "parts",
        "labour",
        "tax",
        "if_not_cured",
        "if_back",
        "if_broken",
        "standstill",
        "expected",
        "per_warranted_month",
    )
    rounded: dict[str, Any] = {name: whole(getattr(offer.costed, name)) for name in names}
    return replace(offer, costed=replace(offer.costed, **rounded))


def _repairs(draft: _Draft) -> tuple[str, ...]:
    return tuple(dict.fromkeys(r for o in draft.options for r in o.repairs))


def _options(assessed: Assessed, repair: str) -> list[Option]:
    """The options of a repair that make sense here: only the failed ones, when some failed and some did
    not."""
    knowledge = assessed.knowledge
    job = assessed.job
    about = assessed.cylinders_about(repair)
    options = []
    for option in knowledge.repairs[repair].options.values():
        if option.shape.pieces == "failed" and (not about or len(about) == job.cylinders):
            continue
        if possible(assessed, option):
            options.append(option)
    return options


def cylinders_of(assessed: Assessed, option: Option) -> tuple[int, ...]:
    """The cylinders that an option works on; empty where it is not done cylinder by cylinder."""
    if option.shape.pieces == "all":
        return tuple(range(1, assessed.job.cylinders + 1))
    return assessed.cylinders_about(option.repair, at_repair=True) if option.shape.pieces else ()


def _draft(assessed: Assessed, options: tuple[Option, ...], prices: Prices) -> _Draft:
    suspicion = assessed.suspicion
    knowledge = assessed.knowledge
    singles = [_single(assessed, o, prices) for o in options]
    cures, present = suspicion.cured_by([(o.cures, o.takes) for o in options])
    names = suspicion.space.names
    left = {names[i]: float(p) for i, p in enumerate(present)}
    reached = _access_hours(knowledge, options, prices)
    because = "; ".join(dict.fromkeys(because for _, because in singles))
    cost = singles[0][0] if len(singles) == 1 else _together([c for c, _ in singles], prices)
    cost = replace(
        cost, cures=min(max(cures, 0.0), 1.0), access_h=reached if reached is not None else cost.access_h
    )
    cylinders = tuple(dict.fromkeys(c for o in options for c in cylinders_of(assessed, o)))
    typed = all({"parts", "price"} & set(prices.typed.get(o.id, {})) for o in options)
    return _Draft(options, cost, left, not typed, cylinders, because)


def _together(costs: list[CostOption], prices: Prices) -> CostOption:
    """Several options as one: what it takes adds up, the longest wait counts, and each may come back or
    break."""
    again = sum(c.comes_back * price_of(c, prices.rate, prices.tax_percent)[0] for c in costs)
    none_back = float(np.prod([1 - c.comes_back for c in costs]))
    breaks = 1 - float(np.prod([1 - c.breaks for c in costs]))
    harm = sum(c.breaks * c.break_cost for c in costs)
    warranted = [c.warranty_months for c in costs if c.warranty_months]
    back = 1 - none_back
    return CostOption(
        "+".join(c.id for c in costs),
        " + ".join(c.title for c in costs),
        sum(c.parts for c in costs),
        sum(c.labour_h for c in costs),
        sum(c.access_h for c in costs),
        sum(c.consumables for c in costs),
        0.0,
        back,
        round(again / back) if back else 0,
        breaks,
        round(harm / breaks) if breaks else 0,
        0,
        max(c.days for c in costs),
        min(warranted, default=0),
    )


def _access_hours(knowledge: Knowledge, options: tuple[Option, ...], prices: Prices) -> float | None:
    """Hours to reach what is done, each state of the vehicle counted once. None: a figure of its own, or
    typed."""
    if any("access_h" in prices.typed.get(o.id, {}) or o.shape.access_figure for o in options):
        return None
    states = dict.fromkeys(a for o in options for r in o.repairs for a in knowledge.repairs[r].shape.access)
    return sum(knowledge.access[a].minutes for a in states) / 60


def _single(assessed: Assessed, option: Option, prices: Prices) -> tuple[CostOption, str]:
    """One option as it is costed, and where the odds that it comes back are from."""
    job = assessed.job
    knowledge = assessed.knowledge
    shape = option.shape
    repair = knowledge.repairs[option.repair].shape

    def figure(name: str) -> float:
        own = job.engine.limit(name)
        return knowledge.general(name) if own is None else own

    bad = assessed.condemned(option.repair, at_repair=True)
    cylinders = cylinders_of(assessed, option)
    pieces = len(cylinders) or 1
    typed = prices.typed.get(option.id, {})
    part_min = shape.part_minutes if shape.part_minutes is not None else repair.part_minutes * shape.parts
    each = figure(shape.minutes_figure) if shape.minutes_figure else repair.minutes * shape.minutes / 60
    hours = typed.get("labour_h", each * pieces + repair.minutes * shape.minutes_once / 60)
    reach = (
        figure(shape.access_figure)
        if shape.access_figure
        else sum(knowledge.access[a].minutes for a in repair.access) / 60
    )
    back, breaks, because = _risks(knowledge, job, option, bad, cylinders)
    break_h = figure(shape.break_figure) if shape.break_figure else shape.break_minutes / 60
    return (
        CostOption(
            option.id,
            option.title,
            round(typed.get("parts", part_min / 60 * prices.rate)) * pieces,
            hours,
            typed.get("access_h", reach),
            round(typed.get("consumables", 0)),
            0.0,
            back,
            0,
            breaks,
            round(break_h * prices.rate),
            0,
            typed.get("days", shape.days),
            round(typed.get("warranty_months", shape.warranty_months)),
        ),
        because,
    )


def _risks(
    knowledge: Knowledge, job: Job, option: Option, bad: Condemned, cylinders: tuple[int, ...]
) -> tuple[float, float, str]:
    """The chance that it comes back within a year, that something breaks on the way out, and where they are
    from."""
    shape = option.shape
    failed = len(bad.cylinders)
    limits = knowledge.limits(plug_life.PlugLifeLimits, job.engine.limits)
    back = shape.back
    breaks = shape.breaks
    because = "general figure"
    if shape.wears and cylinders:
        age = job.odometer_km or GENERAL_ODOMETER_KM
        if shape.pieces == "failed":
            back = plug_life.next_failure_chance(age, failed, job.cylinders, YEARLY_KM, limits.life_shape)
            left = job.cylinders - failed
            others = "the last one" if left == 1 else f"one of the other {left}"
            at_km = grouped(round(age / 1000) * 1000)
            because = (
                f"{failed} of {job.cylinders} gone at {at_km} km: {others} follows"
                f" within {grouped(round(YEARLY_KM))} km with {round(back * 100)} % (Weibull, shape"
                f" {limits.life_shape:g})"
            )
        else:
            scale = plug_life.life_scale(age, failed, job.cylinders, limits.life_shape)
            back = plug_life.new_set_failure_chance(scale, job.cylinders, YEARLY_KM, limits.life_shape)
            because = "all new: next to none in the first year"
    if shape.snaps:
        breaks = plug_life.snap_chance(failed if cylinders else 0, max(0, len(cylinders) - failed), limits)
    return back, breaks, because


def advice(assessed: Assessed) -> list[Advice]:
    """What a technician should hear before money is spent: what the leading suspect still lacks, and what is
    a guess."""
    knowledge = assessed.knowledge
    advised = []
    for repair in list(assessed.suspicion.repairs_needed)[:2]:
        shape = knowledge.repairs[repair].shape
        bad = assessed.condemned(repair)
        if shape.at_part and bad.afar:
            test = next(
                (
                    v
                    for v in assessed.now
                    if v.where.get("cylinder") in bad.afar and v.judgement.verdict == "failed"
                ),
                None,
            )
            where = {"point": shape.at_part.points[0]} if shape.at_part.points else {}
            place = test_place(knowledge, test.test, where) if test else None
            names = ", ".join(map(str, sorted(bad.afar)))
            advised.append(
                Advice(
                    f"Cylinder {names} condemned from the connector alone: a broken wire reads the same."
                    f" Repeat it at the {shape.at_part.word} before it is pulled.",
                    place,
                    True,
                )
            )
        unread = [
            cylinder
            for cylinder in range(1, assessed.job.cylinders + 1)
            if not any(v.where.get("cylinder") == cylinder for v in assessed.now)
        ]
        if (
            bad.cylinders
            and unread
            and any(o.shape.pieces for o in knowledge.repairs[repair].options.values())
        ):
            advised.append(
                Advice(
                    f"Cylinder {', '.join(map(str, unread))} never read: the count is a guess.", None, False
                )
            )
    if not assessed.evidence:
        return advised  # nothing is suspected yet
    buy = assessed.proposals.before_you_buy
    top = assessed.suspicion.suspects[0]
    if buy and buy.test.minutes <= LOOK_MIN and not any(a.before for a in advised):
        says = (
            f"{top.title} stands at {percent(top.probability)}. {counted(round(buy.test.minutes), 'minute')}"
            f" would tell: {inside(buy.test.title)}."
        )
        advised.append(Advice(says, test_place(knowledge, buy.test.test, buy.test.where), True))
    elif top.probability < 0.8 and (first := assessed.proposals.first):
        says = (
            f"The leading suspect stands at {percent(top.probability)}."
            f" {counted(round(first.minutes), 'minute')} more would tell: {inside(first.title)}."
        )
        advised.append(Advice(says, test_place(knowledge, first.test, first.where), False))
    return advised


def offer_says(offers: Iterable[Offer]) -> list[dict[str, object]]:
    """The offers in their open form."""
    return [
        {
            "offer": offer.id,
            "options": [x.id for x in offer.options],
            "repairs": list(offer.repairs),
            "cures": round(offer.cures, 4),
            "estimated": offer.estimated,
            "leaves": [{"fault": f, "probability": round(p, 4)} for f, p in offer.leaves],
            "price": offer.costed.price,
            "expected": offer.costed.expected,
        }
        for offer in offers
    ]
