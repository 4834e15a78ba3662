"""Made-up days of a workshop: jobs with work and waits, people with hours, bays, one scan tool."""

import random

from frosty_piston.core.day import Bay, Day, DayLimits, Person, Piece, Work, parted

DAYS = 5
MORNING = (0, 120)
NOON = (135, 270)
AFTERNOON = (315, 435)
EVENING = (445, 540)
WAITS_MIN = (30, 30, 45, 60, 90, 240, 960)
LIFT = frozenset({"lift"})
ROOF = frozenset({"lift", "floor"})
ANYWHERE = frozenset({"lift", "floor", "outside"})
MAY = (
    frozenset({"talk", "measure", "fit", "road"}),
    frozenset({"talk", "measure", "fit"}),
    frozenset({"measure", "fit", "road"}),
)


def made_up_day(seed: int, jobs: int, people: int, limits: DayLimits) -> Day:
    """One day: `jobs` of three to nine pieces, a third of them waits; two in three have a deadline that can
    be held when they are alone."""
    draw = random.Random(seed)
    hours = tuple(
        (d * 1440 + s, d * 1440 + e) for d in range(DAYS) for s, e in (MORNING, NOON, AFTERNOON, EVENING)
    )
    staff = tuple(Person(f"P{n + 1}", MAY[n % len(MAY)], hours) for n in range(people))
    bays = (
        Bay("Lift", "lift"),
        Bay("Floor", "floor"),
        Bay("Outside 1", "outside"),
        Bay("Outside 2", "outside"),
    )
    return Day(tuple(_job(draw, n, limits) for n in range(jobs)), staff, bays, frozenset({"scan"}))


def _job(draw: random.Random, n: int, limits: DayLimits) -> Work:
    pieces: list[Piece] = []
    bay = draw.choice((ROOF, ROOF, ANYWHERE, LIFT))
    count = draw.randint(3, 9)
    for at in range(count):
        name = f"{n}/{at}"
        if 0 < at < count - 1 and draw.random() < 0.3 and not pieces[-1].wait:
            minutes = draw.choice(WAITS_MIN)
            pieces.append(
                Piece(name, str(n), "Wait", minutes, minutes * 0.1, wait=True, lets_out=minutes >= 240)
            )
        else:
            pieces += parted(_work(draw, name, n, bay, at == count - 1), limits.chunk_min)
    alone = sum(p.minutes for p in pieces)
    due = None if draw.random() < 1 / 3 else int(540 if alone < 300 else 1440 * (1 + alone // 700) + 540)
    return Work(str(n), f"Job {n + 1}", tuple(pieces), due, draw.choice((50, 50, 120, 300)))


def _work(draw: random.Random, name: str, n: int, bay: frozenset[str], last: bool) -> Piece:
    if last:
        return Piece(name, str(n), "Hand over", 5, 2.0, task="talk")
    task = draw.choice(("measure", "measure", "fit", "talk", "road"))
    minutes = {"talk": 5, "road": 30}.get(task) or draw.choice((4, 6, 10, 15, 30, 60, 100))
    bays = {"talk": frozenset[str](), "road": frozenset[str]()}.get(task, bay)
    tools = frozenset({"scan"}) if task == "measure" and draw.random() < 0.4 else frozenset[str]()
    return Piece(name, str(n), task, minutes, minutes * 0.35, task=task, bays=bays, tools=tools)
