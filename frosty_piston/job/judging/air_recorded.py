"""Boost and the air path of a recording, judged for this engine, with what is written down of each."""

from collections.abc import Callable

import numpy as np

from frosty_piston.core.air import AirLimits, judge_key_on, judge_swirl
from frosty_piston.core.air_recorded import (
    AirChange,
    RecordedLimits,
    RevTest,
    air_change,
    bypass_at,
    expected_over,
    judge_air_change,
    judge_alike,
    judge_bypass,
    rev_test,
)
from frosty_piston.core.boost import BoostLimits, analyse_boost, judge_boost
from frosty_piston.core.quantity import Judgement, plain
from frosty_piston.core.traces import cut, runs
from frosty_piston.core.words import sentence

from .air import expected_at_atmosphere
from .analysed import Analysed, Channels, Written
from .exhaust_recorded import filter_drop, nox_pair
from .readings import Readings

KEY_ON = {
    "barometer": "barometer",
    "manifold": "manifold_pressure",
    "exhaust": "exhaust_pressure_1",
    "differential": "dpf_pressure",
}
STANDS_RPM = 50.0
STANDS_S = 1.0


def boost_side(readings: Readings, channels: Channels) -> Analysed | None:
    if "manifold_pressure_target" not in channels or "manifold_pressure" not in channels:
        return None
    limits = readings.limits(BoostLimits)
    report = analyse_boost(
        channels["manifold_pressure_target"],
        channels["manifold_pressure"],
        limits,
        channels.get("vane_command"),
        channels.get("vane_position"),
    )
    judged = judge_boost(report, limits)
    pairs: tuple[tuple[str, str], ...] = ()
    if report is not None:
        pairs = (
            ("Boost asked", f"{plain(round(report.asked_kpa, 1))} kPa"),
            (
                "Missing, settled",
                f"{plain(round(report.shortfall_kpa, 1))} ± {plain(round(report.u_kpa, 1))} kPa",
            ),
            (
                "Nine tenths after",
                "never" if report.to_90_s is None else f"{plain(round(report.to_90_s, 1))} s",
            ),
            (
                "Most too much",
                f"{plain(round(report.overshoot_kpa, 1))} kPa for {plain(round(report.over_s, 1))} s",
            ),
            (
                "Swings by",
                (
                    "it stands"
                    if not report.hunting_kpa
                    else (
                        f"{plain(round(report.hunting_kpa, 1))} kPa every"
                        f" {plain(round(report.period_s, 1))} s"
                    )
                ),
            ),
        )
    writes = (
        ()
        if report is None
        else (("outcome", {"test": "boost_trace", "outcome": judged.cls, "note": judged.because}),)
    )
    return Analysed(
        "boost",
        "Boost commanded and actual",
        "boost_trace",
        judgement=judged,
        writes=writes,
        found=pairs,
        stretches=tuple((s, e, judged.cls.replace("_", " ")) for s, e in report.stretches) if report else (),
        boost=report,
    )


def egr_air(readings: Readings, channels: Channels) -> Analysed | None:
    valve = channels.get("egr_position") or channels.get("egr_command")
    if valve is None or "air_mass_stroke" not in channels:
        return None
    change = air_change(
        valve, channels["air_mass_stroke"], readings.limits(RecordedLimits), channels.get("engine_speed")
    )
    judged = judge_air_change(change, readings.limits(AirLimits), expected_at_atmosphere(readings))
    return Analysed(
        "egr_air",
        "Air mass with the EGR shut and open",
        "egr_air_change",
        judgement=judged,
        writes=_air_readings(change),
        found=_air_found(change),
        stretches=(
            ()
            if change is None
            else (*((s, e, "shut") for s, e in change.shut_s), *((s, e, "open") for s, e in change.open_s))
        ),
    )


def _air_readings(change: AirChange | None) -> tuple[Written, ...]:
    if change is None:
        return ()
    return tuple(
        (
            "reading",
            {"test": "egr_air_change", "where": {"point": point}, "value": round(mg, 1), "unit": "mg"},
        )
        for point, mg in (("shut", change.shut_mg), ("open", change.open_mg))
    )


