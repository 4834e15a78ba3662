"""The pictures of a tape as pages show them."""

from dataclasses import dataclass

from frosty_piston.core.words import sentence
from frosty_piston.job.entries import SHOWS, Entry, Picture
from frosty_piston.store.pictures import Pictures
from frosty_piston.store.workshop import JobRecord


@dataclass(frozen=True)
class Shown:
    """A picture as a page shows it."""

    id: str
    image: str
    shows: str
    note: str
    about: str
    step: str
    node: str
    paper: bool
    copy_of: str
    here: bool
    width: int
    height: int

    @property
    def alt(self) -> str:
        return sentence(SHOWS[self.shows]) + (f": {self.note}" if self.note else "")


def pictures_of(record: JobRecord, pictures: Pictures) -> list[Shown]:
    """The pictures on a tape, in their order; those that came without their file say so."""

    def made() -> list[Shown]:
        entries: list[Entry[Picture]] = list(record.job.of(Picture))
        sizes = pictures.sizes(x.data.image for x in entries)
        return [_shown(x, sizes) for x in entries]

    return record.view("pictures", made)


def _shown(entry: Entry[Picture], sizes: dict[str, tuple[int, int]]) -> Shown:
    data = entry.data
    size = sizes.get(entry.data.image, (4, 3))
    return Shown(
        entry.id,
        data.image,
        data.shows,
        data.note or "",
        data.about or "",
        data.step or "",
        data.node or "",
        data.paper,
        data.copy_of or "",
        data.image in sizes,
        *size,
    )


def thumbs(record: JobRecord, pictures: Pictures) -> dict[str, list[Shown]]:
    """The pictures beside what they show: by the entry they are about, their own, the step of a plan, the
    part."""

    def made() -> dict[str, list[Shown]]:
        found: dict[str, list[Shown]] = {}
        for picture in pictures_of(record, pictures):
            step = f"step {picture.step}" if picture.step else ""
            node = f"node {picture.node}" if picture.node else ""
            for key in filter(None, (picture.id, picture.about, step, node)) if picture.here else ():
                found.setdefault(key, []).append(picture)
        return found

    return record.view("thumbs", made)
