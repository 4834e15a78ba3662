"""Who signed in, as the gate found out."""

from fastapi import Request

from frosty_piston.store.people import Person


def person_of(request: Request) -> Person | None:
    """Who signed in; None where nobody has to."""
    person: Person | None = getattr(request.state, "person", None)
    return person
