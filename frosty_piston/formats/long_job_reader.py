"""The process that reads long job files, whatever they hold. Started by `outside.py`."""

import sys
from functools import partial

from frosty_piston.knowledge import load_knowledge

from .long_job import written_out
from .reader import serve

MOST_ADDRESS_BYTES = 4 * 2**30
MOST_RESULT_BYTES = 512 * 2**20

if __name__ == "__main__":
    read = partial(written_out, knowledge=load_knowledge())
    serve(int(sys.argv[1]), read, "job file", MOST_ADDRESS_BYTES, MOST_RESULT_BYTES)
