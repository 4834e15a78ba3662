"""Fills an empty workshop with the demo world."""

from frosty_piston.core.traces import signal
from frosty_piston.formats.channel_map import guess
from frosty_piston.formats.trace_files import read_recording, write_csv
from frosty_piston.job import jobfile
from frosty_piston.job.own import OwnCode
from frosty_piston.rig.recordings import DriveRecording, demo_recordings
from frosty_piston.rig.world import CARDS, OWN_CODE, PATTERN, PEOPLE, VEHICLES, demo_jobs
from frosty_piston.store.workshop import Workshop, now


def fill_demo(workshop: Workshop) -> None:
    """Put cards, vehicles, people and jobs in place, once."""
    if workshop.setting("demo"):
        return
    cards = {card["name"]: workshop.save_card(card) for card in CARDS}
    for data, card in VEHICLES:
        workshop.save_vehicle(data, cards[card])
    for name in PEOPLE:
        workshop.add_person(name)
    workshop.save_setting("prices", {"rate": 95_000, "tax_percent": 25.0, "currency": "kr"})
    workshop.shelf.add_pattern(**PATTERN)
    workshop.shelf.save_code(OwnCode(**OWN_CODE))
    for job in demo_jobs(now()):
        workshop.add_file(jobfile.check(job, workshop.knowledge))
    for name, recording in demo_recordings():
        _bring_in(workshop, "demo-van-5", name, recording)
    workshop.save_setting("demo", {"made": True})


def _bring_in(workshop: Workshop, job_id: str, name: str, recording: DriveRecording) -> None:
    """Bring a simulated recording in the way a file comes in: written as CSV, read, mapped, put on the tape."""
    data = write_csv({"VGT commanded": (recording.command, "%"), "VGT position": (recording.actual, "%")}).encode()
    read = read_recording(data)
    taken = {m.channel: m for m in guess(read, workshop.knowledge) if m.channel}
    columns = {c.index: c for c in read.columns}
    signals = {channel: signal(read.times_s[columns[m.column].time_column], read.values[m.column]) for channel, m in taken.items()}
    attachment = workshop.recordings.keep_file(job_id, name, data, "Ylva")
    trace_id = f"rec-{attachment}"
    names = {channel: columns[m.column].name for channel, m in taken.items()}
    workshop.recordings.add(trace_id, job_id, attachment, name, signals, names, dict.fromkeys(taken, "percent"))
    workshop.write(job_id, [{"id": trace_id, "kind": "trace", "data": {"channels": names, "file": name}}], "Ylva")
