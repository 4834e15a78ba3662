"""The report and every other paper as a PDF: A4, fonts embedded, tagged for a screen reader. The sheet is
set by Typst."""

import json
from functools import lru_cache
from pathlib import Path
from typing import Any

from .extras import extra

PAPER = Path(__file__).parent / "paper"
SIGNS = PAPER / "signs.txt"  # written by tools/paper_signs.py: first and last of each run
BROUGHT_ALONG = "Ω∞"
MOST_PAPER_BYTES = 100_000_000


@lru_cache(maxsize=2)
def _compiler(name: str) -> Any:
    return extra("typst").Compiler(
        str(PAPER / f"{name}.typ"), str(PAPER), font_paths=[str(PAPER / "fonts")], ignore_system_fonts=True
    )


@lru_cache(maxsize=1)
def _signs() -> frozenset[int]:
    """The signs that the fonts of the sheet have, and those that the setter brings along."""
    signs = set(map(ord, BROUGHT_ALONG))
    for row in SIGNS.read_text("ascii").splitlines():
        first, last = (int(number, 16) for number in row.split())
        signs.update(range(first, last + 1))
    return frozenset(signs)


def displayable(text: str) -> str:
    """A text with a question mark for every sign that the sheet has no letter for: a file that says it can be
    read aloud holds none that cannot be seen.

    >>> displayable("Skúli ± 2 \U0010aa35")
    'Skúli ± 2 ?'
    """
    signs = _signs()
    return "".join(c if ord(c) in signs or c.isspace() else "?" for c in text)


def _texts(value: Any) -> Any:
    if isinstance(value, str):
        return displayable(value)
    if isinstance(value, dict):
        return {key: _texts(v) for key, v in value.items()}
    return [_texts(v) for v in value] if isinstance(value, list | tuple) else value


def report_pdf(sheet: dict[str, Any]) -> bytes:
    """Set a report. `sheet`: what `web.report` lays out, texts only; nothing of it is read as markup."""
    return _whole("report", sheet)


def sheet_pdf(sheet: dict[str, Any]) -> bytes:
    """Set a paper. `sheet`: what `web.papers` lays out, block by block."""
    return _whole("sheet", sheet)


def _whole(name: str, sheet: dict[str, Any]) -> bytes:
    TypstError = extra("typst").TypstError
    try:
        return _set(name, sheet)
    except TypstError:  # a sign that no font has
        return _set(name, _texts(sheet))


def _set(name: str, sheet: dict[str, Any]) -> bytes:
    made = _compiler(name).compile(format="pdf", sys_inputs={name: json.dumps(sheet)}, pdf_standards=["ua-1"])
    assert isinstance(made, bytes)
    return made
