"""An exercise: a simulated vehicle in the bay, and what is done to it, act by act. The state is worked out
from the acts alone: the same vehicle and the same acts give the same readings for everybody."""

import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any

import numpy as np

from frosty_piston.core.errors import BadInput, Fault
from frosty_piston.core.words import inside, listed
from frosty_piston.job.engine import EngineCard
from frosty_piston.job.weighing import access
from frosty_piston.job.weighing.stopping import LEVER
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.training_shapes import LESSONS, LessonShape
from frosty_piston.rig.condition import Condition
from frosty_piston.rig.drawn_recordings import Channels, recording_of
from frosty_piston.rig.driver import start_warm, truths
from frosty_piston.rig.physics import start_quality
from frosty_piston.rig.testing import Entry, perform
from frosty_piston.rig.vehicles import NoSuchVehicle, SimulatedVehicle, Unnoticed, simulated

Act = dict[str, Any]
Place = tuple[str, dict[str, str]]
HELP = {"off": "Off", "on_request": "On request", "on": "On"}
STARTS_FROM = 0.12
MOST_FOLLOWING = 6
FOLLOWS = 10**7
SCAN_MIN = 5.0
DRIVE_MIN = 25.0
OVERNIGHT_MIN = 600.0
WARM_MIN = 15.0
START_MIN = 1.0
MOST_ACTS = 120
ASKED_EVERY = 3
SURE = (10, 99)
COIN = 100
TELLS_NOTHING_OF = ("limits", "glow_nominal_ohm", "compression_ratio", "displacement_l")
NO_CARD = "Engine without a card"
PASSING = {"key_on", "running", "none", access.COLD, access.HOT}
ENDS_WHEN_STARTED = {
    "injector_lines_off": "lines_off",
    "intake_off": "open_intake",
    "plug_removed": "plug_out",
}


