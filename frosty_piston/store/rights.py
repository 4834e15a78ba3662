"""Who may do what, where people sign in: one table of act by right."""

from fnmatch import fnmatchcase
from typing import Literal

Right = Literal["look", "work", "lead"]
ORDER: tuple[Right, ...] = ("look", "work", "lead")
SAYS: dict[Right, str] = {
    "look": "sees everything, writes nothing",
    "work": "looks, and works on jobs",
    "lead": "works, and keeps what the reasoning rests on, the people, and jobs from elsewhere",
}

# The first row that fits counts. A method, the path of an address, the right that it takes.
ACTS: tuple[tuple[str, str, Right], ...] = (
    ("GET", "/people", "lead"),
    ("GET", "*", "look"),
    ("POST", "/look", "look"),
    ("POST", "/leave", "look"),
    ("POST", "/me/*", "look"),
    ("POST", "/people/*", "lead"),
    ("POST", "/people", "lead"),
    ("POST", "/shelf/*", "lead"),
    ("POST", "/day/do/*", "work"),
    ("POST", "/day/*", "lead"),
    ("POST", "/jobs/*/decide/rates", "lead"),
    ("POST", "/jobs/*/papers/head", "lead"),
    ("POST", "/training/sets*", "lead"),
    ("POST", "/training*", "work"),
    ("POST", "/orders/*", "work"),
    ("POST", "/jobs/*/resets/*/edit", "lead"),
    ("POST", "/jobs/*/resets/*/file", "lead"),
    ("POST", "/jobs/*/resets/*/floor", "lead"),
    ("POST", "/api/v1/jobs", "lead"),
    ("POST", "/api/v1/jobs/*/entries", "work"),
    ("POST", "/jobs/*", "work"),
    ("POST", "/jobs", "work"),
)


def right_for(method: str, path: str) -> Right:
    """The right that an act takes; what no row knows takes the highest.

    >>> right_for("GET", "/jobs/a/report"), right_for("POST", "/jobs/a/tape/note"), right_for("PUT", "/x")
    ('look', 'work', 'lead')
    """
    asked = "GET" if method == "HEAD" else method
    return next((right for how, where, right in ACTS if how == asked and fnmatchcase(path, where)), ORDER[-1])


def may(right: Right, needed: Right) -> bool:
    """Whether one right holds another.

    >>> may("lead", "work"), may("look", "work")
    (True, False)
    """
    return ORDER.index(right) >= ORDER.index(needed)
