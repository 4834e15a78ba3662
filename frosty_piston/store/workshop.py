"""The workshop: everything that is kept, each kind in a keeper of its own, on one database."""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from datetime import datetime
from functools import partial
from pathlib import Path
from threading import Lock
from uuid import uuid4

from sqlalchemy import Engine

from frosty_piston import __version__
from frosty_piston.core.cached import cached_property
from frosty_piston.core.traces import Signal
from frosty_piston.job.afterwards.experience import Experience
from frosty_piston.job.judging.held import hold
from frosty_piston.knowledge import Knowledge, load_knowledge

from .cases import Cases
from .database import open_database, open_to_removal, owned, remove_database
from .day import DayBoard
from .exercises import Exercises, is_training
from .garage import Garage
from .orders import Orders
from .people import People
from .pictures import Pictures
from .recordings import Recordings
from .settings import Settings
from .shelf import Shelf
from .tapes import Act, JobRecord, Tapes, Written
from .timestamps import stamp
from .yard import Yard

TRAINING_FOLDER = "training"
COLUMNS = f"{__version__}/waits"  # another word here, and what the lists show is worked out again


class Workshop:
    """All that is kept: jobs and their tapes, vehicles and cards, settings and people, recordings, own
    experience."""

    def __init__(self, engine: Engine, knowledge: Knowledge | None = None, settings: Settings | None = None):
        self.engine = engine
        self.knowledge = hold(knowledge or load_knowledge())
        self.shelf = Shelf(engine, self.knowledge, self._experience_changed)
        self.tapes = Tapes(engine, self.knowledge, self._experience)
        self.garage = Garage(engine)
        self.settings = settings or Settings(engine)
        self.yard = Yard(engine)
        again = partial(self._experience_changed, None)
        self.cases = Cases(engine, self.knowledge, self.settings, self.tapes, again)
        self.recordings = Recordings(engine)
        self.people = People(engine)
        self.pictures = Pictures(engine)
        self.orders = Orders(engine)
        self.day = DayBoard(self.tapes, self.yard, self.settings, self.knowledge)
        self.exercises = Exercises(engine)
        self.folder = Path(engine.url.database or "").parent
        self._opening = Lock()
        self._naming = Lock()
        self._training: Workshop | None = None

    @cached_property
    def id(self) -> str:
        """The id of this workshop: what a browser keeps for it is kept under this name."""
        with self._naming:
            if not (known := self.settings.get("workshop").get("id")):
                known = uuid4().hex[:16]
                self.settings.save("workshop", {"id": known})
        return str(known)

    @property
    def training(self) -> "Workshop":
        """The training ground: a workshop in a folder of its own, with the settings of this one. What happens
        there never reaches the real jobs."""
        with self._opening:
            if self._training is None:
                engine = open_database(self.folder / TRAINING_FOLDER)
                open_to_removal(engine)
                self._training = Workshop(engine, self.knowledge, self.settings)
            return self._training

    def of_job(self, job_id: str) -> "Workshop":
        """The workshop that a job belongs to: this one, or its training ground."""
        return self.training if is_training(job_id) else self

    def _experience(self) -> Experience:
        """What the workshop has added to the knowledge: by hand, and by its own proven jobs."""
        added = self.shelf.experience
        return replace(added, own=self.cases.own) if self.cases.on else added

    def _experience_changed(self, engine: str | None) -> None:
        self.tapes.think_again(engine)

    def reckon_anew(self) -> None:
        """After a new version of the program: what the lists show of open jobs is worked out again."""
        if self.settings.get("reckoned").get("by") != COLUMNS:
            self.tapes.think_again(None)
            self.settings.save("reckoned", {"by": COLUMNS})

    def bring_in(
        self,
        job_id: str,
        attachment_id: str,
        name: str,
        signals: Mapping[str, Signal],
        columns: Mapping[str, str],
        units: Mapping[str, str],
        by: str | None,
        at: datetime | None = None,
    ) -> str:
        """Keep the channels of a file that was kept before, and put the recording on the job's tape, once.
        `columns`, `units`: of each channel the name of its column and its unit. Answers the id of its
        entry."""
        trace_id = f"rec-{attachment_id}"
        self.recordings.add(trace_id, job_id, attachment_id, name, signals, columns, units)
        if all(x.id != trace_id for x in self.tapes.job(job_id).job.tape):
            channels = {channel: columns[channel][:200] or channel for channel in signals}
            entry = {"id": trace_id, "kind": "trace", "data": {"channels": channels, "file": name[:200]}}
            self.tapes.write(job_id, [entry if at is None else {**entry, "at": stamp(at)}], by)
        return trace_id

    def close(self) -> None:
        if self._training is not None:
            self._training.close()
        self.day.close()
        self.tapes.close()
        self.engine.dispose()


def never(workshop: Workshop) -> bool:
    """No workshop is thrown away for being unfinished."""
    return False


def _remove(folder: Path) -> None:
    """Remove everything that is kept in a folder that this process owns."""
    for place in (folder, folder / TRAINING_FOLDER):
        remove_database(place)


@contextmanager
def open_workshop(
    folder: Path,
    knowledge: Knowledge | None = None,
    reset: bool = False,
    unfinished: Callable[[Workshop], bool] = never,
) -> Iterator[Workshop]:
    """Open the workshop in a folder, which belongs to this process until it is closed again. `reset`: begin
    with an empty one; so it is when what is there is `unfinished`."""
    with owned(folder):
        if reset:
            _remove(folder)
        workshop = Workshop(open_database(folder), knowledge)
        if unfinished(workshop):
            workshop.close()
            _remove(folder)
            workshop = Workshop(open_database(folder), knowledge)
        workshop.reckon_anew()
        try:
            yield workshop
        finally:
            workshop.close()


__all__ = ["Act", "JobRecord", "Workshop", "Written", "never", "open_workshop"]
