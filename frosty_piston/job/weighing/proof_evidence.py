"""What the proof of a repair says: the complaint's own condition passed or not, and drives against earlier
returns."""

from dataclasses import dataclass

from frosty_piston.core.codes import decode
from frosty_piston.core.proving import clean_though_broken
from frosty_piston.core.quantity import percent, plain
from frosty_piston.job.entries import Code, Entry, Symptom
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge
from frosty_piston.knowledge.repair_shapes import ConditionShape

from .evidence import Evidence

COMPLAINT = "complaint"
CLEAN_DRIVE = "clean_drive"
COMES_AND_GOES_PASSES = 0.5
BACK_THOUGH_CURED = 0.02
AGAIN_COUNTS = 0.5
MOST_PASSES = 3
COLD_HOURS = 8.0
SLACK_H = 0.25
# Steps of a proof for which the engine runs.
RUNS_IT = ("idle", "hot", "idle_run", "hot_run", "load_pull", "start", "hot_start", "burn")
AXES = {"distance_km": ("km", "km"), "starts": ("starts", "start"), "hours": ("h", "hour")}


def conditions_of(job: Job, knowledge: Knowledge) -> tuple[str, ...]:
    """The conditions in which this complaint shows itself, as its symptoms name them."""
    named = tuple(
        dict.fromkeys(
            knowledge.symptoms[s].proved_by for s in job.complaints if knowledge.symptoms[s].proved_by
        )
    )
    if named:
        return named
    return (CLEAN_DRIVE,) if any(x.kind == "code" for x in job.times[0]) else (COMPLAINT,)


def witnesses_of(job: Job, knowledge: Knowledge) -> tuple[str, ...]:
    """The conditions that say something of this complaint: its own, and a clean drive where codes stood on
    the job."""
    own = conditions_of(job, knowledge)
    coded = any(x.kind == "code" for x in job.times[0])
    return (*own, CLEAN_DRIVE) if coded and CLEAN_DRIVE not in own else own


def comes_and_goes(job: Job, knowledge: Knowledge, condition: str) -> bool:
    """Whether every symptom that this condition brings about comes and goes: passing it once says less
    then."""
    named = [s for s in job.complaints if knowledge.symptoms[s].proved_by == condition]
    return bool(named) and all(
        knowledge.symptoms[s].comes_and_goes or job.symptoms[s].data.comes_and_goes for s in named
    )


def though_broken(job: Job, knowledge: Knowledge, condition: str) -> float:
    """The chance that a vehicle still broken passes a condition once; general figures."""
    shape = knowledge.proofs.conditions[condition]
    return (
        max(shape.though_broken, COMES_AND_GOES_PASSES)
        if comes_and_goes(job, knowledge, condition)
        else shape.though_broken
    )


@dataclass(frozen=True)
class Returns:
    """How often the complaint came back before: on one axis, each since the last clear or repair."""

    axis: str
    timed: tuple[float, ...]
    about: float | None

    @property
    def unit(self) -> str:
        return AXES[self.axis][0]


def returns_of(job: Job) -> Returns | None:
    """The earlier returns of the complaint; the axis of the first one counts for the job."""
    latest = {x.data.symptom: x for x in job.of(Symptom) if x.data.returns or x.data.returns_about}
    returns = [r for x in latest.values() for r in x.data.returns]
    abouts = [x.data.returns_about for x in latest.values() if x.data.returns_about]
    axis = next((axis for r in [*returns, *abouts] for axis in AXES if getattr(r, axis) is not None), None)
    if axis is None:
        return None
    timed = tuple(v for r in returns if (v := getattr(r, axis)) is not None)
    about = next((v for r in abouts if (v := getattr(r, axis)) is not None), None)
    return Returns(axis, timed, about)


@dataclass(frozen=True)
class Driven:
    """The drives of one time that were a witness: how long it stayed clean, and whether it came back."""

    entries: tuple[Entry, ...]
    span: float
    back: bool


def came_back(job: Job, drive: Entry) -> bool:
    """Whether the complaint or a code that stood on the job came back on a drive."""
    known = {decode(x.data.code).code for x in job.of(Code) if job.position[x.id] < job.position[drive.id]}
    return drive.data.complaint_back is True or any(decode(c).code in known for c in drive.data.codes_back)


