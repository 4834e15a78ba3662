"""Reads recordings from CSV as scan tools export them: what cannot be read is counted and listed, never
dropped in silence."""

import csv
import io
from collections.abc import Iterator

import numpy as np
import pandas as pd

from frosty_piston.core.errors import BadInput

from .csv_layout import (
    CLOCK,
    MOMENT,
    MOST_LINE_BYTES,
    NOTHING,
    Layout,
    decoded,
    fields_of,
    find_layout,
    first_lines,
)
from .recording import MOST_BYTES, Column, Recording, UnreadRows

BLOCK_BYTES = 5_000_000
NEWLINE = 10
QUOTE = 34
SEPARATOR = "\x1f"
MOST_BACKWARDS = 0.2
DAY_S = 86_400.0
ENDLESS = {"inf", "-inf"}


def read_csv(data: bytes) -> Recording:
    """Read a recording. Raises BadInput, with what it is or what is missing, for a file that holds none."""
    if len(data) > MOST_BYTES:
        raise BadInput(
            f"The file is larger than {MOST_BYTES // 1_000_000} MB: cut it, or record fewer channels."
        )
    text, encoding = decoded(data)
    layout = find_layout(text, encoding)
    unread = UnreadRows()
    filled = _filled(_read_blocks(text, layout, unread), text.count(b"\n") + 1)
    if not filled:
        raise BadInput("No row of figures could be read.")
    *columns, lines = filled
    return _assembled(layout, columns, lines, unread)


def _filled(blocks: Iterator[list[np.ndarray]], most_rows: int) -> list[np.ndarray]:
    """The columns of all blocks, one after the other. Each is made once for all rows there can be: pieces
    that are joined later would stand in memory twice."""
    columns: list[np.ndarray] = []
    rows = 0
    for block in blocks:
        if not columns:
            columns = [np.empty(most_rows, piece.dtype) for piece in block]
        for column, piece in zip(columns, block, strict=True):
            column[rows : rows + len(piece)] = piece
        rows += len(block[-1])
    return [column[:rows] for column in columns]


def _read_blocks(text: bytes, layout: Layout, unread: UnreadRows) -> Iterator[list[np.ndarray]]:
    """The rows block by block: an array for each column, and last the line numbers."""
    at = 0
    line = 0
    header = b""
    if layout.header_line >= 0:
        header = first_lines(text, layout.header_line + 1)[layout.header_line].strip()
    while at < len(text):
        end = text.find(b"\n", min(at + BLOCK_BYTES, len(text)))
        end = len(text) if end < 0 else end + 1
        rows, blocks = _read_block(text[at:end], layout, header, line, unread)
        if blocks is not None:
            yield blocks
        at = end
        line = line + rows


def _read_block(
    block: bytes, layout: Layout, header: bytes, line: int, unread: UnreadRows
) -> tuple[int, list[np.ndarray] | None]:
    """How many lines a block has, and its rows that have the fields of the table; every other line that holds
    something is counted as unread. Nearly all blocks hold no quote, and then a delimiter is a delimiter."""
    signs = np.frombuffer(block, np.uint8)
    ends = np.flatnonzero(signs == NEWLINE)
    if not len(ends) or ends[-1] != len(signs) - 1:
        ends = np.append(ends, len(signs))
    starts = np.append(0, ends[:-1] + 1)
    counts = _counted(signs == ord(layout.delimiter), starts, len(signs))
    wanted = len(layout.names) - 1
    numbers = line + np.arange(len(starts))
    good = (counts == wanted) & (numbers >= layout.first_line)
    odd = _counted(signs == 0, starts, len(signs)) > 0
    quoted = _counted(signs == QUOTE, starts, len(signs)) > 0
    rewritten: dict[int, bytes] = {}
    for i in np.flatnonzero((~good | odd | quoted) & (numbers >= layout.first_line)):
        piece = block[starts[i] : ends[i]]
        good[i], row, why = _looked_at(piece, layout, bool(quoted[i]))
        if row is not None:
            rewritten[int(i)] = row
        if why:
            unread.add(int(numbers[i]) + 1, why, piece[:400].decode("utf-8", "replace"))
    if header:
        size = len(header)
        for i in np.flatnonzero(good & (ends - starts >= size) & (ends - starts <= size + 2)):
            if block[starts[i] : ends[i]].strip() == header:
                good[i] = False
                unread.add(int(numbers[i]) + 1, "the header again", header.decode("utf-8", "replace"))
    if not good.any():
        return len(starts), None
    first = int(good.argmax())
    if good[first:].all() and not rewritten:
        # A clean block goes to the reader as it is, without what stands above the table.
        return len(starts), _parsed(block[starts[first] :], layout, layout.delimiter, numbers[first:], unread)
    rows = [rewritten.get(i) or block[starts[i] : ends[i]] for i in np.flatnonzero(good).tolist()]
    if rewritten:
        separator = layout.delimiter.encode()
        rows = [
            row if i in rewritten else row.replace(separator, SEPARATOR.encode())
            for i, row in zip(np.flatnonzero(good).tolist(), rows, strict=True)
        ]
    kept = b"\n".join(rows) + b"\n"
    separated = SEPARATOR if rewritten else layout.delimiter
    return len(starts), _parsed(kept, layout, separated, numbers[good], unread)


