"""Finds out how a CSV file of a scan tool is laid out: encoding, delimiter, decimal sign, headers, units,
time."""

import csv
import hashlib
import re
from codecs import getincrementaldecoder
from dataclasses import dataclass
from statistics import median

from frosty_piston.core.errors import BadInput

SAMPLE_BYTES = 2_000_000
HEAD_BYTES = 4096
PIECE_BYTES = 1_000_000
EMPTY = b"\x00 \r\n\t"
SAMPLE_LINES = 400
MOST_COLUMNS = 2000
MOST_LINE_BYTES = 1_000_000
MOST_CELL = 200
MOST_UNIT = 16
DELIMITERS = (";", "\t", ",", "|")
DISGUISES = (
    (b"PK\x03\x04", "a zip file (a spreadsheet, perhaps): save it as CSV first"),
    (b"\x1f\x8b", "a gzip file: unpack it first"),
    (b"%PDF", "a PDF: a table in it cannot be read here"),
    (b"\x89PNG", "a picture"),
    (b"\xff\xd8\xff", "a picture"),
)
TIME_NAMES = re.compile(
    r"^(rel(ative)?[ _]?|elapsed[ _]?|log[ _]?|sample[ _]?)?(time|timestamp|time ?stamp|t|clock|date"
    r" ?time|seconds|zeit)([ _]?(s|sec|ms|stamp|axis|rel))?$",
    re.I,
)
UNIT_WORDS = {
    "s",
    "sec",
    "ms",
    "min",
    "h",
    "hh:mm:ss",
    "v",
    "mv",
    "a",
    "ma",
    "%",
    "percent",
    "rpm",
    "1/min",
    "/min",
    "km/h",
    "mph",
    "kpa",
    "hpa",
    "mbar",
    "bar",
    "psi",
    "mpa",
    "pa",
    "°c",
    "degc",
    "c",
    "°f",
    "degf",
    "f",
    "mg",
    "mg/str",
    "mg/stroke",
    "mg/hub",
    "g/s",
    "kg/h",
    "ppm",
    "g",
    "ml",
    "l",
    "mm3",
    "mm³",
    "mm3/str",
    "mm",
    "nm",
    "n m",
    "ohm",
    "-",
    "",
    "none",
    "km",
    "m",
    "bool",
    "deg",
    "°",
}
CLOCK = re.compile(r"^(?:(\d{1,3}):)?(\d{1,2}):(\d{2}(?:[.,]\d+)?)$")
MOMENT = re.compile(
    r"^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})[T ](\d{1,2}):(\d{2}):(\d{2}(?:[.,]\d+)?)(?:Z|[+-]\d{2}:?\d{2})?$"
)
NUMBER = re.compile(r"^[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?$")
NOTHING = {"", "-", "--", "---", "nan", "n/a", "na", "null", "none", "inf", "-inf", "#n/a", "?", "*"}


@dataclass(frozen=True)
class Layout:
    """How a file is laid out. `header_line`, `first_line`: counted from 0 in the decoded text; -1 without a
    header. `time_columns`: index to kind (`s`, `ms`, `min`, `clock`, `moment`). `signature`: the same for
    files of the same layout.
    """

    encoding: str
    delimiter: str
    decimal: str
    header_line: int
    first_line: int
    names: tuple[str, ...]
    units: tuple[str, ...]
    time_columns: dict[int, str]
    signature: str


def decoded(data: bytes) -> tuple[bytes, str]:
    """Bring a file to UTF-8 with one sign at the end of each line; raises BadInput for what is no text, with
    what it is."""
    text, encoding = _in_utf8(data)
    if b"\r" in text:
        for end in (b"\r\r\n", b"\r\n", b"\r"):
            text = text.replace(end, b"\n")
    return text, encoding


def first_lines(text: bytes, count: int) -> list[bytes]:
    """The first lines of a text. The rest of it is not copied: a recording is large."""
    lines: list[bytes] = []
    at = 0
    while len(lines) < count and at <= len(text):
        end = text.find(b"\n", at)
        end = len(text) if end < 0 else end
        lines.append(text[at:end])
        at = end + 1
    return lines


def fields_of(line: str, delimiter: str) -> list[str] | None:
    """The fields of one line, by the standard reader; None where a quote is not closed or a cell is too
    long."""
    try:
        return next(csv.reader((line,), delimiter=delimiter, strict=True), [])
    except csv.Error:
        return None


