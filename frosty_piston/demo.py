"""Fills an empty workshop with the demo world."""

from collections.abc import Callable
from datetime import datetime, time
from typing import Any

from .core.traces import Signal, signal
from .formats.channel_map import converted, guess, shape_of
from .formats.picture import Mark, clean, marked
from .formats.trace_files import read_recording, write_csv
from .job.afterwards.experience import OwnCode
from .job.day.setup import BayKept, Break, DaySetup, Hours
from .job.engine import EngineCard
from .job.judging.air_recorded import analysed
from .job.tape import jobfile
from .rig.demo.pictures import bolts, connector, plug_tip, valve
from .rig.demo.recordings import Columns, demo_recordings
from .rig.demo.repairs import demo_jobs
from .rig.demo.world import CARDS, OWN_CODE, PATTERN, PEOPLE, VEHICLES
from .rig.demo.year import made_up_year
from .store.timestamps import now, stamp
from .store.workshop import Workshop
from .training.exercise import Spec
from .training.sessions import act_on, begin_exercise, kept_of, looked_back
from .training.trainee import trained

# Seven jobs are on the day: three waits run, two deadlines are near, the rest stays in the yard.
OFF_THE_DAY = (
    "demo-cliff-van",
    "demo-carrier-egr",
    "demo-patrol",
    "demo-mast-van",
    "demo-grit",
    "demo-bus-egr",
    "demo-ridge",
    "demo-mail-van",
    "demo-groomer-2",
    "demo-harbour",
    "demo-wagon",
)
SEEN: tuple[tuple[str, Callable[[int], bytes], dict[str, Any], Mark | None], ...] = (
    (
        "demo-van-3",
        plug_tip,
        {"shows": "find", "note": "tip of plug 2, swollen and cracked"},
        Mark("circle", 0.82, 0.5, 0.9, 0.5),
    ),
    (
        "demo-pier-van",
        connector,
        {"shows": "face", "note": "cavity 2 fretted", "node": "injector"},
        Mark("arrow", 0.7, 0.85, 0.46, 0.55),
    ),
    ("demo-bus-turbo", bolts, {"shows": "hardware", "note": "the long one sat at the bottom"}, None),
    (
        "demo-bus-egr",
        lambda n: valve(n, True),
        {"shows": "before", "note": "as it came out", "paper": True},
        None,
    ),
    (
        "demo-bus-egr",
        lambda n: valve(n, False),
        {"shows": "after", "note": "after the bath", "paper": True},
        None,
    ),
)
LETTERHEAD = {"name": "Skerry rescue workshop", "note": "Pier 3, open 7 to 16, emergencies always"}
WANTED = (
    ("demo-patrol", "glow module", 1, "Island parts"),
    ("demo-van-5", "turbo actuator with gasket", 1, "Island parts"),
    ("demo-van-3", "glow plug", 4, "Mainland diesel"),
)
ARRIVED = ("demo-shuttle-cooler", "EGR cooler gasket", 2, "Mainland diesel")
STANDS = {"demo-bus-turbo": "Lift"}
# Exercises that were made: vehicle, person, how much surer than the odds, what was bought too early.
TRAINED = (
    (2 + 32 * 4, "Ylva", 1.0, ""),
    (15 + 32 * 8, "Ylva", 0.9, ""),
    (11 + 32 * 3, "Torvald", 1.6, "glow_plugs"),
)
SET_FOR_ALL = ("Friday afternoon", 3 + 32 * 5, ("Torvald", "Ylva", "Sunniva"))


def fill_demo(workshop: Workshop) -> None:
    """Put cards, vehicles, people and jobs in place, once."""
    if workshop.settings.get("demo"):
        return
    workshop.settings.save("demo", {"made": False})
    cards = {card["name"]: workshop.garage.add_card(card) for card in CARDS}
    for data, card in VEHICLES:
        workshop.garage.add_vehicle(data, cards[card])
    for name in PEOPLE:
        workshop.settings.add_person(name)
    workshop.settings.save("prices", {"rate": 95_000, "tax_percent": 25.0, "currency": "kr"})
    workshop.shelf.add_pattern(**PATTERN)
    workshop.shelf.save_code(OwnCode(**OWN_CODE))
    recorded: dict[str, list[tuple[str, Columns]]] = {}
    for job_id, name, columns in demo_recordings():
        recorded.setdefault(job_id, []).append((name, columns))
    for job in demo_jobs(now()):
        _open(workshop, job, recorded.get(job["job"]["id"], []))
    _show(workshop)
    workshop.settings.save("letterhead", LETTERHEAD)
    known = {card["name"]: EngineCard.model_validate(card) for card in CARDS}
    workshop.cases.keep_all(made_up_year(workshop.knowledge, known, now()), made_up=True)
    for n, (job_id, what, count, supplier) in enumerate(WANTED):
        workshop.orders.want(
            f"wanted-{n}", job_id, what, count=count, supplier=supplier, price=None, by="Torvald"
        )
    workshop.orders.want("arrived", *ARRIVED, None, "Torvald")
    workshop.orders.ordered("arrived", now(), "")
    workshop.orders.arrived("arrived", "Torvald")
    workshop.day.keep_setup(_day_setup(now()))
    for job_id in OFF_THE_DAY:
        workshop.day.put(job_id, on=False)
    for job_id, bay in STANDS.items():
        workshop.day.stands(job_id, bay)
    _train(workshop)
    workshop.settings.save("demo", {"made": True})


