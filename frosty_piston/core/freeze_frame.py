"""What the figures stored with a code say of the moment: cold or warm, at a stand or on the road, pulling
or not."""

from collections.abc import Mapping

COLD_C = 40.0
WARM_C = 70.0
STANDS_KMH = 3.0
ROAD_KMH = 50.0
CRANKS_RPM = 450.0
IDLES_RPM = 1100.0
PULLS_PERCENT = 60.0
RESTS_PERCENT = 30.0
JUST_STARTED_S = 60.0


def moment_of(figures: Mapping[str, float]) -> tuple[str, ...]:
    """Return in words what a vehicle was doing when a code was stored.

    Parameters: `figures`: figures by channel in the channel's own unit (`coolant_temp` in °C, `vehicle_speed`
    in km/h, `engine_speed` per minute, `engine_load` and `pedal` in percent, `time_since_start` in s). What
    lies between the marks says nothing. Source: general: an engine is warm from 70 °C, cranks under 450 and
    idles under 1 100 per minute.

    >>> moment_of({"coolant_temp": 12, "vehicle_speed": 0, "engine_speed": 850, "time_since_start": 9})
    ('cold', 'at a stand', 'idling', 'just started')
    >>> moment_of({"coolant_temp": 88, "vehicle_speed": 92, "engine_load": 84, "engine_speed": 2300})
    ('warm', 'on the road', 'pulling')
    """
    said = []
    for name, marks in (
        ("coolant_temp", ((COLD_C, "cold"), (WARM_C, ""), (None, "warm"))),
        ("vehicle_speed", ((STANDS_KMH, "at a stand"), (ROAD_KMH, ""), (None, "on the road"))),
        ("engine_speed", ((CRANKS_RPM, "cranking"), (IDLES_RPM, "idling"), (None, ""))),
        ("time_since_start", ((JUST_STARTED_S, "just started"), (None, ""))),
    ):
        if (value := figures.get(name)) is not None:
            said.append(next(word for most, word in marks if most is None or value < most))
    loads = [figures[name] for name in ("engine_load", "pedal") if name in figures]
    if loads and max(loads) >= PULLS_PERCENT:
        said.append("pulling")
    elif loads and max(loads) < RESTS_PERCENT and "idling" not in said:
        said.append("without load")
    return tuple(word for word in said if word)
