"""Packages that only some of what is done needs: where one is missing, that is said plainly."""

from importlib import import_module
from typing import Any

from frosty_piston.core.errors import BadInput

# What each optional package is for, and the extra that brings it.
EXTRAS = {
    "typst": ("A PDF", "paper"),
    "asammdf": ("An MDF recording", "mdf"),
}


def extra(module: str) -> Any:
    """Return a module of an optional package. Raises BadInput, naming the package, where it is missing."""
    package = module.partition(".")[0]
    try:
        return import_module(module)
    except ModuleNotFoundError as error:
        if error.name != package:
            raise
        what, brings = EXTRAS[package]
        raise BadInput(
            f"{what} needs the package {package}, which is not installed here: pip install"
            f" 'frosty-piston[{brings}]'."
        ) from None