@dataclass(frozen=True)
class Spec:
    """What an exercise is: the vehicle's number, the engine card (None: the one that comes with the number),
    whether that card is known to who trains, and how much help there is."""

    number: int
    help: str = "on_request"
    card: Mapping[str, Any] | None = None
    card_known: bool = True

    def lesson(self, knowledge: Knowledge) -> tuple[str, LessonShape]:
        """What is trained. Raises BadInput for a number without a lesson."""
        for key, lesson in knowledge.training.lessons.items():
            if lesson.number == self.number % LESSONS:
                return key, lesson
        raise BadInput([Fault("number", "there is no vehicle with this number")])

    def vehicle(self, knowledge: Knowledge) -> SimulatedVehicle:
        """The vehicle of its number: where nothing of what is wrong would be noticed on it, one that follows
        it. Raises BadInput where there is none."""
        _, lesson = self.lesson(knowledge)
        engine = None if self.card is None else dict(self.card)
        why = ""
        for n in range(MOST_FOLLOWING):
            try:
                vehicle = simulated(self.number // LESSONS + n * FOLLOWS, knowledge, engine, lesson=lesson)
                if vehicle.shown_apart or lesson.cleared and vehicle.shows:
                    return vehicle
                why = "Nothing that was told or stored shows what is wrong with it."
            except Unnoticed as error:
                why = str(error)
            except NoSuchVehicle as error:
                raise BadInput([Fault("card", str(error))]) from None
        raise BadInput([Fault("number", why)])

    def shown(self, engine: Mapping[str, Any]) -> dict[str, Any]:
        """The engine card as it lies on the bench: whole, or only what can be seen on the engine."""
        whole = dict(engine)
        if self.card_known:
            return whole
        seen = {key: value for key, value in whole.items() if key not in TELLS_NOTHING_OF}
        return {**seen, "name": NO_CARD}


@dataclass(frozen=True)
class Made:
    """A test that was made. `act`: which act it was; `at`: the minute when it was done."""

    act: int
    test: str
    where: dict[str, str]
    minutes: float
    at: float


@dataclass(frozen=True)
class Fitted:
    """A part that was bought and fitted. `right`: something that was wrong is cured by it."""

    act: int
    option: str
    repair: str
    title: str
    money: int
    minutes: float
    right: bool
    sure: int
    at: float


@dataclass(frozen=True)
class Sure:
    """What somebody thought at a moment: which repair, how sure in percent, and whether it was so. `when`:
    after how many tests."""

    act: int
    repair: str
    percent: int
    right: bool
    when: int


@dataclass
class Bay:
    """The vehicle after some acts, and what they took. `card`: the one on the bench; `written`: for each act
    what stands on the tape; `says`: what each act came to; `off`: what is off or open; `piece`: what is
    missing; `ended`: how it ended, "done", "given_up" or one of the endings; `by_hand`: recordings are
    written down instead; `places`: every test that this engine can have, and where."""

    spec: Spec
    knowledge: Knowledge
    vehicle: SimulatedVehicle
    card: EngineCard
    places: tuple[Place, ...]
    rate: int
    hot: bool
    cold: bool
    by_hand: bool = False
    minutes: float = 0.0
    waited: float = 0.0
    parts_money: int = 0
    off: set[str] = field(default_factory=set)
    scanned: bool = False
    lever: bool = False
    piece: str = ""
    lost_once: bool = False
    ended: str = ""
    looks: int = 0
    acts: list[Act] = field(default_factory=list)
    written: list[list[Entry]] = field(default_factory=list)
    says: list[str] = field(default_factory=list)
    clock: list[float] = field(default_factory=list)
    recordings: dict[int, tuple[str, Channels]] = field(default_factory=dict)
    tests: list[Made] = field(default_factory=list)
    fitted: list[Fitted] = field(default_factory=list)
    sure: list[Sure] = field(default_factory=list)

    @property
    def money(self) -> int:
        """Parts and the minutes of work, in the smallest coin."""
        return self.parts_money + whole_coins(self.rate * self.minutes / 60)

    @property
    def passed(self) -> float:
        """Minutes since it came in, waits counted in."""
        return self.minutes + self.waited

    @property
    def condition(self) -> Condition:
        return self.vehicle.condition

    @property
    def starts(self) -> bool:
        return _starts(self.condition, self.hot)

    @property
    def asks(self) -> bool:
        """Whether it is time to say how sure one is: once the codes are read, and after every few tests."""
        last = self.sure[-1].when if self.sure else -1
        return self.scanned and (last < 0 or len(self.tests) - last >= ASKED_EVERY) and not self.ended

    def copied(self) -> "Bay":
        """The same state, to go on from: what is done to one does nothing to the other."""
        kept = {f.name: getattr(self, f.name) for f in fields(self)}
        own: Any = {n: v.copy() for n, v in kept.items() if isinstance(v, (list, set, dict))}
        return replace(self, **own)

    def way(self, test: str, where: Mapping[str, str]) -> access.Way:
        return access.way_of(self.card, self.knowledge, test, where)

    def missing(self, test: str, where: Mapping[str, str]) -> list[str]:
        """What a test needs and what is not reached yet."""
        reached = self.off | {"key_on", "running", "none"}
        reached |= {a for a, holds in ((access.HOT, self.hot), (access.COLD, self.cold)) if holds}
        return [a for a in self.way(test, where).access if a not in reached]

    def runs(self, test: str, where: Mapping[str, str]) -> bool:
        """Whether the engine runs in a test."""
        return self.knowledge.tests[test].runs or "running" in self.way(test, where).access


def whole_coins(amount: float) -> int:
    """An amount in the smallest coin, without the small change."""
    return round(amount / COIN) * COIN


def _starts(state: Condition, hot: bool) -> bool:
    return (start_warm(state) if hot else start_quality(state)) >= STARTS_FROM


def begin(spec: Spec, knowledge: Knowledge, rate: int) -> Bay:
    """The vehicle as it comes in: driven in where it starts, else on the hook. `rate`: what an hour costs, in
    the smallest coin."""
    vehicle = spec.vehicle(knowledge)
    driven = _starts(vehicle.condition, False)
    card = EngineCard.model_validate(spec.shown(vehicle.engine))
    bay = Bay(spec, knowledge, vehicle, card, places_of(card, knowledge), rate, driven, not driven)
    state = access.HOT if bay.hot else access.COLD
    bay.written.append([*vehicle.arrival, {"kind": "state", "data": {"state": state}}])
    bay.says.append("")
    bay.clock.append(0.0)
    return bay


def play(spec: Spec, acts: Sequence[Act], knowledge: Knowledge, rate: int) -> Bay:
    """The vehicle after all acts. Raises BadInput for one that cannot be done there."""
    bay = begin(spec, knowledge, rate)
    for act in acts:
        do(bay, act)
    return bay


def do(bay: Bay, act: Act) -> None:
    """Do one act. Raises BadInput, with what would have to be done before, for one that cannot be done now;
    then nothing was changed."""
    if bay.ended:
        raise BadInput("The exercise is over.")
    if len(bay.acts) >= MOST_ACTS:
        raise BadInput(f"An exercise ends after {MOST_ACTS} acts: say what you found.")
    kind = str(act.get("act", ""))
    if kind not in ACTS:
        raise BadInput([Fault("act", f"choose one of {', '.join(ACTS)}")])
    says, entries = ACTS[kind](bay, act)
    bay.acts.append(act)
    bay.says.append(says)
    bay.written.append(entries)
    bay.clock.append(bay.passed)


def _chance(bay: Bay, what: str) -> np.random.Generator:
    """Chance that hangs on the vehicle and on what is done, and on nothing else."""
    return np.random.default_rng([bay.spec.number, zlib.crc32(what.encode())])


def _state(name: str) -> Entry:
    return {"kind": "state", "data": {"state": name}}


# what is done


def _scan(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    bay.minutes += SCAN_MIN
    bay.scanned = True
    codes = [e["data"]["code"] for e in bay.vehicle.scan if e["kind"] == "code"]
    return (f"Codes: {', '.join(codes)}." if codes else "No codes stand."), list(bay.vehicle.scan)


def _reach(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    what = str(act.get("access", ""))
    if what == access.COLD:
        return _cool(bay)
    if what == access.HOT:
        return _warm(bay)
    if what not in bay.knowledge.access or what in PASSING:
        raise BadInput([Fault("access", "choose something that can come off")])
    if what in bay.off:
        raise BadInput([Fault("access", f"{bay.knowledge.access[what].title} already")])
    bay.off.add(what)
    bay.minutes += bay.knowledge.access[what].minutes
    tray = bay.knowledge.training.pieces["tray"]
    lost = _chance(bay, f"tray {what}").random() < tray.chance
    if what in tray.opened_by and lost and not bay.lost_once:
        bay.piece = "tray"
        bay.lost_once = True
        return f"{bay.knowledge.access[what].title}. {tray.says}", []
    return f"{bay.knowledge.access[what].title}.", []


def _back(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    what = str(act.get("access", ""))
    if what not in bay.off:
        raise BadInput([Fault("access", "that is not off")])
    bay.off.discard(what)
    bay.minutes += bay.knowledge.access[what].minutes
    return f"Undone: {inside(bay.knowledge.access[what].title)}.", []


def _cool(bay: Bay) -> tuple[str, list[Entry]]:
    if bay.cold:
        raise BadInput([Fault("access", "it is cold already")])
    bay.hot = False
    bay.cold = True
    bay.waited += OVERNIGHT_MIN
    return "It stood overnight.", [_state(access.COLD)]


def _warm(bay: Bay) -> tuple[str, list[Entry]]:
    if bay.hot:
        raise BadInput([Fault("access", "it is hot already")])
    if not _cranked(bay):
        return _ending(bay), []
    bay.minutes += START_MIN
    if not bay.starts:
        return "It cranks and does not start.", []
    bay.hot = True
    bay.cold = False
    bay.minutes += WARM_MIN
    return "It runs, and is hot now.", [_state(access.HOT)]


def _ending(bay: Bay) -> str:
    return bay.knowledge.training.endings[bay.ended].says


def _cranked(bay: Bay, runs: bool = True) -> bool:
    """Turn the key. False: that ended the exercise."""
    opened = next((ending for off, ending in ENDS_WHEN_STARTED.items() if off in bay.off), "")
    unstopped = runs and bay.starts and not bay.lever and truths(bay.condition)["wont_stop"]
    bay.ended = "piece" if bay.piece else opened or ("no_stop" if unstopped else "")
    return not bay.ended


def _test(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    test = str(act.get("test", ""))
    where = {key: str(act[key]) for key in ("point", "node") if act.get(key)}
    if (test, where) not in bay.places:
        raise BadInput([Fault("test", "choose a test that this engine can have, at a place of its own")])
    shape = bay.knowledge.tests[test]
    way = bay.way(test, where)
    if missing := bay.missing(test, where):
        first = listed([inside(bay.knowledge.access[a].title) for a in missing])
        raise BadInput([Fault("test", f"not reached yet: {first}")])
    if not set(bay.knowledge.ticks_at(test, where.get("node"))) <= set(act.get("ticks", ())):
        raise BadInput([Fault("ticks", "tick the caution first")])
    runs = bay.runs(test, where)
    if (runs or shape.cranks) and not _cranked(bay, runs and not shape.stops_it):
        return _ending(bay), []
    if runs and not bay.starts:
        bay.minutes += START_MIN
        return "It cranks and does not start: the test cannot be made.", []
    if "road_test" in shape.cautions and _brakes_fail(bay):
        return _ending(bay), []
    return _read(bay, test, where, way)


def _brakes_fail(bay: Bay) -> bool:
    if truths(bay.condition)["hard_brake_pedal"]:
        bay.ended = "brakes"
    return bool(bay.ended)


def _read(bay: Bay, test: str, where: dict[str, str], way: access.Way) -> tuple[str, list[Entry]]:
    """Make a test at a place: the same one again reads a little differently, as meters do."""
    bay.minutes += way.own_min
    if bay.runs(test, where):
        bay.cold = False
    again = sum((m.test, m.where) == (test, where) for m in bay.tests)
    what = f"{test} {sorted(where.items())} {again} {sorted(bay.vehicle.faults)}"
    condition = bay.condition
    condition.warm = bay.hot
    entries = perform(condition, test, where, _chance(bay, what))
    number = len(bay.acts) + 1
    bay.tests.append(Made(number, test, where, way.own_min, bay.passed))
    bay.lever = bay.lever or test == LEVER
    seed = zlib.crc32(what.encode()) % 9999
    title = bay.knowledge.tests[test].title
    recorded = (
        None
        if bay.by_hand
        else recording_of(condition, bay.knowledge, test, where.get("node"), entries, seed)
    )
    if recorded:
        bay.recordings[number] = (title, recorded)
        return f"{title}: recorded. Look at it, and judge it yourself.", []
    return title, entries


def _fit(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    option = bay.knowledge.options.get(str(act.get("option", "")))
    if option is None:
        raise BadInput([Fault("option", "choose what to buy")])
    sure = _sure_of(act)
    ticks = {
        caution
        for caution in cautions_of(bay.knowledge, option.repair, option.shape.act)
        if bay.knowledge.cautions[caution].tick
    }
    if not ticks <= set(act.get("ticks", ())):
        raise BadInput([Fault("ticks", "tick the cautions first")])
    money = whole_coins(float(act.get("parts", 0)))
    minutes = float(act.get("minutes", 0.0))
    pieces = tuple(int(c) for c in act.get("cylinders", ()))
    bay.parts_money += money
    bay.minutes += minutes
    cured = cures(bay.vehicle, option.cures, pieces if option.shape.pieces == "failed" else None)
    takes = _chance(bay, f"takes {option.id} {len(bay.fitted)}").random() < option.takes
    number = len(bay.acts) + 1
    bay.sure.append(Sure(number, option.repair, sure, bool(cured), len(bay.tests)))
    title = option.title
    bay.fitted.append(
        Fitted(
            number,
            option.id,
            option.repair,
            title=title,
            money=money,
            minutes=minutes,
            right=bool(cured),
            sure=sure,
            at=bay.passed,
        )
    )
    if cured and takes:
        bay.vehicle = bay.vehicle.mended(cured)
    says = f"Fitted: {inside(title)}."
    if _chance(bay, f"snaps {option.id}").random() < float(act.get("snaps", 0.0)):
        bay.piece = "tip"
        says += f" {bay.knowledge.training.pieces['tip'].says}"
    data: Entry = {
        "action": option.shape.act,
        "what": title[:120],
        "repair": option.repair,
        "option": option.id,
    }
    if pieces:
        data["cylinders"] = list(pieces)
    return says, [{"kind": "action", "data": data}]


def _sure_of(act: Act) -> int:
    low, high = SURE
    try:
        sure = int(act.get("sure", ""))
    except (TypeError, ValueError):
        sure = 0
    if not low <= sure <= high:
        raise BadInput([Fault("sure", f"say how sure you are, {low} to {high} %")])
    return sure


def cures(vehicle: SimulatedVehicle, faults: Sequence[str], pieces: Sequence[int] | None) -> tuple[str, ...]:
    """Which faults of a vehicle go by a repair. `pieces`: the cylinders whose parts were changed; None:
    all."""
    mine = [f for f in vehicle.faults if f in faults]
    if pieces is None:
        return tuple(mine)
    return tuple(f for f in mine if bad_cylinders(vehicle, f) <= set(pieces))


def bad_cylinders(vehicle: SimulatedVehicle, fault: str) -> set[int]:
    """The cylinders at which a fault sits, by what it does to their parts."""
    with_it = vehicle.condition
    without = vehicle.mended([fault]).condition
    bad: set[int] = set()
    for f in fields(Condition):
        now = getattr(with_it, f.name)
        well = getattr(without, f.name)
        if isinstance(now, (set, dict)) and now != well and f.name not in ("cable_ohm", "leaks"):
            bad |= {int(i) + 1 for i in set(now) ^ set(well)}
        elif isinstance(now, list):
            bad |= {i + 1 for i, (a, b) in enumerate(zip(now, well, strict=True)) if a != b}
    return bad


def cautions_of(knowledge: Knowledge, repair: str, act: str) -> list[str]:
    """The cautions of the work of a repair."""
    return list(dict.fromkeys(c for step in knowledge.repairs[repair].steps_for(act) for c in step.cautions))


def _search(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    if not bay.piece:
        raise BadInput("Nothing is missing.")
    bay.minutes += bay.knowledge.training.pieces[bay.piece].minutes
    bay.piece = ""
    return "Found. The count of the pieces closes.", []


def _drive(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    if not set(DRIVE_TICKS) <= set(act.get("ticks", ())):
        raise BadInput([Fault("ticks", "tick the caution first")])
    if not _cranked(bay):
        return _ending(bay), []
    bay.minutes += START_MIN
    if not bay.starts:
        return "It cranks and does not start.", [_starts_not(bay)]
    if _brakes_fail(bay):
        return _ending(bay), []
    bay.minutes += DRIVE_MIN
    bay.hot = True
    bay.cold = False
    bay.scanned = True
    bay.off = set()
    after = bay.vehicle.after_the_drive()
    still = [
        inside(bay.knowledge.symptoms[e["data"]["symptom"]].title) for e in after if e["data"].get("present")
    ]
    codes = [e["data"]["code"] for e in after if e["kind"] == "code"]
    says = "Driven. " + (f"Still there: {listed(still)}." if still else "Nothing of the complaint showed.")
    says += f" Codes back: {', '.join(codes)}." if codes else " No codes came back."
    return says, [_state(access.HOT), *after]


def _starts_not(bay: Bay) -> Entry:
    symptom = "no_start" if bay.hot else "no_start_cold"
    return {"kind": "symptom", "data": {"symptom": symptom, "present": True}}


DRIVE_TICKS = ("road_test",)


def _guess(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    """Say how sure one is. An empty repair says that nothing is wrong."""
    repair = str(act.get("repair", ""))
    if repair and repair not in bay.knowledge.repairs:
        raise BadInput([Fault("repair", "choose what you would repair")])
    sure = _sure_of(act)
    wrong = set(bay.vehicle.faults)
    right = bool(set(bay.knowledge.repairs[repair].cures) & wrong) if repair else not wrong
    bay.sure.append(Sure(len(bay.acts) + 1, repair, sure, right, len(bay.tests)))
    return "", []


def _look(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    if bay.spec.help == "off":
        raise BadInput("Help is off in this exercise: it opens when it is over.")
    bay.looks += bay.spec.help == "on_request"
    return "Looked at the suspects.", []


def _done(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    """Hand it over. `sure`: how sure one is that nothing is wrong with it any more."""
    sure = _sure_of(act)
    bay.sure.append(Sure(len(bay.acts) + 1, "", sure, not bay.vehicle.faults, len(bay.tests)))
    bay.ended = "done"
    return "Handed over.", []


def _given_up(bay: Bay, act: Act) -> tuple[str, list[Entry]]:
    bay.ended = "given_up"
    return "Given up.", []


ACTS: dict[str, Callable[[Bay, Act], tuple[str, list[Entry]]]] = {
    "scan": _scan,
    "reach": _reach,
    "back": _back,
    "test": _test,
    "fit": _fit,
    "search": _search,
    "drive": _drive,
    "sure": _guess,
    "look": _look,
    "done": _done,
    "give_up": _given_up,
}


@dataclass(frozen=True)
class Offered:
    """A test that this engine can have, at one place: what it takes, and what is not reached yet."""

    test: str
    where: dict[str, str]
    title: str
    minutes: float
    missing: tuple[str, ...]
    ticks: tuple[str, ...]


def places_of(card: EngineCard, knowledge: Knowledge) -> tuple[Place, ...]:
    """Every test of the vocabulary at every place of an engine."""
    found: dict[tuple[str, str, str], Place] = {}
    for test, findings in knowledge.findings.items():
        if card.rules_out(knowledge.tests[test].needs):
            continue
        for known in findings:
            for node in known.shape.nodes or [""]:
                if card.rules_out({**known.shape.needs, **(knowledge.nodes[node].needs if node else {})}):
                    continue
                for point in [p for p in known.shape.points if p in knowledge.tests[test].at] or [""]:
                    where = {key: v for key, v in (("point", point), ("node", node)) if v}
                    found.setdefault((test, point, node), (test, where))
    return tuple(found.values())


def offered(bay: Bay) -> list[Offered]:
    """Every test that can be made here, with what it takes from here."""
    return [offer(bay, test, where) for test, where in bay.places]


def title_of(knowledge: Knowledge, test: str, where: Mapping[str, str]) -> str:
    """What a test at a place is called."""
    shape = knowledge.tests[test]
    point = where.get("point", "")
    node = where.get("node", "")
    if point:
        spot = shape.at[point].title
    elif node:
        spot = knowledge.nodes[node].title
    else:
        spot = ""
    return f"{shape.title}, {inside(spot)}" if spot else shape.title


def offer(bay: Bay, test: str, where: dict[str, str]) -> Offered:
    """A test at one place: what it takes, and what is not reached yet."""
    ticks = tuple(bay.knowledge.ticks_at(test, where.get("node")))
    title = title_of(bay.knowledge, test, where)
    minutes = bay.way(test, where).own_min
    return Offered(test, where, title, minutes=minutes, missing=tuple(bay.missing(test, where)), ticks=ticks)
