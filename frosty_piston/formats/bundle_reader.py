"""The process that reads bundles: whatever an archive unpacks to, it does it here. Started by
`outside.py`."""

import sys
from typing import Any, BinaryIO

from .bundle import MOST_UNPACKED, unpack
from .reader import serve

MOST_ADDRESS_BYTES = 2 * 2**30


def read(file: BinaryIO, out: BinaryIO) -> dict[str, Any]:
    return unpack(file.read(), out)


if __name__ == "__main__":
    import pandas  # noqa: F401 - loaded before the limits are set

    serve(int(sys.argv[1]), read, "bundle of a job", MOST_ADDRESS_BYTES, MOST_UNPACKED + 2**20)
