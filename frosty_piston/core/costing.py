"""Options side by side: what each really costs, and how sure one must be for it to pay."""

from dataclasses import dataclass, replace


@dataclass(frozen=True, slots=True)
class Option:
    """One way to repair. Money in the smallest coin, labour in hours, chances 0..1.

    `access_h` is 0 when other work on the vehicle pays for it; `next_step` is what follows when it does not
    cure; `back_cost` is what a return costs, 0 for the price once more.
    """

    id: str
    title: str
    parts: int
    labour_h: float
    access_h: float = 0.0
    consumables: int = 0
    cures: float = 0.9
    comes_back: float = 0.05
    back_cost: int = 0
    breaks: float = 0.0
    break_cost: int = 0
    next_step: int = 0
    days: float = 0.0
    warranty_months: int = 0


@dataclass(frozen=True, slots=True)
class Costed:
    """An option costed, in the smallest coin: what it is made of, and the odds at which it breaks even."""

    option: Option
    price: int
    parts: int
    labour: int
    tax: int
    if_not_cured: int
    if_back: int
    if_broken: int
    standstill: int
    expected: int
    per_warranted_month: int | None
    break_even: float | None


def price_of(option: Option, rate: int, tax_percent: float) -> tuple[int, int, int]:
    """Return price, labour and tax of an option: ``(parts + consumables + hours*rate)*(1 + tax)``.

    Parameters: `option`: the option; `rate`: price of an hour in the smallest coin; `tax_percent`: tax in
    percent. Source: plain arithmetic in the smallest coin.

    >>> price_of(Option("one", "One plug", 2800, 0.5, 0.3), 9500, 25)
    (13000, 7600, 2600)
    """
    labour = round((option.labour_h + option.access_h) * rate)
    net = option.parts + option.consumables + labour
    tax = round(net * tax_percent / 100)
    return net + tax, labour, tax


def cost_options(
    options: list[Option], rate: int, tax_percent: float, standstill_per_day: int = 0
) -> list[Costed]:
    """Cost the options: ``price + P(not cured)*next + P(back)*again + P(break)*extra + days*standstill``.

    The break-even odds are the chance of cure at which an option costs as much as the cheapest other one:
    ``q* = 1 - (other - rest)/next``; None when it wins or loses at any odds. Order is kept. Parameters:
    `rate`: price of an hour in the smallest coin; `tax_percent`: tax in percent; `standstill_per_day`: what a
    day of standing costs, smallest coin. Raises ValueError for a negative figure. Source: expected cost,
    `docs/models.md`.

    >>> one = Option("one", "One", 2800, 0.5, 0.3, cures=0.9, comes_back=0.28, next_step=20000)
    >>> both = Option("set", "Set", 11200, 1.0, 0.3, cures=0.9, comes_back=0.03, next_step=20000)
    >>> [c.expected for c in cost_options([one, both], 9500, 25)]
    [18640, 32321]
    """
    for option in options:
        for name in ("cures", "comes_back", "breaks"):
            if not 0 <= getattr(option, name) <= 1:
                raise ValueError(f"{option.id}: {name} is a chance between 0 and 1")
        if (
            min(option.parts, option.consumables, option.back_cost, option.break_cost, option.next_step) < 0
            or min(option.labour_h, option.access_h, option.days) < 0
        ):
            raise ValueError(f"{option.id}: money, hours and days cannot be negative")
    costed = []
    for option in options:
        price, labour, tax = price_of(option, rate, tax_percent)
        parts = option.parts + option.consumables
        not_cured = round((1 - option.cures) * option.next_step)
        back = round(option.comes_back * (option.back_cost or price))
        broken = round(option.breaks * option.break_cost)
        still = round(option.days * standstill_per_day)
        months = round(price / option.warranty_months) if option.warranty_months else None
        costed.append(
            Costed(
                option,
                price,
                parts,
                labour=labour,
                tax=tax,
                if_not_cured=not_cured,
                if_back=back,
                if_broken=broken,
                standstill=still,
                expected=price + not_cured + back + broken + still,
                per_warranted_month=months,
                break_even=None,
            )
        )
    return [replace(c, break_even=_break_even(c, [o.expected for o in costed if o is not c])) for c in costed]


def _break_even(costed: Costed, others: list[int]) -> float | None:
    if not others or costed.option.next_step <= 0:
        return None
    rest = costed.expected - costed.if_not_cured
    odds = 1 - (min(others) - rest) / costed.option.next_step
    return odds if 0 < odds < 1 else None