def _air_found(change: AirChange | None) -> tuple[tuple[str, str], ...]:
    return (
        ()
        if change is None
        else (
            ("Shut", f"{plain(round(change.shut_mg))} ± {plain(round(change.shut_u_mg, 1))} mg"),
            ("Open", f"{plain(round(change.open_mg))} ± {plain(round(change.open_u_mg, 1))} mg"),
        )
    )


def air_sensor(readings: Readings, channels: Channels) -> Analysed | None:
    if "air_mass_stroke" not in channels or "manifold_pressure" not in channels:
        return None
    displacement = readings.job.engine.displacement_l
    if displacement is None:
        return Analysed(
            "air_sensor",
            "Air mass against displacement and pressure",
            "air_mass_check",
            Judgement(
                "unclear",
                "unclear",
                None,
                unit=None,
                uncertainty=None,
                because="Put the displacement on the engine card: the expected air hangs on it.",
            ),
        )
    over = expected_over(
        channels["air_mass_stroke"],
        channels["manifold_pressure"],
        displacement,
        cylinders=readings.job.cylinders,
        limits=readings.limits(RecordedLimits),
        air_limits=readings.limits(AirLimits),
        intake=channels.get("intake_temp"),
        position=channels.get("egr_position") or channels.get("egr_command"),
    )
    if over.air_mg is None:
        return Analysed(
            "air_sensor", "Air mass against displacement and pressure", "air_mass_check", over.judgement
        )
    assert over.manifold_kpa is not None and over.intake_c is not None
    figures = {
        "air_mg_stroke": round(over.air_mg, 1),
        "manifold_kpa": round(over.manifold_kpa, 1),
        "intake_c": round(over.intake_c, 1),
    }
    return Analysed(
        "air_sensor",
        "Air mass against displacement and pressure",
        "air_mass_check",
        judgement=over.judgement,
        writes=(("outcome", {"test": "air_mass_check", "figures": figures, "note": over.judgement.because}),),
        found=(
            ("Air, EGR shut", f"{plain(round(over.air_mg))} mg"),
            ("Manifold", f"{plain(round(over.manifold_kpa))} kPa"),
            ("Intake", f"{plain(round(over.intake_c))} °C"),
        ),
        stretches=(
            tuple((s, e, over.judgement.cls.replace("_", " ")) for s, e in over.stretches)
            if over.judgement.verdict == "failed"
            else ()
        ),
    )


def bypass(readings: Readings, channels: Channels) -> Analysed | None:
    if "bypass_position" not in channels or "engine_speed" not in channels:
        return None
    judged = judge_bypass(
        channels["bypass_position"], channels["engine_speed"], readings.limits(RecordedLimits)
    )
    writes = (
        ()
        if judged.cls == "unclear"
        else (("outcome", {"test": "bypass_watch", "outcome": judged.cls, "note": judged.because}),)
    )
    idle, driving = bypass_at(channels["engine_speed"], readings.limits(RecordedLimits))
    return Analysed(
        "bypass",
        "Bypass flap against engine speed",
        "bypass_watch",
        judged,
        writes,
        stretches=(*((s, e, "idle") for s, e in idle), *((s, e, "driving") for s, e in driving)),
    )


def swirl(readings: Readings, c: Channels) -> Analysed | None:
    """One run of the rev test; which of the two it was, the technician says."""
    run = _run_up(readings, c)
    if run is None:
        return None
    because = (
        f"{plain(round(run.seconds, 2))} ± {plain(round(run.u_s, 2))} s from 1 500 to 3 000 rpm"
        + (
            f", hanging {plain(round(run.plateau_s, 1))} s near {plain(round(run.plateau_rpm))} rpm"
            if run.plateau_s > 0.3
            else ""
        )
        + ". The second run, with the flaps as they are or released, makes the comparison."
    )
    return Analysed(
        "swirl",
        "Rev test",
        "swirl_compare",
        Judgement("unclear", "timed", run.seconds, unit="s", uncertainty=run.u_s, because=because),
        (("reading", {"test": "swirl_compare", "value": round(run.seconds, 2), "unit": "s"}),),
        stretches=((run.start_s, run.start_s + run.seconds, "1 500 to 3 000"),),
        points=("as_is", "released"),
    )


