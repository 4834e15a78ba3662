"""Training on simulated vehicles: exercises drawn, begun, gone on with, looked back on, shared."""

import json
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from frosty_piston.core.errors import BadInput, Fault
from frosty_piston.core.traces import Signal
from frosty_piston.formats.trace_files import write_csv
from frosty_piston.job.engine import EngineCard
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.training_shapes import LESSONS
from frosty_piston.rig.technician import thought
from frosty_piston.store.exercises import Exercise
from frosty_piston.store.timestamps import stamp
from frosty_piston.store.workshop import Workshop

from .exercise import HELP, Act, Bay, Spec, do, play
from .looking_back import look_back

FORMAT = "frosty-piston/exercise"
VERSION = 1
MOST_BYTES = 64_000
DAYS_BEFORE = 30
MOST_DRAWS = 30
SEEDS = 10**5
MOST_NUMBER = LESSONS * 10**6
DIFFICULTY = {"any": "Any", "easy": "Easy", "middle": "Middling", "hard": "Hard"}
EASY_TO = 1
MIDDLE_TO = 5
QUIET = 0.12
ACCUSED = 0.25
OPEN_PAGES = ("traces", "tape")
Help = Literal["off", "on_request", "on"]


class SpecFile(BaseModel):
    """An exercise as a file: the same file is the same vehicle."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["frosty-piston/exercise"]
    version: Literal[1]
    vehicle: Annotated[int, Field(ge=0, lt=MOST_NUMBER)]
    help: Help = "on_request"
    card: dict[str, Any] | None = None
    card_known: bool = True


@dataclass(frozen=True)
class Standing:
    """An exercise as it stands: what is kept of it, and the vehicle after everything that was done."""

    exercise: Exercise
    bay: Bay


def spec_of(kept: Mapping[str, Any]) -> Spec:
    return Spec(int(kept["number"]), str(kept["help"]), kept["card"], bool(kept["card_known"]))


def kept_of(spec: Spec) -> dict[str, Any]:
    card = None if spec.card is None else dict(spec.card)
    return {"number": spec.number, "help": spec.help, "card": card, "card_known": spec.card_known}


def write_spec(spec: Spec) -> dict[str, Any]:
    """An exercise as its file."""
    card = None if spec.card is None else dict(spec.card)
    head = {"format": FORMAT, "version": VERSION, "vehicle": spec.number, "help": spec.help}
    return {**head, "card": card, "card_known": spec.card_known}


def read_spec(data: bytes, knowledge: Knowledge) -> Spec:
    """Read the file of an exercise. Raises BadInput."""
    if len(data) > MOST_BYTES:
        raise BadInput([Fault("file", f"it is larger than {MOST_BYTES // 1000} kB")])
    try:
        file = SpecFile.model_validate(json.loads(data))
        if file.card is not None:
            EngineCard.model_validate(file.card)
    except ValidationError as error:
        first = error.errors()[0]
        path = ".".join(map(str, first["loc"])) or "file"
        raise BadInput([Fault("file", f"{path}: {first['msg']}")]) from None
    except (ValueError, RecursionError):
        raise BadInput([Fault("file", "it is not the file of an exercise")]) from None
    try:
        return checked(Spec(file.vehicle, file.help, file.card, file.card_known), knowledge)
    except BadInput as error:
        raise BadInput([Fault("file", error.faults[0].says)]) from None


def checked(spec: Spec, knowledge: Knowledge) -> Spec:
    """The same exercise, where there is such a vehicle. Raises BadInput."""
    if not 0 <= spec.number < MOST_NUMBER:
        raise BadInput([Fault("number", "a vehicle has a number below 32 million")])
    if spec.help not in HELP:
        raise BadInput([Fault("help", f"choose one of {', '.join(HELP)}")])
    spec.vehicle(knowledge)
    return spec


def difficulty_of(spec: Spec, knowledge: Knowledge) -> str:
    """How hard a vehicle is, by where the truth stands among the suspects once the codes are read."""
    vehicle = spec.vehicle(knowledge)
    needed = thought(vehicle, [*vehicle.arrival, *vehicle.scan], knowledge).suspicion.repairs_needed
    if not vehicle.faults:
        accused = max(needed.values(), default=0.0)
        if accused > ACCUSED:
            return "hard"
        if accused > QUIET:
            return "middle"
        return "easy"
    order = list(needed)
    worst = max(
        order.index(r) if (r := knowledge.repair_of[f]) in order else len(order) for f in vehicle.faults
    )
    if worst < EASY_TO:
        return "easy"
    if worst < MIDDLE_TO:
        return "middle"
    return "hard"


def draw(
    knowledge: Knowledge,
    lesson: str,
    difficulty: str,
    help_: str,
    card: Mapping[str, Any] | None,
    card_known: bool,
    chance: random.Random,
) -> Spec:
    """Draw a vehicle for a lesson. Raises BadInput where none of that difficulty was found."""
    if lesson not in knowledge.training.lessons:
        raise BadInput([Fault("lesson", "choose what to train")])
    if difficulty not in DIFFICULTY:
        raise BadInput([Fault("difficulty", f"choose one of {', '.join(DIFFICULTY)}")])
    number = knowledge.training.lessons[lesson].number
    says = ""
    for _ in range(MOST_DRAWS):
        spec = Spec(chance.randrange(SEEDS) * LESSONS + number, help_, card, card_known)
        try:
            checked(spec, knowledge)
        except BadInput as error:
            says = error.faults[0].says
            continue
        if difficulty == "any" or difficulty_of(spec, knowledge) == difficulty:
            return spec
    title = DIFFICULTY[difficulty].lower()
    raise BadInput([Fault("difficulty", says or f"none that is {title} was found: choose another")])


def begin_exercise(
    workshop: Workshop, spec: Spec, person: str, set_id: str = "", exercise_id: str | None = None
) -> str:
    """Begin an exercise, and answer its id. Raises BadInput."""
    knowledge = workshop.knowledge
    checked(spec, knowledge)
    key, _ = spec.lesson(knowledge)
    rate = workshop.settings.prices().rate
    made = workshop.training.exercises.new(
        key, kept_of(spec), rate, person=person, set_id=set_id, exercise_id=exercise_id
    )
    standing_of(workshop, made)
    return made


def standing_of(workshop: Workshop, exercise_id: str) -> Standing:
    """An exercise as it stands; what its tape lacks of it is written. Raises NotHere."""
    exercise = workshop.training.exercises.get(exercise_id)
    bay: Bay | None = workshop.training.exercises.state(exercise_id)
    if bay is None or bay.acts != list(exercise.acts):
        bay = play(spec_of(exercise.spec), exercise.acts, workshop.knowledge, exercise.rate)
        _write(workshop, exercise, bay)
        workshop.training.exercises.keep_state(exercise_id, bay)
    return Standing(exercise, bay)


def begins_at(exercise: Exercise) -> datetime:
    """When the clock of an exercise begins: some weeks before it was made, at eight in the morning."""
    day = exercise.made_at - timedelta(days=DAYS_BEFORE)
    return day.replace(hour=8, minute=0, second=0, microsecond=0)


def _write(workshop: Workshop, exercise: Exercise, bay: Bay) -> None:
    """Write what the tape of an exercise lacks."""
    training = workshop.training
    start = begins_at(exercise)
    training.tapes.new_job(
        title=f"Training vehicle {bay.spec.number}",
        vehicle={"name": f"Training vehicle {bay.spec.number}"},
        engine=bay.spec.shown(bay.vehicle.engine),
        job_id=exercise.id,
        opened_at=start,
    )
    known = {x.id for x in training.tapes.job(exercise.id).job.tape}
    for number, entries in enumerate(bay.written):
        at = start + timedelta(minutes=bay.clock[number])
        raws = [{**e, "id": f"x{number}-{i}", "at": stamp(at)} for i, e in enumerate(entries)]
        if fresh := [r for r in raws if r["id"] not in known]:
            training.tapes.write(exercise.id, fresh, exercise.person or None)
        if number in bay.recordings and recording_id(exercise, number) not in known:
            name, channels = bay.recordings[number]
            _record(training, exercise, number, name=name, channels=channels, at=at)


def _file_of(exercise: Exercise, number: int) -> str:
    return f"{exercise.id.removeprefix('training-')}-{number}"


def recording_id(exercise: Exercise, number: int) -> str:
    """The id of the recording that an act made."""
    return f"rec-{_file_of(exercise, number)}"


def _record(
    training: Workshop,
    exercise: Exercise,
    number: int,
    name: str,
    channels: Mapping[str, Signal],
    at: datetime,
) -> None:
    shapes = training.knowledge.channels
    columns = {shapes[c].title: (signal, shapes[c].unit) for c, signal in channels.items()}
    file = f"{number} {name[:60]}.csv"
    attachment = training.recordings.keep_file(
        exercise.id, file, write_csv(columns).encode(), exercise.person, _file_of(exercise, number)
    )
    names = {c: shapes[c].title for c in channels}
    units = {c: shapes[c].unit for c in channels}
    training.bring_in(exercise.id, attachment, file, channels, names, units, exercise.person or None, at)


def act_on(workshop: Workshop, exercise_id: str, seen: int, act: Act) -> Bay:
    """Do one more act. `seen`: how many had been done when it was pressed. Raises BadInput, Conflict."""
    standing = standing_of(workshop, exercise_id)
    bay = standing.bay.copied()
    do(bay, act)
    workshop.training.exercises.add(exercise_id, seen, act, bool(bay.ended))
    _write(workshop, standing.exercise, bay)
    workshop.training.exercises.keep_state(exercise_id, bay)
    return bay


def looked_back(workshop: Workshop, exercise_id: str) -> dict[str, Any]:
    """What is said afterwards, reckoned once. Raises BadInput while the exercise goes on."""
    exercise = workshop.training.exercises.get(exercise_id)
    if exercise.ended_at is None:
        raise BadInput("The exercise is not over yet.")
    if exercise.result is not None:
        return exercise.result
    result: dict[str, Any] = look_back(
        spec_of(exercise.spec), exercise.acts, workshop.knowledge, exercise.rate
    ).plain()
    result = json.loads(json.dumps(result))
    workshop.training.exercises.keep_result(exercise_id, result)
    return result


def went_well(result: Mapping[str, Any]) -> bool:
    """Whether an exercise went well: handed over with nothing wrong left, and nothing bought for nothing."""
    return bool(result["cured"]) and result["ended"] == "done" and not result["wrong_parts"]


def tried(results: Sequence[Mapping[str, Any]], knowledge: Knowledge) -> dict[str, list[bool]]:
    """For each lesson but the one of anything: how each try went; a fault counts for its system too."""
    by_lesson: dict[str, list[bool]] = {
        key: [] for key, x in knowledge.training.lessons.items() if x.kind != "any"
    }
    for r in results:
        for key in {str(r["lesson"]), *(knowledge.fault_system[f] for f in r["faults"])} & set(by_lesson):
            by_lesson[key].append(went_well(r))
    return by_lesson


def weakest(results: Sequence[Mapping[str, Any]], knowledge: Knowledge, chance: random.Random) -> str:
    """The lesson that somebody gets wrong most: a try counts as half right before any was made, and what was
    never tried comes before what went well."""
    share = {key: (sum(x) + 0.5) / (len(x) + 1) for key, x in tried(results, knowledge).items()}
    least = min(share.values())
    return chance.choice(sorted(key for key, value in share.items() if value == least))


def help_open(exercise: Exercise) -> bool:
    """Whether the suspects may be seen now: the exercise is over, help is on, or they were asked for and
    nothing was done since."""
    help_ = exercise.spec["help"]
    asked = bool(exercise.acts) and exercise.acts[-1].get("act") == "look"
    return exercise.ended_at is not None or help_ == "on" or help_ == "on_request" and asked


def shut(workshop: Workshop, job_id: str, method: str, path: str) -> str:
    """Why a page of a training vehicle is shut just now, in words; empty when it is open. Recordings and the
    tape are always open; what is read comes from the vehicle alone."""
    exercise = workshop.training.exercises.get(job_id)
    rest = path.split(f"/jobs/{job_id}", 1)[-1].strip("/").split("/")[0]
    if method not in ("GET", "HEAD"):
        if rest == "traces" and exercise.ended_at is None:
            return ""
        return "This is a training vehicle: what is done to it is done on the page of its exercise."
    if path.startswith("/api/") and rest != "traces":
        return "A training vehicle is not handed out as a job."
    if rest in OPEN_PAGES or help_open(exercise):
        return ""
    if exercise.spec["help"] == "off":
        return "Help is off in this exercise: this page opens when it is over."
    return "Help is on request here: ask for the suspects on the page of the exercise, each look is counted."
