"""Reads knowledge files; what is wrong with one is said with file, line and key."""

import json
import tomllib
from collections.abc import Iterable, Iterator
from difflib import get_close_matches
from functools import lru_cache
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from frosty_piston.core.errors import BadKnowledge


@lru_cache(maxsize=512)
def _parsed(text: str) -> dict[str, Any]:
    return tomllib.loads(text)


@lru_cache(maxsize=256)
def _adapter(shape: Any) -> TypeAdapter[Any]:
    return TypeAdapter(shape)


class Reader:
    """Reads knowledge files; what is wrong with one is said with file, line and key."""

    def __init__(self, folder: Path):
        self.folder = folder

    def raw(self, name: str) -> tuple[dict[str, Any], list[str]]:
        path = self.folder / name
        try:
            text = path.read_text("utf-8")
            return _parsed(text), text.splitlines()
        except FileNotFoundError:
            raise BadKnowledge(f"{name}: the file is missing") from None
        except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
            raise BadKnowledge(f"{name}: {error}") from None

    def read(self, name: str, shape: Any) -> Any:
        return self.shaped(name, [], self.raw(name)[0], shape)

    def shaped(self, name: str, path: list[str], data: Any, shape: Any) -> Any:
        """Part of a file as its shape; `path`: where in the file it stands."""
        try:
            # As JSON, so that a list may be a tuple while no text becomes a number.
            return _adapter(shape).validate_json(json.dumps(data), strict=True)
        except ValidationError as error:
            first = error.errors()[0]
            at = [*path, *(str(p) for p in first["loc"])]
            raise BadKnowledge(self.says(name, at, first["msg"])) from None

    def says(self, name: str, path: list[str], reason: str) -> str:
        return complaint(name, self.raw(name)[1], path, reason)

    def known(self, name: str, path: list[str], given: str, allowed: Any) -> None:
        """Refuse a name that stands nowhere; near ones are told."""
        if given not in allowed:
            near = get_close_matches(given, list(allowed), 3)
            raise BadKnowledge(
                self.says(
                    name,
                    [*path, given],
                    f"{given!r} is not known here" + (f"; near: {', '.join(near)}" if near else ""),
                )
            )

    def all_known(self, name: str, path: list[str], given: Iterable[str], allowed: Any) -> None:
        for one in given:
            self.known(name, path, one, allowed)

    def many(self, folder: str) -> Iterator[str]:
        return (f"{folder}/{p.name}" for p in sorted((self.folder / folder).glob("*.toml")))


def complaint(name: str, rows: list[str], path: list[str], reason: str) -> str:
    """Say file, line, key and reason; the line is that of the deepest key that can be found in the text."""
    line = 1
    start = 0
    for key in (k for k in path if not k.isdigit()):
        for number in range(start, len(rows)):
            if key in rows[number]:
                line = number + 1
                start = number
                break
    return f"{name}, line {line}, {'.'.join(path)}: {reason}"
