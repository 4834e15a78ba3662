"""The demo world, made once in each process that asks for it, and copied."""

import atexit
import shutil
import tempfile
from functools import cache
from pathlib import Path

from frosty_piston.demo import fill_demo
from frosty_piston.store.workshop import open_workshop


@cache
def _made() -> Path:
    folder = Path(tempfile.mkdtemp())
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    with open_workshop(folder) as workshop:
        fill_demo(workshop)
    return folder


def demo_into(folder: str | Path) -> Path:
    """Put the demo world into a folder that is empty, or holds what is none of the workshop's."""
    return Path(shutil.copytree(_made(), folder, dirs_exist_ok=True))