def is_witness(drive: Entry) -> bool:
    """What was not read is no witness."""
    return drive.data.read or drive.data.complaint_back is not None


def driven(job: Job, number: int, axis: str) -> Driven:
    """The drives of one time on an axis, until the complaint came back."""
    taken = []
    span = 0.0
    for entry in job.times[number]:
        if entry.kind != "drive" or not is_witness(entry) or getattr(entry.data, axis) is None:
            continue
        taken.append(entry)
        span += getattr(entry.data, axis)
        if came_back(job, entry):
            return Driven(tuple(taken), span, True)
    return Driven(tuple(taken), span, False)


def last_run(job: Job, before: int) -> Entry | None:
    """The last of the first so many entries after which it cannot have stood longer."""
    repairs = {x.id for x in job.repairs}
    return next(
        (
            x
            for x in reversed(job.live[:before])
            if x.kind == "drive" or x.id in repairs or x.kind == "proof_step" and x.data.step in RUNS_IT
        ),
        None,
    )


def stood_at_most_h(job: Job, entry: Entry) -> float | None:
    """How long it can have stood when an entry was written, h; None where the tape has no times for it."""
    ran = last_run(job, job.position[entry.id])
    if ran is None or ran.at is None or entry.at is None:
        return None
    return float((entry.at - ran.at).total_seconds() / 3600)


def soaked(job: Job, entry: Entry) -> bool:
    """Whether a cold proof was really cold: hours standing written down, or a cold-soak wait that had
    ended."""
    if entry.data.soaked_h is not None:
        stood = stood_at_most_h(job, entry)
        fits = stood is None or entry.data.soaked_h <= stood + SLACK_H or entry.data.hours_sure
        return bool(entry.data.soaked_h >= COLD_HOURS and fits)
    soaks = [
        x.data for x in job.live[: job.position[entry.id]] if x.kind == "wait" and x.data.wait == "cold_soak"
    ]
    return any(x.state == "ended" or x.until and entry.at and entry.at >= x.until for x in soaks)


def condition_steps(job: Job, knowledge: Knowledge, number: int) -> dict[str, Entry]:
    """The last word on each of the complaint's conditions in one time. A step `complaint` stands for each of
    its own that has no word of its own."""
    own = conditions_of(job, knowledge)
    wanted = witnesses_of(job, knowledge)
    said = {
        entry.data.step: entry
        for entry in job.times[number]
        if entry.kind == "proof_step" and (entry.data.step in wanted or entry.data.step == COMPLAINT)
    }
    return {
        cause: said[cause] if cause in said else said[COMPLAINT]
        for cause in wanted
        if cause in said or COMPLAINT in said and cause in own
    }


def counts(job: Job, shape: ConditionShape, entry: Entry) -> bool:
    """Whether a word on a condition says anything: could not says nothing, a warm start proves no cold one,
    and a pass with nothing to show for it proves nothing."""
    if entry.data.result == "could_not":
        return False
    return entry.data.result == "fail" or not said_only(job, shape, entry)


def said_only(job: Job, shape: ConditionShape, entry: Entry) -> str:
    """Why a condition that was written down as passed is only said to be, in words; empty where something
    shows it."""
    if shape.needs_cold and not soaked(job, entry):
        return "started before it was cold-soaked: no proof of a cold start"
    since = next(x for x in job.times if entry in x)
    if shape.drive and not any(x.kind == "drive" and x.data.distance_km for x in since):
        return "said to be passed, with no distance written down: write the drive"
    recorded = shape.recorded and any(x.kind == "trace" for x in since)
    made = any(x.kind in ("reading", "outcome", "trace") and x.data.test in shape.shown_by for x in since)
    if (shape.recorded or shape.shown_by) and not recorded and not made:
        return "said to be passed, with no recording and no result of it"
    return ""


