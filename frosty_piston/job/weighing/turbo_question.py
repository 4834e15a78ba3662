"""Part alone or the turbo with it: what sweep, lever and linkage together say before anything is bought."""

from dataclasses import dataclass

from frosty_piston.job.assessment import Assessed

SWEEP = "actuator_sweep"
LEVER = "linkage_free"
WATCH = "actuator_watch"
BAD_SWEEP = ("dead_spot", "stuck", "sticks", "loose", "does_not_close", "slow")
BAD_LEVER = ("rough", "seized")


@dataclass(frozen=True, slots=True)
class TurboAnswer:
    """`says`: `part`, `turbo`, `neither`, `open`; with its reason and the test that would settle it, empty
    when none would."""

    says: str
    title: str
    because: str
    settles: str


def part_or_turbo(assessed: Assessed) -> TurboAnswer:
    """Return whether the actuator alone is at fault or the vane mechanism with it, from what stands on the
    tape."""
    said = {
        verdict.test: verdict.judgement.cls
        for verdict in assessed.now
        if verdict.test in (SWEEP, LEVER, WATCH)
        and verdict.where.get("node", "turbo_actuator") == "turbo_actuator"
    }
    sweep = said.get(SWEEP)
    lever = said.get(LEVER)
    watch = said.get(WATCH)
    moves_badly = sweep in BAD_SWEEP or watch in ("part_stroke", "erratic", "still")
    if lever in BAD_LEVER:
        return TurboAnswer(
            "turbo",
            "Clean the vanes, or the turbo",
            f"Unhooked, the lever is {lever}: the mechanism itself catches. A new actuator would die the same"
            " death.",
            "",
        )
    if lever == "free" and moves_badly:
        does = f"shows {sweep.replace('_', ' ')}" if sweep in BAD_SWEEP else "does not move it fully"
        return TurboAnswer(
            "part",
            "The actuator alone",
            f"The lever moves freely by hand and the actuator {does}.",
            "",
        )
    if lever == "free" and sweep == "follows":
        return TurboAnswer(
            "neither",
            "Neither yet",
            "The lever is free and the actuator follows: look at boost leaks, exhaust and intake before"
            " either is bought. A fault that comes and goes wants a longer recording, warm.",
            "boost_trace",
        )
    if moves_badly:
        return TurboAnswer(
            "open",
            "Unhook the lever before you buy",
            "The sweep is bad, and it would be just the same with stiff vanes: by hand it shows which.",
            LEVER,
        )
    return TurboAnswer(
        "open",
        "Not to be told yet",
        "It takes the sweep and the lever by hand." if lever is None else "It takes the sweep.",
        SWEEP if sweep is None else LEVER,
    )
