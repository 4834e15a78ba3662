"""People who sign in: their passphrases and rights, their sessions, and the tokens of their programs."""

import hashlib
import hmac
import secrets
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta
from functools import cache
from pathlib import Path
from threading import BoundedSemaphore
from typing import get_args

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError
from sqlalchemy import Engine, delete, func, select
from sqlalchemy.orm import Session

from frosty_piston.core.errors import BadInput, Busy, Fault

from .database import write_session
from .rights import Right
from .tables import PersonRow, SessionRow, TokenRow
from .timestamps import now, utc

LEAST_SIGNS = 10
MOST_SIGNS = 200
MOST_NAME = 80
MOST_ADDRESS = 64
COMMON = Path(__file__).parent / "common_passphrases.txt"
IDLE = timedelta(hours=24)
LONGEST = timedelta(days=14)
FRESH = timedelta(minutes=5)
AT_ONCE = 2  # each takes 64 MB and a good part of a second of one core


@dataclass(frozen=True)
class Person:
    """Somebody who signed in. `seal`: what the forms of this session must carry; empty for a program."""

    name: str
    right: Right
    seal: str = ""


@dataclass(frozen=True)
class Known:
    """Somebody on the list of people: whether they can sign in, and the names of their programs."""

    id: int
    name: str
    right: Right
    can_sign_in: bool
    programs: tuple[str, ...]


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def seal_of(secret: str) -> str:
    """What the forms of a session carry, so that no other site can send them."""
    return hmac.new(secret.encode(), b"forms of this session", hashlib.sha256).hexdigest()[:32]


