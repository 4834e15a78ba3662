"""The demo world and an empty workshop, made once in each process that asks for them, and copied."""

import atexit
import shutil
import tempfile
from functools import cache
from pathlib import Path

from sqlalchemy import Engine

from frosty_piston.demo import fill_demo
from frosty_piston.store.database import open_database
from frosty_piston.store.workshop import open_workshop


def _folder() -> Path:
    folder = Path(tempfile.mkdtemp())
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


@cache
def _made() -> Path:
    folder = _folder()
    with open_workshop(folder) as workshop:
        fill_demo(workshop)
    return folder


@cache
def _empty() -> Path:
    folder = _folder()
    open_database(folder).dispose()
    return folder


def demo_into(folder: str | Path) -> Path:
    """Put the demo world into a folder that is empty, or holds what is none of the workshop's."""
    return Path(shutil.copytree(_made(), folder, dirs_exist_ok=True))


def empty_into(folder: str | Path) -> Engine:
    """Open a workshop without any jobs in a new folder; its layout is made once and copied."""
    return open_database(Path(shutil.copytree(_empty(), folder, dirs_exist_ok=True)))
