"""The tables. An entry is kept exactly as it came in; lists are served from columns written with it."""

from datetime import datetime
from typing import Any

from sqlalchemy import (
    JSON,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    String,
    Text,
    UniqueConstraint,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Table(DeclarativeBase):
    pass


class EngineCardRow(Table):
    __tablename__ = "engine_cards"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSON)
    version: Mapped[int] = mapped_column(Integer, default=1, server_default="1")


class VehicleRow(Table):
    __tablename__ = "vehicles"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSON)
    engine_card_id: Mapped[int | None] = mapped_column(ForeignKey("engine_cards.id"))
    version: Mapped[int] = mapped_column(Integer, default=1, server_default="1")


class CardVersionRow(Table):
    """Every version of a vehicle or engine card that ever stood."""

    __tablename__ = "card_versions"

    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    card_id: Mapped[int] = mapped_column(primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSON)
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class CardCircuitRow(Table):
    """The vacuum circuit that was copied to an engine card."""

    __tablename__ = "card_circuits"

    card_name: Mapped[str] = mapped_column(String(120), primary_key=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSON)
    by: Mapped[str] = mapped_column(String(80), default="", server_default="")
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class CardPlanRow(Table):
    """The reset plan that worked last on an engine card, by the plan it is."""

    __tablename__ = "card_plans"

    card_name: Mapped[str] = mapped_column(String(120), primary_key=True)
    plan: Mapped[str] = mapped_column(String(60), primary_key=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSON)
    job_id: Mapped[str] = mapped_column(String(64), default="", server_default="")
    by: Mapped[str] = mapped_column(String(80), default="", server_default="")
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class JobRow(Table):
    __tablename__ = "jobs"
    __table_args__ = (
        Index("jobs_open", "closed", "waiting_until"),
        Index("jobs_newest", "closed", "opened_at"),
    )

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    head: Mapped[dict[str, Any]] = mapped_column(JSON)
    vehicle: Mapped[dict[str, Any]] = mapped_column(JSON)
    engine: Mapped[dict[str, Any]] = mapped_column(JSON)
    vehicle_id: Mapped[int | None] = mapped_column(ForeignKey("vehicles.id"), index=True)
    revision: Mapped[int] = mapped_column(Integer, default=0)
    opened_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    title: Mapped[str] = mapped_column(String(200))
    vehicle_name: Mapped[str] = mapped_column(String(120))
    stage: Mapped[str] = mapped_column(String(20), default="arrive")
    next_step: Mapped[str] = mapped_column(String(200), default="")
    next_where: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    status: Mapped[str] = mapped_column(String(20), default="none")
    suspect: Mapped[str] = mapped_column(String(120), default="")
    waiting_for: Mapped[str | None] = mapped_column(String(200))
    waiting_until: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    deadline: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    countdown: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    waits: Mapped[list[dict[str, Any]] | None] = mapped_column(JSON)
    closed: Mapped[bool] = mapped_column(default=False)
    imported_by: Mapped[str] = mapped_column(String(80), default="", server_default="")
    chain_head: Mapped[str] = mapped_column(String(64), default="", server_default="")


class EntryRow(Table):
    __tablename__ = "entries"
    __table_args__ = (UniqueConstraint("job_id", "id"), {"sqlite_autoincrement": True})

    seq: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    job_id: Mapped[str] = mapped_column(ForeignKey("jobs.id"), index=True)
    id: Mapped[str] = mapped_column(String(64))
    raw: Mapped[str] = mapped_column(Text)
    written_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class ChainRow(Table):
    """The chain of the tapes: for each entry the hash of its content and of the hash before it."""

    __tablename__ = "chain"

    job_id: Mapped[str] = mapped_column(ForeignKey("jobs.id"), primary_key=True)
    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    hash: Mapped[str] = mapped_column(String(64))


