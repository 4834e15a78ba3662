"""What was measured, as it was measured: the figures of a pair stay two figures, a recording waits to be
judged."""

from frosty_piston.core.quantity import exact
from frosty_piston.core.words import called, listed, spoken
from frosty_piston.job.entries import Entry, Outcome, Reading
from frosty_piston.job.tape.fold import Job
from frosty_piston.knowledge import Knowledge

from .result import Result

UNIT_WORDS = {"ohm": "Ω", "degC": "°C", "percent": "%"}


def measured_says(job: Job, verdict: Result) -> str:
    """Return a verdict as the figures it rests on: 4.8 s and 2.9 s, not the share between them. Where one
    reading was corrected, its worth with the doubt; where there is no figure, the class in words."""
    judgement = verdict.judgement
    known = {x.id: x for x in job.live}
    readings = [known[i] for i in verdict.entries if i in known and known[i].kind == "reading"]
    if (
        len(readings) > 1
        or readings
        and readings[0].data.unit != judgement.unit
        and judgement.unit == "percent"
    ):
        return listed([_figure(x.data.value, x.data.unit) for x in readings])
    return judgement.said or spoken(judgement.cls)


def _figure(value: float | str, unit: str) -> str:
    return called(value) if isinstance(value, str) else f"{exact(value)} {UNIT_WORDS.get(unit, unit)}"


def recording_of(job: Job, knowledge: Knowledge, test: str, node: str = "") -> Entry | None:
    """Return the latest recording of this time that holds what a test would record and is not judged yet."""
    return next((x for x in to_judge(job) if _holds(knowledge, x, test, node)), None)


def to_judge(job: Job) -> list[Entry]:
    """Return the recordings of this time that are not judged yet, latest first."""
    recorded = [x for x in reversed(job.times[-1]) if x.kind == "trace"]
    if not recorded:
        return []
    judged = {x.data.source.trace for x in job.of(Reading, Outcome) if x.data.source}
    return [x for x in recorded if x.id not in judged]


def recorded_in(knowledge: Knowledge, recordings: list[Entry], test: str, node: str = "") -> bool:
    """Return whether one of some recordings holds what a test would record."""
    return any(_holds(knowledge, x, test, node) for x in recordings)


def _holds(knowledge: Knowledge, recording: Entry, test: str, node: str) -> bool:
    shape = knowledge.tests[test]
    drive = knowledge.drive(node) if node else None
    swept = [(drive.command, drive.position)] if shape.sweeps and drive and drive.command else []
    wanted = (set(channels) for channels in (*swept, *shape.recorded) if len(channels) > 1)
    return any(w <= set(recording.data.channels) for w in wanted)
