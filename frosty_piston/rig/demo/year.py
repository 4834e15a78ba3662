"""A made-up year of a workshop: finished jobs that no tape stands behind, for the demo and the bench."""

import random
from collections.abc import Iterator, Mapping
from datetime import datetime, timedelta

from frosty_piston.job.afterwards.case import Case
from frosty_piston.job.engine import EngineCard
from frosty_piston.knowledge import Knowledge

KINDS = ("van", "carrier", "plough", "groomer", "bus", "patrol car", "wagon", "spreader")
VEHICLES = 420
COME_BACK = 0.07
NOT_PROVEN = 0.12
OVERSURE = 0.06
STAGES = {"arrive": 14.0, "measure": 55.0, "decide": 12.0, "fit": 95.0, "prove": 38.0}


def true_rates(
    knowledge: Knowledge, card: EngineCard, draw: random.Random, spread: float = 0.9
) -> dict[str, float]:
    """How often each fault really comes to one workshop: the general rates, each off by a factor of its
    own."""
    rates = {
        fault: shape.per_thousand * draw.lognormvariate(0.0, spread)
        for fault, shape in knowledge.faults.items()
        if not card.rules_out(shape.needs)
    }
    total = sum(rates.values())
    return {f: r / total for f, r in rates.items()}


def made_up_year(
    knowledge: Knowledge, cards: Mapping[str, EngineCard], until: datetime, count: int = 400, seed: int = 20
) -> Iterator[Case]:
    """So many finished jobs, the last of them a few days ago, one after the other."""
    draw = random.Random(seed)
    rates = {name: true_rates(knowledge, card, draw) for name, card in sorted(cards.items())}
    fleet = [
        (f"{draw.choice(KINDS).capitalize()} {n + 1}", draw.choice(sorted(cards))) for n in range(VEHICLES)
    ]
    last: list[Case] = []
    for n in range(count):
        closed = until - timedelta(days=2 + (count - n) * 364 / count, hours=draw.randrange(9))
        back = draw.choice(last[-60:]) if len(last) > 20 and draw.random() < COME_BACK else None
        vehicle, card = (back.vehicle, back.engine) if back else draw.choice(fleet)
        faults = [f for f in rates[card] if not back or knowledge.fault_system[f] == back.system]
        fault = draw.choices(faults, [rates[card][f] for f in faults])[0]
        case = _case(knowledge, draw, n, vehicle=vehicle, card=card, fault=fault, closed=closed)
        last.append(case)
        yield case


def _case(
    knowledge: Knowledge, draw: random.Random, n: int, vehicle: str, card: str, fault: str, closed: datetime
) -> Case:
    repair = knowledge.repair_of[fault]
    stated = min(0.99, max(0.12, draw.betavariate(6.0, 1.3)))
    right = draw.random() < stated - OVERSURE
    proven = draw.random() > NOT_PROVEN
    act = draw.choice(("replaced", "replaced", "cleaned", "repaired"))
    tests = [
        t for t, shape in knowledge.tests.items() if shape.system == knowledge.fault_system[fault]
    ] or list(knowledge.tests)
    made = draw.sample(tests, min(len(tests), draw.randint(1, 4)))
    slow = {t: draw.lognormvariate(0.15, 0.35) for t in made}
    wrong = draw.choice(sorted(knowledge.repairs))
    repairs = [(repair, act, proven)] if right else [(wrong, "replaced", False), (repair, act, proven)]
    return Case(
        f"made-up-{n:03}",
        card,
        knowledge.fault_system[fault],
        vehicle=vehicle,
        opened_at=closed - timedelta(hours=draw.uniform(3, 60)),
        closed_at=closed,
        proven=proven,
        faults={fault: 1.0} if proven else {},
        repairs=repairs,
        tests={t: [round(knowledge.tests[t].minutes * slow[t], 1)] for t in made},
        silent=[t for t in made if draw.random() < 0.12],
        stated=round(stated, 3),
        right=right and proven,
        said=knowledge.repairs[repairs[0][0]].title,
        stages={s: round(m * draw.lognormvariate(0.0, 0.4), 1) for s, m in STAGES.items()},
    )