def _in_utf8(data: bytes) -> tuple[bytes, str]:
    if not data[:HEAD_BYTES].strip(EMPTY) and not data.strip(EMPTY):
        raise BadInput("The file is empty.")
    for magic, says in DISGUISES:
        if data.startswith(magic):
            raise BadInput(f"This is {says}.")
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return _transcoded(data, "utf-16"), "utf-16"
    if data.startswith(b"\xef\xbb\xbf"):
        return data[3:], "utf-8"
    head = data[:4000]
    zeros = head.count(0)
    if zeros > len(head) // 4:
        return _transcoded(data, "utf-16-le" if head[1:2] == b"\x00" else "utf-16-be"), "utf-16"
    if zeros:
        raise BadInput("This is no text file: it holds zero bytes. Export it as CSV.")
    if data.isascii() or _is_utf8(data):
        return data, "utf-8"
    return data.decode("latin-1").encode("utf-8"), "latin-1"


def _is_utf8(data: bytes) -> bool:
    """Whether a file is UTF-8, looked at in pieces: as a whole its text would stand in memory beside it."""
    decoder = getincrementaldecoder("utf-8")()
    try:
        for at in range(0, len(data), PIECE_BYTES):
            decoder.decode(data[at : at + PIECE_BYTES], at + PIECE_BYTES >= len(data))
    except UnicodeDecodeError:
        return False
    return True


def _transcoded(data: bytes, encoding: str) -> bytes:
    try:
        return data.decode(encoding).lstrip("\ufeff").encode("utf-8")
    except UnicodeDecodeError:
        raise BadInput("The file begins like UTF-16 and does not go on as such: it is damaged.") from None


def find_layout(text: bytes, encoding: str) -> Layout:
    """Find the layout of a decoded file. Raises BadInput when there is no table in it."""
    if len(first_lines(text, 1)[0]) > MOST_LINE_BYTES:
        raise BadInput(
            f"The first line is longer than {MOST_LINE_BYTES:,} signs: this is no recording of a scan tool."
        )
    lines = text[:SAMPLE_BYTES].decode("utf-8", "replace").split("\n")[:SAMPLE_LINES]
    if len(text) > SAMPLE_BYTES and len(lines) < SAMPLE_LINES:
        lines.pop()
    delimiter, fields = _delimiter(lines)
    if fields > MOST_COLUMNS:
        raise BadInput(f"{fields:,} columns; at most {MOST_COLUMNS:,} are read.")
    rows = [fields_of(line, delimiter) or [] for line in lines]
    first = _first_data(rows, fields)
    if first is None:
        raise BadInput(
            "No row of figures was found. A table with a time column and figures below a header is wanted."
        )
    header, units_row = _header(rows, first, fields)
    names, units = _named(
        rows[header] if header >= 0 else [], rows[units_row] if units_row >= 0 else [], fields
    )
    sample = [[cell.strip()[:MOST_CELL] for cell in row] for row in rows[first:] if len(row) == fields]
    decimal = _decimal(sample, delimiter)
    times = _time_columns(names, units, sample, decimal)
    if not times:
        raise BadInput(
            "No time column was found: a column named time, or a first column that only rises, is wanted."
        )
    known = "\x1f".join([delimiter, decimal, *names, *units])
    return Layout(
        encoding,
        delimiter,
        decimal,
        header_line=header,
        first_line=first,
        names=names,
        units=units,
        time_columns=times,
        signature=hashlib.sha256(known.encode()).hexdigest()[:16],
    )


def _delimiter(lines: list[str]) -> tuple[str, int]:
    """The delimiter under which most lines have the same number of fields; a semicolon or tab goes before a
    comma, which may be the decimal sign."""
    best: tuple[float, str, int] = (0.0, "", 0)
    for d in DELIMITERS:
        counts = [len(fields_of(line, d) or ()) for line in lines if line.strip()]
        if not counts:
            continue
        usual = max(set(counts), key=lambda n: (counts.count(n) * (n > 1), n))
        share = counts.count(usual) / len(counts) * (usual > 1)
        if share > best[0] + (0.35 if d in (",", "|") and best[0] > 0.4 else 0.05):
            best = (share, d, usual)
    if not best[1]:
        raise BadInput("The lines have no common delimiter: comma, semicolon, tab or bar are read.")
    return best[1], best[2]


def _is_figure(cell: str) -> bool:
    return len(cell) <= MOST_CELL and bool(NUMBER.match(cell) or CLOCK.match(cell) or MOMENT.match(cell))


def _first_data(rows: list[list[str]], fields: int) -> int | None:
    def data(row: list[str]) -> bool:
        filled = [c.strip() for c in row if c.strip().lower() not in NOTHING]
        return (
            len(row) in (fields, fields + 1)
            and bool(filled)
            and sum(map(_is_figure, filled)) >= 0.5 * len(filled)
        )

    for i, row in enumerate(rows):
        if data(row) and all(data(r) for r in [r for r in rows[i + 1 : i + 3] if r]):
            return i
    return None


