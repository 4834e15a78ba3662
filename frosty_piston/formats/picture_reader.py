"""The process that reads pictures: whatever a file does, it does it here. Started by `outside.py`."""

import sys
from typing import Any, BinaryIO

from .picture import clean, is_clean
from .reader import serve

MOST_ADDRESS_BYTES = 1536 * 2**20
MOST_RESULT_BYTES = 64 * 2**20


def read(file: BinaryIO, out: BinaryIO) -> dict[str, Any]:
    """Clean one picture; it is written out with its thumbnail after it."""
    data = file.read()
    made = clean(data)
    out.write(made.data + made.thumb)
    out.flush()
    return {
        "width": made.width,
        "height": made.height,
        "data": len(made.data),
        "thumb": len(made.thumb),
        "as_kept": is_clean(data),
    }


if __name__ == "__main__":
    from PIL import Image

    Image.init()
    serve(int(sys.argv[1]), read, "picture", MOST_ADDRESS_BYTES, MOST_RESULT_BYTES)
