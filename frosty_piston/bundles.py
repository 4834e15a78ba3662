"""A job out of the workshop and into another one, with its recordings and pictures."""

import re

from frosty_piston.core.errors import BadInput
from frosty_piston.formats.bundle import Bundle, Recorded, pack, unpack
from frosty_piston.formats.outside import Readers
from frosty_piston.formats.picture import Cleaned
from frosty_piston.job import jobfile
from frosty_piston.job.entries import Picture, Trace
from frosty_piston.store.workshop import Workshop

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
        found.append(Recorded(trace.id, trace.name, channels, signals, name, original))
    return found


def read_bundle(workshop: Workshop, data: bytes, readers: Readers[Cleaned], by: str = "") -> tuple[str, bool]:
    """Bring a bundle in: everything of it is looked at before anything is kept. Answers the id of the job,
    and whether it is new. Raises BadInput, Conflict."""
    bundle = unpack(data)
    file = jobfile.read(bundle.job, workshop.knowledge)
    images = _pictures(workshop, bundle, readers, file)
    recordings = _of_tape(bundle, file)
    job_id, new = workshop.tapes.add_file(file, by)
    for made in images:
        workshop.pictures.keep(made)
    for one in recordings:
        columns = {c["channel"]: c["column"] for c in one.channels}
        units = {c["channel"]: c["unit"] for c in one.channels}
        known = {t.id for t in workshop.recordings.of_job(job_id)}
        if one.id not in known:
            kept = (
                workshop.recordings.keep_file(job_id, one.file_name, one.original, by or "a bundle")
                if one.original
                else None
            )
            workshop.recordings.add(one.id, job_id, kept, one.name, one.signals, columns, units)
    if not new:
        workshop.tapes.forget()  # what a page shows of the pictures is kept with the state
    return job_id, new


def _pictures(
    workshop: Workshop, bundle: Bundle, readers: Readers[Cleaned], file: jobfile.JobFile
) -> list[Cleaned]:
    """The pictures that stand on the tape, each read by a process of its own and held against its name."""
    wanted = {
        h for x in file.entries if isinstance(x.data, Picture) for h in (x.data.image, x.data.copy_of) if h
    }
    made = []
    for key, data in bundle.pictures.items():
        if key in wanted:
            workshop.pictures.kept_whole(key, data)
            read = readers.read(data)
            if not read.as_kept:
                raise BadInput(f"The picture {key[:12]} holds more than a picture: it was not made here.")
            made.append(Cleaned(read.width, read.height, data, read.thumb, True))
    return made


def _of_tape(bundle: Bundle, file: jobfile.JobFile) -> list[Recorded]:
    on_tape = {x.id for x in file.entries if isinstance(x.data, Trace)}
    return [one for one in bundle.recordings if one.id in on_tape and _ID.match(one.id)]