def _show(workshop: Workshop) -> None:
    """Pictures, as somebody at the bench would have taken them."""
    for index, (job_id, drawn, data, mark) in enumerate(SEEN):
        last = workshop.tapes.job(job_id).job.tape[-1]
        image = workshop.pictures.keep(clean(drawn(index)))
        entries = [{"id": f"seen-{index}", "kind": "picture", "data": {"image": image, **data}}]
        if mark is not None:
            copy = workshop.pictures.keep(marked(workshop.pictures.data(image), [mark]))
            shown = {"image": copy, "copy_of": image, **data, "paper": True}
            entries.append({"id": f"seen-{index}-marked", "kind": "picture", "data": shown})
        at = stamp(last.at) if last.at else None
        workshop.tapes.write(job_id, [_dated(x, at) for x in entries], "Ylva")


def _train(workshop: Workshop) -> None:
    """Three finished exercises of two people, and one that is set for all."""
    knowledge = workshop.knowledge
    rate = workshop.settings.prices().rate
    for n, (number, person, bold, too_early) in enumerate(TRAINED):
        spec = Spec(number, "off")
        exercise_id = begin_exercise(workshop, spec, person, exercise_id=f"training-demo-{n}")
        for seen, act in enumerate(trained(spec, knowledge, rate, bold, too_early)):
            act_on(workshop, exercise_id, seen, act)
        looked_back(workshop, exercise_id)
    title, number, people = SET_FOR_ALL
    workshop.training.exercises.new_set(title, kept_of(Spec(number, "off")), people, "Sunniva")


def _day_setup(at: datetime) -> DaySetup:
    """Two people, a lift and a floor bay; their hours are laid around the hour in which the demo is made, so
    that the day is under way whenever that is."""
    first = min(max(at.astimezone().hour - 1, 0), 14)
    noon = time(first + 4, 30), time(first + 5, 15)
    hours = Hours(
        since=time(first),
        until=time(first + 9),
        breaks=(Break(since=noon[0], until=noon[1]),),
        days=tuple(range(7)),
    )
    learner = hours.model_copy(update={"may": ("talk", "measure", "fit")})
    away = hours.model_copy(update={"there": False})
    bays = (BayKept(name="Lift", kind="lift"), BayKept(name="Floor", kind="floor"))
    people = {"Ylva": hours, "Torvald": learner, "Sunniva": away}
    return DaySetup(hours=people, bays=(*bays, BayKept(name="Outside", kind="outside")), tools=("scan",))


def half_made(workshop: Workshop) -> bool:
    """Whether the demo world was begun here and the process ended before it was whole."""
    return workshop.settings.get("demo").get("made") is False


def _open(workshop: Workshop, job: dict[str, Any], recorded: list[tuple[str, Columns]]) -> None:
    """Open a job with its recordings. Where something was cleaned, the first one was made before that and the
    rest after, and what they say of the air path is written down."""
    job_id = job["job"]["id"]
    entries = job["entries"]
    cut_at = next(
        (n for n, x in enumerate(entries) if recorded and x["data"].get("action") == "cleaned"), len(entries)
    )
    workshop.tapes.add_file(jobfile.check({**job, "entries": entries[:cut_at]}, workshop.knowledge))
    cleaned = cut_at < len(entries)
    for index, (name, columns) in enumerate(recorded):
        if index == 1 and cleaned:
            workshop.tapes.write(job_id, entries[cut_at:], None)
        trace_id, signals = _bring_in(
            workshop, job_id, name, columns, entries[cut_at - 1]["at"] if cleaned and index == 0 else None
        )
        if cleaned:
            _write_down(
                workshop, job_id, trace_id, signals, entries[cut_at - 1]["at"] if index == 0 else None
            )


def _bring_in(
    workshop: Workshop, job_id: str, name: str, recorded: Columns, at: str | None
) -> tuple[str, dict[str, Signal]]:
    """Bring a simulated recording in the way a file comes in: written as CSV, read, mapped, put on the
    tape."""
    knowledge = workshop.knowledge
    data = write_csv(recorded).encode()
    read = read_recording(data)
    columns = {c.index: c for c in read.columns}
    taken = {m.channel: columns[m.column] for m in guess(read, knowledge) if m.channel}
    shapes = {channel: shape_of(channel, knowledge) for channel in taken}
    units = {channel: shape.unit for channel, shape in shapes.items() if shape}
    signals = {
        channel: signal(
            read.times_s[value.time_column], converted(read.values[value.index], value.unit, units[channel])
        )
        for channel, value in taken.items()
    }
    attachment = workshop.recordings.keep_file(job_id, name, data, "Ylva")
    names = {channel: c.name for channel, c in taken.items()}
    written = datetime.fromisoformat(at) if at else None
    trace_id = workshop.bring_in(job_id, attachment, name, signals, names, units, "Ylva", written)
    return trace_id, signals


def _write_down(
    workshop: Workshop, job_id: str, trace_id: str, signals: dict[str, Signal], at: str | None
) -> None:
    """Put what a recording says of the air path on the tape, with the stretch it came from."""
    readings = workshop.tapes.job(job_id).assessed.readings
    source = {
        "trace": trace_id,
        "start_s": min(float(s.times_s[0]) for s in signals.values()),
        "end_s": max(float(s.times_s[-1]) for s in signals.values()),
    }
    entries = [(kind, data) for a in analysed(readings, signals) if not a.points for kind, data in a.writes]
    workshop.tapes.write(
        job_id,
        [
            _dated({"id": f"{trace_id}-{index}", "kind": kind, "data": {**data, "source": source}}, at)
            for index, (kind, data) in enumerate(entries)
        ],
        "Ylva",
    )


def _dated(entry: dict[str, Any], at: str | None) -> dict[str, Any]:
    return entry if at is None else {**entry, "at": at}