def with_proof(job: Job, knowledge: Knowledge, number: int, evidence: list[Evidence]) -> list[Evidence]:
    """Add what a time after a repair proves. A drive is one witness: against known returns it says more than
    which code came back, and than a step that was ticked."""
    proofs = list(evidence)
    returns = returns_of(job)
    trip = driven(job, number, returns.axis) if returns else None
    drives = [x for x in job.times[number] if x.kind == "drive" and is_witness(x)]
    told_by_drive = bool(drives) and CLEAN_DRIVE in witnesses_of(job, knowledge)
    if returns and trip and trip.entries:
        proofs = [*_without_code_return(proofs), _drives(returns, trip)]
    elif told_by_drive:
        passed = not any(came_back(job, x) for x in drives)
        proofs = [
            *_without_code_return(proofs),
            _passed(
                job,
                knowledge,
                CLEAN_DRIVE,
                entries=tuple(x.id for x in drives),
                passed=passed,
                times=len(drives),
            ),
        ]
    read = {x.data.test for x in job.times[number] if x.kind in ("reading", "outcome")}
    for condition, entry in condition_steps(job, knowledge, number).items():
        shape = knowledge.proofs.conditions[condition]
        driven_already = shape.drive and (told_by_drive or bool(trip and trip.entries))
        if counts(job, shape, entry) and not driven_already and shape.reading not in read:
            again = passes(job, knowledge, number, condition)
            proofs.append(
                _passed(
                    job,
                    knowledge,
                    condition,
                    entries=tuple(x.id for x in again) or (entry.id,),
                    passed=entry.data.result == "pass",
                    times=len(again),
                )
            )
    at = job.position
    return sorted(proofs, key=lambda x: max((at.get(i, 0) for i in x.entries), default=-1))


def _without_code_return(evidence: list[Evidence]) -> list[Evidence]:
    return [x for x in evidence if not (x.finding and x.finding.id.startswith("code_return."))]


def passes(job: Job, knowledge: Knowledge, number: int, condition: str) -> list[Entry]:
    """The times a condition was passed in one time of a job, since it last failed."""
    entries: list[Entry] = []
    for entry in job.times[number]:
        if (
            entry.kind == "proof_step"
            and entry.data.step in (condition, COMPLAINT)
            and counts(job, knowledge.proofs.conditions[condition], entry)
        ):
            entries = [*entries, entry] if entry.data.result == "pass" else []
    return entries


def passed_again(broken: float, times: int) -> float:
    """The chance that a vehicle still broken passes so many times: each further one counts half as much as
    the first, since what hides once often hides again, and three are the most that count.

    >>> [round(passed_again(0.25, n), 3) for n in (1, 2, 3, 4)]
    [0.25, 0.125, 0.062, 0.062]
    """
    return float(broken ** (1 + AGAIN_COUNTS * (min(max(times, 1), MOST_PASSES) - 1)))


def _passed(
    job: Job, knowledge: Knowledge, condition: str, entries: tuple[str, ...], passed: bool, times: int = 1
) -> Evidence:
    shape = knowledge.proofs.conditions[condition]
    broken = though_broken(job, knowledge, condition)
    chances = (
        (passed_again(broken, times), shape.when_cured) if passed else (1 - broken, 1 - shape.when_cured)
    )
    if passed and times > 1:
        said = f"passed {times} times"
    elif passed:
        said = "passed"
    else:
        said = "failed"
    return Evidence(
        f"{shape.title}: {said}", entries, None, outcome="", weight=1.0, reasons={}, if_left=chances
    )


def _drives(returns: Returns, trip: Driven) -> Evidence:
    clean = clean_though_broken(returns.timed, trip.span, returns.about) or 1.0
    ids = tuple(x.id for x in trip.entries)
    if trip.back:
        return Evidence(
            f"Came back within {plain(trip.span)} {returns.unit}",
            ids,
            None,
            outcome="",
            weight=1.0,
            reasons={},
            if_left=(max(1 - clean, 1e-3), BACK_THOUGH_CURED),
        )
    says = (
        f"Clean for {plain(trip.span)} {returns.unit}; a vehicle still broken does this in {percent(clean)}"
    )
    return Evidence(says, ids, None, outcome="", weight=1.0, reasons={}, if_left=(clean, 1.0))