def _counted(marks: np.ndarray, starts: np.ndarray, size: int) -> np.ndarray:
    """How many of some signs each line holds."""
    return np.diff(np.searchsorted(np.flatnonzero(marks), np.append(starts, size + 1)))


def _looked_at(piece: bytes, layout: Layout, quoted: bool) -> tuple[bool, bytes | None, str]:
    """A line that is not plain: whether it is a row, what it is rewritten to, why it could not be read."""
    wanted = len(layout.names)
    if not piece.strip():
        return False, None, ""
    if len(piece) > MOST_LINE_BYTES:
        return False, None, f"longer than {MOST_LINE_BYTES:,} signs"
    if b"\x00" in piece:
        return False, None, "zero bytes in the line"
    fields = fields_of(piece.decode("utf-8", "replace"), layout.delimiter)
    if fields is None:
        return False, None, "a quote that is not closed, or a cell too long"
    if len(fields) == wanted + 1 and not fields[-1].strip():
        fields.pop()
    if len(fields) != wanted:
        return False, None, f"{len(fields)} fields where {wanted} are wanted"
    row = SEPARATOR.join(cell.replace(SEPARATOR, " ").replace("\n", " ") for cell in fields)
    return True, row.encode() if quoted else piece, ""


def _parsed(
    block: bytes, layout: Layout, separator: str, numbers: np.ndarray, unread: UnreadRows
) -> list[np.ndarray]:
    clocks = {i: str for i, kind in layout.time_columns.items() if kind in ("clock", "moment")}
    frame = pd.read_csv(
        io.BytesIO(block),
        sep=separator,
        quoting=csv.QUOTE_NONE,
        decimal=layout.decimal,
        header=None,
        names=list(range(len(layout.names))),
        usecols=list(range(len(layout.names))),
        index_col=False,
        dtype=clocks,
        na_values=sorted(NOTHING - ENDLESS),
        keep_default_na=True,
        engine="c",
        low_memory=False,
        skip_blank_lines=False,
        encoding_errors="replace",
    )
    values = []
    for i in range(len(layout.names)):
        column = frame[i]
        kind = layout.time_columns.get(i)
        if kind in ("clock", "moment"):
            values.append(_seconds_of(column, numbers, layout.names[i], unread))
        elif column.dtype.kind in "fiu":
            values.append(
                _finite(
                    column.to_numpy(np.float64 if kind else np.float32, copy=True),
                    numbers,
                    layout.names[i],
                    unread,
                )
            )
        else:
            values.append(
                _figures_of(column, layout, i, numbers, unread).astype(np.float64 if kind else np.float32)
            )
    return [*values, numbers]


def _finite(figures: np.ndarray, numbers: np.ndarray, name: str, unread: UnreadRows) -> np.ndarray:
    endless = np.isinf(figures)
    for i in np.flatnonzero(endless)[:1000]:
        unread.add(int(numbers[i]) + 1, f"no usable figure in column {name!r}", str(figures[i]))
    figures[endless] = np.nan
    return np.asarray(figures)


def _figures_of(
    column: pd.Series, layout: Layout, index: int, numbers: np.ndarray, unread: UnreadRows
) -> np.ndarray:
    """A column with text among its figures; a column of nothing but text says so once."""
    cells = column.astype("string").str.strip()
    plain = cells.str.replace(layout.decimal, ".", regex=False) if layout.decimal != "." else cells
    figures = pd.to_numeric(plain, errors="coerce").to_numpy(np.float64, na_value=np.nan)
    figures[np.isinf(figures)] = np.nan
    text = cells.notna().to_numpy() & ~np.isfinite(figures)
    name = layout.names[index]
    if text.sum() > 0.5 * max(1, int(cells.notna().sum())):
        unread.by_why[f"column {name!r} is text"] = unread.by_why.get(f"column {name!r} is text", 0) + int(
            text.sum()
        )
        return np.asarray(figures)
    for i in np.flatnonzero(text):
        unread.add(int(numbers[i]) + 1, f"text in column {name!r}", str(cells.iloc[i]))
    return np.asarray(figures)