class StagedRow(Table):
    """An entry of a large import, until all of them are there."""

    __tablename__ = "staged_entries"

    batch: Mapped[str] = mapped_column(String(36), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    id: Mapped[str] = mapped_column(String(64))
    raw: Mapped[str] = mapped_column(Text)
    hash: Mapped[str] = mapped_column(String(64))
    written_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class ActRow(Table):
    """What one press wrote: the same press again writes nothing."""

    __tablename__ = "acts"

    job_id: Mapped[str] = mapped_column(ForeignKey("jobs.id"), primary_key=True)
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    content: Mapped[str] = mapped_column(String(64))
    entries: Mapped[list[str]] = mapped_column(JSON)
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class BlockRow(Table):
    """What a file or a recording holds, once, by its hash, whichever jobs it belongs to."""

    __tablename__ = "blocks"

    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class AttachmentRow(Table):
    __tablename__ = "attachments"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    job_id: Mapped[str] = mapped_column(ForeignKey("jobs.id"), index=True)
    name: Mapped[str] = mapped_column(String(120))
    size: Mapped[int] = mapped_column(Integer)
    hash: Mapped[str] = mapped_column(String(64), default="", server_default="")
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class TraceRow(Table):
    """A recording of a job. Two jobs may have one of the same id: its id is that of its entry."""

    __tablename__ = "traces"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    job_id: Mapped[str] = mapped_column(ForeignKey("jobs.id"), primary_key=True, index=True)
    attachment_id: Mapped[str | None] = mapped_column(ForeignKey("attachments.id"))
    name: Mapped[str] = mapped_column(String(120))
    channels: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    hash: Mapped[str] = mapped_column(String(64), default="", server_default="")
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class ImageRow(Table):
    """A picture as it is kept, once, by the hash of its content."""

    __tablename__ = "images"

    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    width: Mapped[int] = mapped_column(Integer)
    height: Mapped[int] = mapped_column(Integer)
    size: Mapped[int] = mapped_column(Integer)
    data: Mapped[bytes] = mapped_column(LargeBinary)
    thumb: Mapped[bytes] = mapped_column(LargeBinary)
    thumb_hash: Mapped[str] = mapped_column(String(64), default="", server_default="")
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class OrderRow(Table):
    """A part that a job needs: ordered, due, arrived. `wait_id`: the wait on the job's tape that it ends."""

    __tablename__ = "orders"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    job_id: Mapped[str] = mapped_column(ForeignKey("jobs.id"), index=True)
    what: Mapped[str] = mapped_column(String(200))
    count: Mapped[int] = mapped_column(Integer)
    supplier: Mapped[str] = mapped_column(String(120), default="", server_default="")
    price: Mapped[int | None] = mapped_column(Integer)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    made_by: Mapped[str] = mapped_column(String(80), default="", server_default="")
    ordered_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    due_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    arrived_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    arrived_by: Mapped[str] = mapped_column(String(80), default="", server_default="")
    wait_id: Mapped[str] = mapped_column(String(64), default="", server_default="")


class CaseRow(Table):
    """What one finished job taught. `made_up`: there is no such job, as in the demo."""

    __tablename__ = "cases"

    job_id: Mapped[str] = mapped_column(String(64), primary_key=True)
    engine: Mapped[str] = mapped_column(String(120), index=True)
    system: Mapped[str] = mapped_column(String(30))
    closed_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), index=True)
    proven: Mapped[bool] = mapped_column()
    made_up: Mapped[bool] = mapped_column(default=False)
    data: Mapped[dict[str, Any]] = mapped_column(JSON)


class ExerciseRow(Table):
    """An exercise on a simulated vehicle: what it is, and what was done, act by act."""

    __tablename__ = "exercises"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    person: Mapped[str] = mapped_column(String(80), default="", server_default="", index=True)
    lesson: Mapped[str] = mapped_column(String(30))
    spec: Mapped[dict[str, Any]] = mapped_column(JSON)
    rate: Mapped[int] = mapped_column(Integer)
    acts: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    ended_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    set_id: Mapped[str] = mapped_column(String(64), default="", server_default="", index=True)
    result: Mapped[dict[str, Any] | None] = mapped_column(JSON)


class ExerciseSetRow(Table):
    """An exercise that was set for several people."""

    __tablename__ = "exercise_sets"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    title: Mapped[str] = mapped_column(String(120))
    spec: Mapped[dict[str, Any]] = mapped_column(JSON)
    people: Mapped[list[str]] = mapped_column(JSON)
    made_by: Mapped[str] = mapped_column(String(80), default="", server_default="")
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class PatternRow(Table):
    __tablename__ = "patterns"

    id: Mapped[int] = mapped_column(primary_key=True)
    engine: Mapped[str] = mapped_column(String(120), index=True)
    fault: Mapped[str] = mapped_column(String(60))
    times: Mapped[float] = mapped_column(Float)
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    why: Mapped[str] = mapped_column(String(400))
    key: Mapped[str | None] = mapped_column(String(64), unique=True)
    ended_by: Mapped[str | None] = mapped_column(String(80))
    ended_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))


class OwnCodeRow(Table):
    __tablename__ = "own_codes"

    code: Mapped[str] = mapped_column(String(8), primary_key=True)
    text: Mapped[str] = mapped_column(String(200))
    system: Mapped[str] = mapped_column(String(20))
    kind: Mapped[str] = mapped_column(String(20))
    by: Mapped[str] = mapped_column(String(80))
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True))


class PersonRow(Table):
    __tablename__ = "people"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    passphrase: Mapped[str | None] = mapped_column(String(200))
    right: Mapped[str] = mapped_column(String(10), default="work", server_default="work")


class SessionRow(Table):
    """Somebody who is signed in; the secret itself is with the browser alone."""

    __tablename__ = "sessions"

    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    seen_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    address: Mapped[str] = mapped_column(String(64), default="", server_default="")


class TokenRow(Table):
    """A program of somebody; the token itself is with the program alone."""

    __tablename__ = "tokens"

    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    made_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    seen_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    name: Mapped[str] = mapped_column(String(80))


class SettingRow(Table):
    __tablename__ = "settings"

    key: Mapped[str] = mapped_column(String(60), primary_key=True)
    value: Mapped[dict[str, Any]] = mapped_column(JSON)
