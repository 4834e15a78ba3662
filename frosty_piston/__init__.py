"""Frosty Piston keeps the thread of a diesel diagnosis, from arrival to proof."""

import os

# Many small products of matrices: with several threads they wait for each other. Set before numpy is loaded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
