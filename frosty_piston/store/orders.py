"""The parts that are ordered, across jobs: what, for which job, ordered, due, arrived."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from frosty_piston.core.errors import Conflict, NotHere

from .database import write_session
from .tables import JobRow, OrderRow
from .timestamps import now, utc

MOST_SHOWN = 200


@dataclass(frozen=True)
class Order:
    """One line of the order. `wait_id`: the wait on the job's tape that it is waited for with."""

    id: str
    job: str
    vehicle: str
    what: str
    count: int
    supplier: str
    price: int | None
    made_at: datetime
    made_by: str
    ordered_at: datetime | None
    due_at: datetime | None
    arrived_at: datetime | None
    arrived_by: str
    wait_id: str

    @property
    def state(self) -> str:
        if self.arrived_at:
            return "arrived"
        if self.ordered_at:
            return "ordered"
        return "wanted"


class Orders:
    """Keeps the order. Safe to use from several threads; the same press writes once."""

    def __init__(self, engine: Engine):
        self.engine = engine

    def all(self, arrived: bool = False) -> list[Order]:
        """What is wanted and ordered, by when it is due; or what has arrived, the newest first."""
        order = (
            (OrderRow.arrived_at.desc(),)
            if arrived
            else (OrderRow.due_at.is_(None), OrderRow.due_at, OrderRow.made_at)
        )
        asked = (
            select(OrderRow, JobRow.vehicle_name)
            .join(JobRow, JobRow.id == OrderRow.job_id)
            .where(OrderRow.arrived_at.is_not(None) if arrived else OrderRow.arrived_at.is_(None))
            .order_by(*order)
            .limit(MOST_SHOWN)
        )
        with Session(self.engine) as session:
            return [_order(row, vehicle) for row, vehicle in session.execute(asked)]

    def of_job(self, job_id: str) -> list[Order]:
        """The lines of one job, in the order in which they were written."""
        asked = select(OrderRow, JobRow.vehicle_name).join(JobRow, JobRow.id == OrderRow.job_id)
        with Session(self.engine) as session:
            rows = session.execute(asked.where(OrderRow.job_id == job_id).order_by(OrderRow.made_at)).all()
        return [_order(row, vehicle) for row, vehicle in rows]

    def one(self, order_id: str) -> Order:
        """Raises NotHere."""
        with Session(self.engine) as session:
            row = session.get(OrderRow, order_id)
            if row is None:
                raise NotHere("There is no such line on the order.")
            return _order(row, "")

    def want(
        self, order_id: str, job_id: str, what: str, count: int, supplier: str, price: int | None, by: str
    ) -> None:
        """Put a part on the list; a line that is there already stays as it is."""
        with write_session(self.engine) as session:
            if session.get(OrderRow, order_id) is None:
                session.add(
                    OrderRow(
                        id=order_id,
                        job_id=job_id,
                        what=what,
                        count=count,
                        supplier=supplier,
                        price=price,
                        made_at=now(),
                        made_by=by,
                    )
                )

    def ordered(self, order_id: str, due: datetime, wait_id: str) -> None:
        """Say that it is ordered, and when it should be here. Raises NotHere, Conflict."""
        with write_session(self.engine) as session:
            row = _row(session, order_id)
            if row.arrived_at is not None:
                raise Conflict("This has arrived already: look at what stands.")
            row.ordered_at = row.ordered_at or now()
            row.due_at = due
            row.wait_id = wait_id

    def arrived(self, order_id: str, by: str) -> bool:
        """Say that it is here; answers whether this said it first. Raises NotHere."""
        with write_session(self.engine) as session:
            row = _row(session, order_id)
            if row.arrived_at is not None:
                return False
            row.arrived_at = now()
            row.arrived_by = by
        return True

    def drop(self, order_id: str) -> None:
        """Take a line that was not ordered off the list. Raises NotHere, Conflict."""
        with write_session(self.engine) as session:
            row = _row(session, order_id)
            if row.ordered_at is not None:
                raise Conflict("This is ordered already: it stays on the list until it is here.")
            session.delete(row)


def _row(session: Session, order_id: str) -> OrderRow:
    row = session.get(OrderRow, order_id)
    if row is None:
        raise NotHere("There is no such line on the order.")
    return row


def _order(order_row: OrderRow, vehicle: str) -> Order:
    ordered, due, arrived = (
        utc(x) if x else None for x in (order_row.ordered_at, order_row.due_at, order_row.arrived_at)
    )
    return Order(
        order_row.id,
        order_row.job_id,
        vehicle,
        what=order_row.what,
        count=order_row.count,
        supplier=order_row.supplier,
        price=order_row.price,
        made_at=utc(order_row.made_at),
        made_by=order_row.made_by,
        ordered_at=ordered,
        due_at=due,
        arrived_at=arrived,
        arrived_by=order_row.arrived_by,
        wait_id=order_row.wait_id,
    )
