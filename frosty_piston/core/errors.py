"""The one tree of errors; a page, a JSON body or an exit code is made from it in one place."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing that is wrong with an input: where it stands, what is wrong, what is allowed."""

    path: str
    says: str

    def __str__(self) -> str:
        return f"{self.path}: {self.says}" if self.path else self.says


class FrostyPistonError(Exception):
    """Anything Frosty Piston refuses to do, with a sentence for the person in front of it."""


class BadInput(FrostyPistonError):
    """Input that cannot be used. Lists every fault, each with its path."""

    def __init__(self, faults: list[Fault] | str, kept: dict[str, str] | None = None):
        self.faults = [Fault("", faults)] if isinstance(faults, str) else list(faults)
        self.kept = kept or {}
        super().__init__("\n".join(map(str, self.faults)))


class NotHere(FrostyPistonError):
    """Something asked for by name that does not exist."""


class Busy(FrostyPistonError):
    """Too many ask at once: nothing was kept, send it again."""


class NoSpace(FrostyPistonError):
    """The disk is full: nothing was kept."""


class NotAllowed(FrostyPistonError):
    """Something that takes another right, or another person."""


class Damaged(FrostyPistonError):
    """Something that is kept cannot be read any more."""


class Conflict(FrostyPistonError):
    """The same name already stands for something else."""


class BadKnowledge(FrostyPistonError):
    """A knowledge file that cannot be used: file, line, key and reason."""


class CannotStart(FrostyPistonError):
    """The program cannot start here: a busy port, a folder that cannot be written."""
