"""A recording as it came in: columns with their times, and what could not be read of it."""

from dataclasses import dataclass, field

import numpy as np

MOST_BYTES = 400_000_000
MOST_LISTED = 40
MOST_ANSWER_BYTES = 4_000_000


@dataclass(frozen=True)
class Column:
    """One column of a file: its name and unit as found there, and which column holds its time."""

    index: int
    name: str
    unit: str
    time_column: int


@dataclass(frozen=True)
class Unread:
    """A row that could not be read, or a cell of it: its line, counted from 1, why, and how it begins."""

    line: int
    why: str
    text: str


@dataclass
class UnreadRows:
    """All that could not be read: counted in full, the first ones listed."""

    count: int = 0
    first: list[Unread] = field(default_factory=list)
    by_why: dict[str, int] = field(default_factory=dict)

    def add(self, line: int, why: str, text: str, rows: int = 1) -> None:
        self.count += rows
        self.by_why[why] = self.by_why.get(why, 0) + rows
        if len(self.first) < MOST_LISTED:
            self.first.append(Unread(line, why, text[:120]))


@dataclass(frozen=True)
class Recording:
    """What a file held: `times_s` by time column and `values` by column, each shape (N,), NaN where nothing
    stood."""

    columns: tuple[Column, ...]
    times_s: dict[int, np.ndarray]
    values: dict[int, np.ndarray]
    rows: int
    unread: UnreadRows
    notes: tuple[str, ...]
    layout: str