def _seconds_of(column: pd.Series, numbers: np.ndarray, name: str, unread: UnreadRows) -> np.ndarray:
    """Clock time or moments as seconds; past midnight goes on."""
    cells = column.astype("string").str.strip().str.replace(",", ".", regex=False)
    clock = cells.str.extract(CLOCK.pattern.replace("[.,]", "[.]"))
    seconds = (
        clock[0].fillna("0").astype(float).to_numpy() * 3600
        + pd.to_numeric(clock[1]).to_numpy(np.float64, na_value=np.nan) * 60
        + pd.to_numeric(clock[2]).to_numpy(np.float64, na_value=np.nan)
    )
    if np.isnan(seconds).all():
        moments = pd.to_datetime(
            (
                cells.str.replace(r"[/.](?=\d{1,2}[/.\-T ])", "-", regex=True)
                if not cells.str.match(MOMENT.pattern).all()
                else cells
            ),
            errors="coerce",
            utc=True,
            format="ISO8601",
        )
        seconds = (
            (moments - pd.Timestamp("2000-01-01", tz="UTC"))
            .dt.total_seconds()
            .to_numpy(np.float64, na_value=np.nan)
        )
    for i in np.flatnonzero(~np.isfinite(seconds))[:1000]:
        unread.add(
            int(numbers[i]) + 1,
            f"no time in column {name!r}",
            "" if pd.isna(column.iloc[i]) else str(column.iloc[i]),
        )
    return np.asarray(seconds)


def _assembled(layout: Layout, columns: list[np.ndarray], lines: np.ndarray, unread: UnreadRows) -> Recording:
    notes: list[str] = []
    times: dict[int, np.ndarray] = {}
    rows = len(lines)
    for column, kind in layout.time_columns.items():
        t = columns[column].astype(np.float64) * {"ms": 1e-3, "min": 60.0}.get(kind, 1.0)
        if kind == "clock":
            t = t + DAY_S * np.append(0, np.cumsum(np.diff(np.nan_to_num(t, nan=0.0)) < -DAY_S / 2))
        times[column] = _forward(t, lines, layout.names[column], unread)
    start = min((float(np.nanmin(t)) for t in times.values() if np.isfinite(t).any()), default=None)
    if start is None:
        raise BadInput("No time could be read in any row.")
    times = {i: t - start for i, t in times.items()}
    found = []
    values = {}
    for column, (name, unit) in enumerate(zip(layout.names, layout.units, strict=True)):
        if column in layout.time_columns:
            continue
        before = [j for j in layout.time_columns if j < column]
        own = before[-1] if before else next(iter(layout.time_columns))
        if not np.isfinite(columns[column]).any():
            notes.append(f"Column {name!r} holds no figure.")
            continue
        found.append(Column(column, name, unit, own))
        values[column] = columns[column]
    if not found:
        raise BadInput("No column holds a figure: every cell is empty, text or not a number.")
    return Recording(
        tuple(found), times, values, rows=rows, unread=unread, notes=tuple(notes), layout=layout.signature
    )


def _forward(t: np.ndarray, lines: np.ndarray, name: str, unread: UnreadRows) -> np.ndarray:
    """Time that only goes on: a row that goes back behind one before it is set aside, with its line."""
    filled = np.where(np.isfinite(t), t, -np.inf)
    back = np.isfinite(t) & (t < np.maximum.accumulate(filled))
    if back.sum() > MOST_BACKWARDS * max(1, len(t)):
        raise BadInput(
            f"The time in column {name!r} runs backwards in {int(back.sum()):,} of {len(t):,} rows: it is no"
            " time, or several recordings were joined. Cut the file."
        )
    for i in np.flatnonzero(back)[:1000]:
        unread.add(int(lines[i]) + 1, "the time runs backwards", f"{t[i]:g} s")
    if back.sum() > 1000:
        unread.add(
            int(lines[np.flatnonzero(back)[1000]]) + 1, "the time runs backwards", "", int(back.sum()) - 1000
        )
    return np.where(back, np.nan, t)
