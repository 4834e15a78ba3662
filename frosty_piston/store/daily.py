"""A copy of the workshop every day, kept by a plain rule: the last seven days, then one a week for four
weeks, then one a month for a year."""

import logging
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime
from itertools import islice
from pathlib import Path
from threading import Event, Thread

from frosty_piston.core.errors import CannotStart

from .backup import back_up

FOLDER = "backups"
NAME = "workshop-{}.piston"
DAYS = 7
WEEKS = 4
MONTHS = 12
LOOKS_S = 1800.0
log = logging.getLogger("frosty_piston.store")


@dataclass(frozen=True)
class Copy:
    """A daily copy: of which day, when it was made, how large."""

    day: date
    path: Path
    at: datetime
    size: int


def copies(folder: Path) -> list[Copy]:
    """The daily copies of a data folder, the newest first."""
    found = []
    for path in (folder / FOLDER).glob(NAME.format("*")):
        try:
            day = date.fromisoformat(path.stem.removeprefix("workshop-"))
            stat = path.stat()
        except (ValueError, OSError):
            continue
        found.append(Copy(day, path, datetime.fromtimestamp(stat.st_mtime).astimezone(), stat.st_size))
    return sorted(found, key=lambda c: c.day, reverse=True)


def kept_days(days: list[date]) -> set[date]:
    """Which days are kept of those there are copies of.

    >>> sorted(kept_days([date(2026, 3, d) for d in range(1, 20)]))[:3]
    [datetime.date(2026, 3, 8), datetime.date(2026, 3, 12), datetime.date(2026, 3, 13)]
    """
    newest = sorted(set(days), reverse=True)
    keep = set(newest[:DAYS])
    for groups, most in (
        ({d.isocalendar()[:2]: d for d in reversed(newest)}, WEEKS),
        ({(d.year, d.month): d for d in reversed(newest)}, MONTHS),
    ):
        keep |= set(islice(sorted(groups.values(), reverse=True), most))
    return keep


def make_copy(folder: Path, today: date) -> bool:
    """Make the copy of a day unless it is there, and let go of those that the rule no longer keeps. Answers
    whether one was made. Raises CannotStart when it cannot be written or is not whole."""
    target = folder / FOLDER / NAME.format(today.isoformat())
    if target.exists():
        return False
    try:
        target.parent.mkdir(mode=0o700, exist_ok=True)
    except OSError as error:
        raise CannotStart(f"The copy could not be written to {target}: {error}.") from None
    found = back_up(folder, target)
    if found.faults:
        raise CannotStart(f"The copy of today is not whole: {found.faults[0]}.")
    target.chmod(0o600)
    there = copies(folder)
    keep = kept_days([c.day for c in there])
    for copy in there:
        if copy.day not in keep:
            copy.path.unlink(missing_ok=True)
    return True


@contextmanager
def copied_daily(folder: Path) -> Iterator[None]:
    """While this lasts, a copy is made on the first look of every day. What goes wrong is written to the log
    and shows on the Shelf, as a copy that grows old."""
    over = Event()

    def keep() -> None:
        while True:
            try:
                make_copy(folder, date.today())
            except CannotStart as error:
                log.error("%s", error)
            if over.wait(LOOKS_S):
                return

    keeper = Thread(target=keep, daemon=True)
    keeper.start()
    try:
        yield
    finally:
        over.set()
        keeper.join(30)
