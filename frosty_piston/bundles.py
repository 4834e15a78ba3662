"""A job out of the workshop and into another one, with its recordings and pictures."""

import re
from dataclasses import dataclass

from .core.errors import BadInput
from .formats.bundle import Bundle, Recorded, pack
from .formats.child_process import BUNDLES, LONG_JOBS, PICTURES, Readers
from .formats.long_job import LONG_BYTES, LongJob
from .formats.picture import Cleaned
from .job.entries import Picture, Trace
from .job.entries.kind import out_of_reach
from .job.tape import jobfile
from .store.workshop import Workshop

_ID = re.compile(r"^[A-Za-z0-9][A-Za-z0-9._:-]{0,63}$")


def write_bundle(workshop: Workshop, job_id: str) -> bytes:
    """The job file of a job, its recordings and its pictures in one archive. Raises NotHere."""
    record = workshop.tapes.job(job_id)
    wanted = {
        h for x in record.job.tape if isinstance(x.data, Picture) for h in (x.data.image, x.data.copy_of) if h
    }
    here = workshop.pictures.sizes(wanted)
    pictures = {key: workshop.pictures.data(key) for key in here}
    return pack(jobfile.canonical(workshop.tapes.export(job_id)), pictures, _recorded(workshop, job_id))


def _recorded(workshop: Workshop, job_id: str) -> list[Recorded]:
    found = []
    for trace in workshop.recordings.of_job(job_id):
        channels = tuple({"channel": c.channel, "unit": c.unit, "column": c.column} for c in trace.channels)
        name, original = workshop.recordings.original(job_id, trace.id)
        signals = workshop.recordings.signals(job_id, trace.id)
        found.append(
            Recorded(trace.id, trace.name, channels, signals=signals, file_name=name, original=original)
        )
    return found


@dataclass(frozen=True)
class Opening:
    """The readers that bringing a job in takes: of an archive, of each picture in it, of a long job file."""

    bundles: Readers[Bundle]
    pictures: Readers[Cleaned]
    long_jobs: Readers[LongJob]

    def end(self) -> None:
        for readers in (self.bundles, self.pictures, self.long_jobs):
            readers.end()


def opening() -> Opening:
    return Opening(Readers(BUNDLES, 1), Readers(PICTURES), Readers(LONG_JOBS, 1))


def read_file(workshop: Workshop, data: bytes, readers: Opening, by: str = "") -> tuple[str, bool]:
    """Bring a job file in; a long one is read and worked out by a process of its own. Returns the id of the
    job, and whether it is new. Raises BadInput, Conflict, Busy."""
    if len(data) < LONG_BYTES:
        return workshop.tapes.import_file(data, by)
    with readers.long_jobs.read(data) as job:
        return workshop.tapes.add_long(job, by)


def read_bundle(workshop: Workshop, data: bytes, readers: Opening, by: str = "") -> tuple[str, bool]:
    """Bring a bundle in: everything of it is looked at before anything is kept. Returns the id of the job,
    and whether it is new. Raises BadInput, Conflict, Busy."""
    with readers.bundles.read(data) as bundle:
        file = jobfile.read(bundle.job, workshop.knowledge)
        images = _pictures(workshop, bundle, readers.pictures, file)
        recordings = _of_tape(bundle, file)
        for key in recordings:
            _within_reach(workshop, bundle.recording(key))
        job_id, new = workshop.tapes.add_file(file, by)
        for made in images:
            workshop.pictures.keep(made)
        known = {t.id for t in workshop.recordings.of_job(job_id)}
        for key in recordings:
            if key not in known:
                _keep(workshop, job_id, bundle.recording(key), by or "a bundle")
    if not new:
        workshop.tapes.forget()  # what a page shows of the pictures is kept with the state
    return job_id, new


def _keep(workshop: Workshop, job_id: str, one: Recorded, by: str) -> None:
    original = (
        workshop.recordings.keep_file(job_id, one.file_name, one.original, by) if one.original else None
    )
    columns = {c["channel"]: c["column"] for c in one.channels}
    units = {c["channel"]: c["unit"] for c in one.channels}
    workshop.recordings.add(one.id, job_id, original, one.name, one.signals, columns, units)


def _within_reach(workshop: Workshop, one: Recorded) -> None:
    """Raises BadInput for a figure that no instrument can show."""
    for channel in one.channels:
        unit = channel["unit"]
        values = one.signals[channel["channel"]].values
        for value in (float(values.min()), float(values.max())):
            if wrong := out_of_reach(workshop.knowledge, channel["channel"], value, unit):
                raise BadInput(f"The recording {one.id[:40]} of this bundle, {wrong[0][0]}: {wrong[0][1]}.")


def _pictures(
    workshop: Workshop, bundle: Bundle, readers: Readers[Cleaned], file: jobfile.JobFile
) -> list[Cleaned]:
    """The pictures that stand on the tape, each read by a process of its own and held against its name."""
    wanted = {
        h for x in file.entries if isinstance(x.data, Picture) for h in (x.data.image, x.data.copy_of) if h
    }
    made = []
    for key in bundle.pictures:
        if key in wanted:
            data = bundle.picture(key)
            workshop.pictures.kept_whole(key, data)
            read = readers.read(data)
            if not read.as_kept:
                raise BadInput(f"The picture {key[:12]} holds more than a picture: it was not made here.")
            made.append(Cleaned(read.width, read.height, data, read.thumb, True))
    return made


def _of_tape(bundle: Bundle, file: jobfile.JobFile) -> list[str]:
    on_tape = {x.id for x in file.entries if isinstance(x.data, Trace)}
    return [key for key in bundle.recordings if key in on_tape and _ID.match(key)]