class People:
    """Keeps who may sign in. Secrets are kept as hashes alone: nobody can read them back."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._hasher = PasswordHasher()
        self._turn = BoundedSemaphore(AT_ONCE)
        self._nobody = ""

    def everybody(self) -> list[Known]:
        with Session(self.engine) as session:
            programs: dict[int, list[str]] = {}
            for person_id, name in session.execute(select(TokenRow.person_id, TokenRow.name)):
                programs.setdefault(person_id, []).append(name)
            return [
                Known(r.id, r.name, _right(r.right), r.passphrase is not None, tuple(programs.get(r.id, ())))
                for r in session.scalars(select(PersonRow).order_by(PersonRow.name))
            ]

    def anybody(self) -> bool:
        """Whether there is somebody who can sign in."""
        with Session(self.engine) as session:
            return bool(session.scalar(select(func.count()).where(PersonRow.passphrase.is_not(None))))

    def set_passphrase(self, name: str, passphrase: str, right: Right | None = None) -> Right:
        """Give somebody a passphrase, and a right where one is named; who is new works, and the first who can
        sign in leads. Ends the sessions of this person and the tokens of their programs. Raises BadInput."""
        if faults := passphrase_faults(name, passphrase):
            raise BadInput(faults)
        with self._turn:
            kept = self._hasher.hash(passphrase)
        with write_session(self.engine) as session:
            first = not session.scalar(select(func.count()).where(PersonRow.passphrase.is_not(None)))
            row = session.scalar(select(PersonRow).where(PersonRow.name == name))
            if row is None:
                row = PersonRow(name=name, right="work")
                session.add(row)
            row.passphrase = kept
            row.right = "lead" if first else right or row.right or "work"
            session.flush()
            for table in (SessionRow, TokenRow):
                session.execute(delete(table).where(table.person_id == row.id))
            return _right(row.right)

    def change_right(self, name: str, right: Right) -> None:
        """Give somebody another right. Raises BadInput for nobody, and when nobody would lead any more."""
        with write_session(self.engine) as session:
            row = session.scalar(select(PersonRow).where(PersonRow.name == name))
            if row is None:
                raise BadInput([Fault("name", "there is nobody of this name")])
            self._still_led(session, row, right)
            row.right = right

    def shut_out(self, name: str) -> None:
        """Take the passphrase of somebody, their sessions and programs; what they wrote stays. Raises
        BadInput when nobody would lead any more."""
        with write_session(self.engine) as session:
            row = session.scalar(select(PersonRow).where(PersonRow.name == name))
            if row is None:
                raise BadInput([Fault("name", "there is nobody of this name")])
            self._still_led(session, row, None)
            row.passphrase = None
            for table in (SessionRow, TokenRow):
                session.execute(delete(table).where(table.person_id == row.id))

    def _still_led(self, session: Session, row: PersonRow, right: Right | None) -> None:
        leads = session.scalars(
            select(PersonRow.id).where(PersonRow.right == "lead", PersonRow.passphrase.is_not(None))
        ).all()
        if right != "lead" and list(leads) == [row.id]:
            raise BadInput([Fault("right", "somebody has to lead: give another one that right first")])

    def is_passphrase(self, name: str, passphrase: str) -> bool:
        """Whether name and passphrase belong together. It takes as long whether or not there is somebody of
        this name."""
        return self._of_passphrase(name, passphrase) is not None

    def _of_passphrase(self, name: str, passphrase: str) -> int | None:
        with Session(self.engine) as session:
            row = session.scalar(select(PersonRow).where(PersonRow.name == name[:MOST_NAME]))
            person_id, kept = (row.id, row.passphrase) if row else (None, None)
        with self._turn:
            self._nobody = self._nobody or self._hasher.hash(secrets.token_hex())
            try:
                self._hasher.verify(kept or self._nobody, passphrase[: MOST_SIGNS + 1])
            except (Argon2Error, InvalidHashError):
                return None
        return person_id if kept is not None else None

    def sign_in(self, name: str, passphrase: str, address: str = "") -> str | None:
        """Begin a session from an address, and return its secret; None when name and passphrase do not belong
        together."""
        person_id = self._of_passphrase(name, passphrase)
        if person_id is None:
            return None
        secret = secrets.token_urlsafe(32)
        at = now()
        made = {"person_id": person_id, "made_at": at, "seen_at": at, "address": address[:MOST_ADDRESS]}
        with write_session(self.engine) as session:
            session.execute(delete(SessionRow).where(SessionRow.made_at < at - LONGEST))
            session.add(SessionRow(hash=_hash(secret), **made))
        return secret

    def signed_in_at(self, name: str, address: str) -> bool:
        """Whether somebody of this name has a session that was begun from this address."""
        at = now()
        asked = (
            select(SessionRow.hash)
            .join(PersonRow, PersonRow.id == SessionRow.person_id)
            .where(
                func.lower(PersonRow.name) == name.strip().lower()[:MOST_NAME],
                SessionRow.address == address[:MOST_ADDRESS],
                SessionRow.made_at > at - LONGEST,
                SessionRow.seen_at > at - IDLE,
            )
        )
        with Session(self.engine) as session:
            return bool(address) and session.scalar(asked.limit(1)) is not None

    def of_session(self, secret: str) -> Person | None:
        """Who has a session; None when there is none, or it is over."""
        at = now()
        with Session(self.engine) as session:
            found = session.execute(
                select(SessionRow.made_at, SessionRow.seen_at, PersonRow.name, PersonRow.right)
                .join(PersonRow, PersonRow.id == SessionRow.person_id)
                .where(SessionRow.hash == _hash(secret))
            ).one_or_none()
        if found is None or at - utc(found.made_at) > LONGEST or at - utc(found.seen_at) > IDLE:
            return None
        if at - utc(found.seen_at) > FRESH:
            with suppress(Busy), write_session(self.engine, timeout_s=0.0) as session:  # no page waits for it
                if row := session.get(SessionRow, _hash(secret)):
                    row.seen_at = at
        return Person(found.name, _right(found.right), seal_of(secret))

    def sign_out(self, secret: str) -> None:
        with write_session(self.engine) as session:
            session.execute(delete(SessionRow).where(SessionRow.hash == _hash(secret)))

    def add_program(self, person: str, name: str) -> str:
        """Make a token for a program of somebody, and answer it: it is shown this once. A second one of the
        same name takes the place of the first. Raises BadInput."""
        if not name.strip() or len(name) > MOST_NAME:
            raise BadInput([Fault("program", f"say which program, in at most {MOST_NAME} signs")])
        secret = "piston_" + secrets.token_urlsafe(32)
        at = now()
        with write_session(self.engine) as session:
            row = session.scalars(select(PersonRow).where(PersonRow.name == person)).one()
            self._end_program(session, row.id, name)
            made = TokenRow(hash=_hash(secret), person_id=row.id, made_at=at, seen_at=at, name=name)
            session.add(made)
        return secret

    def end_program(self, person: str, name: str) -> None:
        with write_session(self.engine) as session:
            row = session.scalars(select(PersonRow).where(PersonRow.name == person)).one()
            self._end_program(session, row.id, name)

    def _end_program(self, session: Session, person_id: int, name: str) -> None:
        session.execute(delete(TokenRow).where(TokenRow.person_id == person_id, TokenRow.name == name))

    def of_program(self, secret: str) -> Person | None:
        """Whose program sends this token; None when it is of nobody."""
        with Session(self.engine) as session:
            found = session.execute(
                select(PersonRow.name, PersonRow.right)
                .join(TokenRow, TokenRow.person_id == PersonRow.id)
                .where(TokenRow.hash == _hash(secret))
            ).one_or_none()
        return Person(found.name, _right(found.right)) if found else None


def _right(kept: str) -> Right:
    return next(right for right in get_args(Right) if right == (kept or "work"))


@cache
def _common() -> frozenset[str]:
    lines = COMMON.read_text("ascii").splitlines()
    return frozenset(line for line in lines if not line.startswith("#"))


def is_common(passphrase: str) -> bool:
    """Whether a passphrase is one of the thousand commonest, whatever its capitals and spaces.

    >>> is_common("1234567890"), is_common("four words that do not belong together")
    (True, False)
    """
    bare = "".join(passphrase.casefold().split())
    return _hash(bare)[:16] in _common()


def passphrase_faults(name: str, passphrase: str) -> list[Fault]:
    """What is wrong with a name and a passphrase."""
    faults = []
    if not name.strip() or len(name) > MOST_NAME or not name.isprintable():
        faults.append(Fault("name", f"a name of at most {MOST_NAME} signs"))
    if not LEAST_SIGNS <= len(passphrase) <= MOST_SIGNS:
        faults.append(Fault("passphrase", f"{LEAST_SIGNS} to {MOST_SIGNS} signs, as four words"))
    elif passphrase.casefold() == name.casefold() or len(set(passphrase)) < 4:
        faults.append(Fault("passphrase", "too easy to guess: take four words that do not belong together"))
    elif is_common(passphrase):
        says = "one of the thousand commonest: take four words that do not belong together"
        faults.append(Fault("passphrase", says))
    return faults
