"""Pictures: each kept once, by the hash of its content, with a thumbnail beside it."""

import hashlib
from collections.abc import Iterable
from typing import Protocol

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from frosty_piston.core.errors import BadInput, NotHere

from .database import write_session
from .tables import ImageRow
from .timestamps import now


class Image(Protocol):
    """A picture that was cleaned, with its thumbnail."""

    @property
    def width(self) -> int: ...
    @property
    def height(self) -> int: ...
    @property
    def data(self) -> bytes: ...
    @property
    def thumb(self) -> bytes: ...


def hash_of(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


class Pictures:
    """Keeps and finds pictures. Safe to use from several threads."""

    def __init__(self, engine: Engine):
        self.engine = engine

    def keep(self, made: Image) -> str:
        """Keep a picture; one that is here already is kept once. Answers its hash."""
        key = hash_of(made.data)
        with write_session(self.engine) as session:
            if session.get(ImageRow, key) is None:
                session.add(
                    ImageRow(
                        hash=key,
                        width=made.width,
                        height=made.height,
                        size=len(made.data),
                        data=made.data,
                        thumb=made.thumb,
                        thumb_hash=hash_of(made.thumb),
                        at=now(),
                    )
                )
        return key

    def data(self, key: str, thumb: bool = False) -> bytes:
        """The picture of a hash. Raises NotHere."""
        column = ImageRow.thumb if thumb else ImageRow.data
        with Session(self.engine) as session:
            found = session.scalar(select(column).where(ImageRow.hash == key))
        if found is None:
            raise NotHere("This picture is not kept here: its job came without it.")
        return found

    def sizes(self, keys: Iterable[str]) -> dict[str, tuple[int, int]]:
        """Width and height of those pictures that are kept here."""
        asked = select(ImageRow.hash, ImageRow.width, ImageRow.height).where(ImageRow.hash.in_(list(keys)))
        with Session(self.engine) as session:
            return {key: (width, height) for key, width, height in session.execute(asked)}

    def kept_whole(self, key: str, data: bytes) -> None:
        """Raises BadInput when a picture is not the one that its name says."""
        if hash_of(data) != key:
            raise BadInput(f"The picture {key[:12]} is not the one that its name says: it was changed.")