def _header(rows: list[list[str]], first: int, fields: int) -> tuple[int, int]:
    """The lines of names and of units, -1 where there is none."""
    above = [
        i
        for i in range(first - 1, -1, -1)
        if len(rows[i]) in (fields, fields + 1) and any(c.strip() for c in rows[i])
    ][:2]
    if not above:
        return -1, -1
    cells = [c.strip().strip("[]()").lower() for c in rows[above[0]]]
    if len(above) > 1 and sum(c in UNIT_WORDS for c in cells) >= 0.6 * len(cells):
        return above[1], above[0]
    return above[0], -1


def _named(header: list[str], units: list[str], fields: int) -> tuple[tuple[str, ...], tuple[str, ...]]:
    names = []
    times = []
    for i in range(fields):
        name = header[i].strip() if i < len(header) else ""
        unit = units[i].strip().strip("[]()") if i < len(units) else ""
        if not unit:
            name, unit = _name_and_unit(name)
        names.append(name[:MOST_CELL] or f"column {i + 1}")
        times.append(unit[:MOST_UNIT])
    return tuple(names), tuple(times)


def _name_and_unit(cell: str) -> tuple[str, str]:
    """A name with its unit in brackets at the end."""
    if cell.endswith((")", "]")):
        name, bracket, unit = cell[:-1].rpartition("(" if cell[-1] == ")" else "[")
        if bracket and 0 < len(unit) <= MOST_UNIT:
            return name.strip() or cell, unit.strip()
    return cell, ""


def _figure(cell: str, decimal: str) -> float | None:
    plain = cell.replace(decimal, ".")
    return float(plain) if NUMBER.match(cell) and "," not in plain else None


def _decimal(sample: list[list[str]], delimiter: str) -> str:
    if delimiter == ",":
        quoted = sum("," in c and bool(NUMBER.match(c)) for row in sample for c in row)
        return "," if quoted > sum("." in c and bool(NUMBER.match(c)) for row in sample for c in row) else "."
    commas = sum(bool(re.match(r"^[+-]?\d+,\d+$", c)) for row in sample for c in row)
    points = sum(bool(re.match(r"^[+-]?\d+\.\d+$", c)) for row in sample for c in row)
    return "," if commas > points else "."


def _time_columns(
    names: tuple[str, ...], units: tuple[str, ...], sample: list[list[str]], decimal: str
) -> dict[int, str]:
    """The columns that hold time, each with its kind: by name, else the first one that only rises."""
    named = [i for i, n in enumerate(names) if TIME_NAMES.match(n)]
    columns = {i: kind for i in named if (kind := _kind(i, units[i], names[i], sample, decimal))}
    for i in range(len(names)) if not columns else ():
        cells = [x for r in sample if i < len(r) and (x := _figure(r[i], decimal)) is not None]
        if (
            len(cells) >= 3
            and len(cells) >= 0.8 * len(sample)
            and all(b >= a for a, b in zip(cells, cells[1:], strict=False))
            and cells[-1] > cells[0]
            and (kind := _kind(i, units[i], names[i], sample, decimal))
        ):
            return {i: kind}
        clocks = [r[i] for r in sample if i < len(r) and (CLOCK.match(r[i]) or MOMENT.match(r[i]))]
        if len(clocks) >= 0.8 * len(sample) and sample:
            return {i: "moment" if MOMENT.match(clocks[0]) else "clock"}
    return columns


def _kind(i: int, unit: str, name: str, sample: list[list[str]], decimal: str) -> str | None:
    cells = [r[i] for r in sample if i < len(r) and r[i].lower() not in NOTHING]
    if not cells:
        return None
    for kind, shape in (("moment", MOMENT), ("clock", CLOCK)):
        if sum(bool(shape.match(c)) for c in cells) >= 0.8 * len(cells):
            return kind
    figures = [x for c in cells if (x := _figure(c, decimal)) is not None]
    if len(figures) < 0.8 * len(cells):
        return None
    said = f"{unit} {name}".lower()
    if re.search(r"\bms\b|millisec", said):
        return "ms"
    if re.search(r"\bmin(utes)?\b", said) and not re.search(r"\bs\b|sec", said):
        return "min"
    if re.search(r"\bs\b|sec", said):
        return "s"
    steps = [b - a for a, b in zip(figures, figures[1:], strict=False) if b > a]
    return "ms" if steps and median(steps) >= 5 else "s"
