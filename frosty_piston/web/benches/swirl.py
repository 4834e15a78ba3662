"""Swirl flaps: rev test as it is and released."""

from frosty_piston.core.quantity import plain
from frosty_piston.store.workshop import JobRecord, Workshop

from .recorded import Drawn, last_read
from .sections import sectioned

TIMES_PX = 210.0


def draws(record: JobRecord, workshop: Workshop) -> Drawn:
    times = [
        (name, last_read(record, "swirl_compare", "s", point=point))
        for point, name in (("as_is", "as it is"), ("released", "flaps released"))
    ]
    top = max([t for _, t in times if t] or [1.0]) * 1.1
    return {
        "bars": [
            {
                "name": name,
                "s": plain(t) if t is not None else "",
                "width": round((t or 0) / top * TIMES_PX, 1),
                "y": 58 + 62 * n,
            }
            for n, (name, t) in enumerate(times)
        ]
    }


BENCH = sectioned("swirl", draws)
