"""The process that sets papers as PDF: what a large one takes, it takes here. Started by `outside.py`."""

import json
import sys
from typing import Any, BinaryIO

from .reader import serve
from .report_pdf import report_pdf, sheet_pdf

MOST_ADDRESS_BYTES = 2 * 2**30
MOST_RESULT_BYTES = 256 * 2**20
SETTERS = {"report": report_pdf, "sheet": sheet_pdf}


def read(file: BinaryIO, out: BinaryIO) -> dict[str, Any]:
    """Set one paper: its kind and its texts come in as JSON, the PDF is written out."""
    asked = json.loads(file.read())
    data = SETTERS[asked["paper"]](asked["sheet"])
    out.write(data)
    out.flush()
    return {"size": len(data)}


if __name__ == "__main__":
    serve(int(sys.argv[1]), read, "paper", MOST_ADDRESS_BYTES, MOST_RESULT_BYTES)