def _run_up(readings: Readings, c: Channels) -> RevTest | None:
    if "engine_speed" not in c:
        return None
    return rev_test(c["engine_speed"], readings.limits(RecordedLimits), c.get("vehicle_speed"))


def key_on(readings: Readings, channels: Channels) -> Analysed | None:
    """The pressures while the engine stands still with the key on."""
    named = {name: channels[channel] for name, channel in KEY_ON.items() if channel in channels}
    if "engine_speed" not in channels or len(named) < 2:
        return None
    stands = [
        run
        for run in runs(channels["engine_speed"].values < STANDS_RPM)
        if channels["engine_speed"].times_s[run.stop - 1] - channels["engine_speed"].times_s[run.start]
        >= STANDS_S
    ]
    if not stands:
        return None
    times = channels["engine_speed"].times_s
    start = float(times[stands[0].start])
    end = float(times[stands[0].stop - 1])
    kpa = {
        name: float(np.median(part.values)) for name, s in named.items() if len(part := cut(s, start, end))
    }
    judged = judge_key_on(kpa, readings.limits(AirLimits))
    worst = (
        max(judged.values(), key=lambda j: ("sound", "unclear", "marginal", "failed").index(j.verdict))
        if judged
        else None
    )
    if worst is None:
        return None
    return Analysed(
        "key_on",
        "Pressures with the engine standing",
        "key_on_pressures",
        judgement=worst,
        writes=tuple(
            (
                "reading",
                {
                    "test": "key_on_pressures",
                    "where": {"channel": name},
                    "value": round(value, 1),
                    "unit": "kPa",
                },
            )
            for name, value in kpa.items()
        ),
        found=tuple((sentence(name), f"{plain(round(v, 1))} kPa") for name, v in kpa.items()),
        stretches=((start, end, "engine stands"),),
    )


def filter_pressures(readings: Readings, channels: Channels) -> Analysed | None:
    """The pressures before and after the filter, which should move alike."""
    if "exhaust_pressure_1" not in channels or "exhaust_pressure_2" not in channels:
        return None
    judged = judge_alike(
        channels["exhaust_pressure_1"],
        channels["exhaust_pressure_2"],
        readings.limits(RecordedLimits),
        ("the pressure before the filter", "the pressure after it"),
    )
    outcome = {"creeps": "one_creeps", "alike": "alike"}.get(judged.cls)
    writes: tuple[Written, ...] = ()
    if outcome:
        writes = (("outcome", {"test": "dp_channels", "outcome": outcome, "note": judged.because}),)
    title = "Pressures before and after the filter"
    return Analysed("filter_pressures", title, "dp_channels", judged, writes)


ANALYSES: tuple[Callable[[Readings, Channels], Analysed | None], ...] = (
    boost_side,
    egr_air,
    air_sensor,
    bypass,
    swirl,
    key_on,
    filter_pressures,
    nox_pair,
    filter_drop,
)


def analysed(readings: Readings, channels: Channels) -> list[Analysed]:
    """Everything the channels of a recording can say of the air path of this engine."""
    answers = (look(readings, channels) for look in ANALYSES)
    return [
        answer
        for answer in answers
        if answer is not None
        and (
            not answer.test or not readings.job.engine.rules_out(readings.knowledge.tests[answer.test].needs)
        )
    ]


def swirl_of_two(
    readings: Readings, one: Channels, other: Channels
) -> tuple[RevTest, RevTest, Judgement] | None:
    """Two rev tests side by side, the slower taken as it is; None when one of the recordings holds none."""
    runs = [_run_up(readings, c) for c in (one, other)]
    if runs[0] is None or runs[1] is None:
        return None
    slow, quick = sorted((runs[0], runs[1]), key=lambda r: -r.seconds)
    return slow, quick, judge_swirl(slow.seconds, quick.seconds, readings.limits(AirLimits))
