"""Demo jobs in the second half of the work: deciding, fitting with something on the bench, soaking, on
trial."""

from datetime import datetime, timedelta
from typing import Any

from . import world
from .exhaust import countdown_with_crystals, filter_from_16_to_6, sensor_that_comes_back
from .injectors import connector_that_came_back, hot_piezo, injector_that_was_not_it
from .vacuum import hose_at_the_filter, turbo_up_the_mountain
from .world import Tape


def two_faults(now: datetime) -> dict[str, Any]:
    """Dog team carrier: a broken wire and a sticking valve at once, all on the table."""
    tape = Tape(now - timedelta(hours=4), "Ylva")
    world.arrive(
        tape,
        "Engine lamp, black smoke uphill, dull since the autumn",
        ["limp_mode", "black_smoke", "rough_idle"],
        ["short_trips"],
        -3,
        142800,
    )
    for code in ("P0403", "P0401"):
        tape.add("code", code=code, status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.add(
        "deadline",
        until=world.iso(now + timedelta(days=2)),
        standstill_per_day=120_000,
        why="Dogs are flown in on Friday",
    )
    tape.at(40)
    tape.reading("battery_rest", 12.62, "V", point="battery_1")
    tape.add(
        "outcome",
        test="wiggle",
        where={"node": "egr_valve"},
        figures={"wiggle_s": 60, "dropouts": 7, "rest_s": 60, "rest_dropouts": 0},
    )
    tape.reading("supply_pins", 0.4, "V", {"loaded": True, "battery_v": 12.5}, node="egr_valve", pin="supply")
    tape.reading("egr_position", 14, "percent", point="engine_off")
    tape.add("outcome", test="egr_actuate", outcome="improves")
    tape.add("outcome", test="egr_look", outcome="stuck", note="shaft gummed, stands a finger open")
    tape.add("outcome", test="intake_look", outcome="sound")
    tape.add("outcome", test="air_filter_look", outcome="clean")
    return world.job_file("demo-carrier-egr", "Dog team carrier, EGR wire and valve", world.CARRIER, tape)


def actuator_in_pieces(now: datetime) -> dict[str, Any]:
    """Ski school bus: turbo actuator half off, its fasteners on the bench in order."""
    tape = Tape(now - timedelta(hours=6), "Torvald")
    world.arrive(
        tape,
        "Reduced power on every climb, key off and on helps for a while",
        ["limp_mode", "low_power"],
        [],
        -6,
        211300,
    )
    tape.add("code", code="P2263", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.add(
        "deadline",
        until=world.iso(now + timedelta(hours=26)),
        standstill_per_day=110_000,
        why="Ski school starts on Saturday",
    )
    tape.at(45)
    for channel, kpa in (("barometer", 95.1), ("manifold", 95.0), ("exhaust", 95.3), ("differential", 0.1)):
        tape.reading("key_on_pressures", kpa, "kPa", channel=channel)
    tape.add("outcome", test="actuator_sweep", where={"node": "turbo_actuator"}, outcome="dead_spot")
    tape.add("outcome", test="actuator_watch", where={"node": "turbo_actuator"}, outcome="part_stroke")
    tape.add("outcome", test="linkage_free", outcome="free")
    tape.add("outcome", test="intake_look", outcome="sound")
    tape.at(130)
    tape.add(
        "option",
        option="turbo_actuator_new",
        title="New actuator, today",
        parts=495_000,
        labour_h=2.0,
        access_h=0.1,
        price=840_000,
        expected=905_000,
        chosen=True,
        warranty_months=24,
        reason="Needed tomorrow",
    )
    tape.add(
        "consent", option="turbo_actuator_new", answer="yes", ceiling=900_000, who="Ski school", how="phone"
    )
    tape.at(170)

    def step(name: str, state: str = "done", **more: Any) -> None:
        tape.add("fit_step", plan="turbo_actuator", step=name, state=state, **more)

    step("cool_down")
    step("ground_off", ticks=["battery_ground_off"])
    step("covers_off", "part", hardware=[{"what": "bolt M6", "where": "heat shield, top", "mark": "16 mm"}])
    step(
        "covers_off",
        "part",
        hardware=[{"what": "bolt M6", "where": "heat shield, behind", "mark": "the long one, 25 mm"}],
    )
    step("covers_off")
    step("clocking")
    step(
        "rod_off",
        "part",
        hardware=[{"what": "lever lock nut", "where": "vane lever", "mark": "new each time"}],
    )
    step("rod_off", ticks=["foreign_objects"])
    step("free_by_hand")
    step("connector_off")
    step("actuator_off", "part", hardware=[{"what": "actuator bolt", "where": "front", "mark": "short"}])
    step(
        "actuator_off", "part", hardware=[{"what": "actuator bolt", "where": "rear", "mark": "the long one"}]
    )
    return world.job_file("demo-bus-turbo", "Ski school bus, turbo actuator", world.SCHOOL_BUS, tape)


def cooler_soaking(now: datetime) -> dict[str, Any]:
    """Summit shuttle: EGR cooler off and soaking for a day."""
    tape = Tape(now - timedelta(hours=30), "Sunniva")
    world.arrive(
        tape,
        "Engine lamp, drinks more, dull when warm",
        ["emissions_message", "hesitation_midrange"],
        ["short_trips"],
        -4,
        176500,
    )
    tape.add("code", code="P0401", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.at(30)
    tape.reading("egr_position", 1.2, "percent", point="engine_off")
    tape.add("outcome", test="actuator_sweep", where={"node": "egr_valve"}, outcome="follows")
    tape.reading("egr_air_change", 450, "mg", point="shut")
    tape.reading("egr_air_change", 438, "mg", point="open")
    tape.add("outcome", test="egr_look", outcome="clean")
    tape.at(200)
    tape.add("outcome", test="egr_cooler_look", outcome="blocked", note="every second fin closed")
    tape.add(
        "option",
        option="egr_cooler_cleaned",
        title="Cooler off, soaked for a day",
        parts=47_500,
        labour_h=4.4,
        access_h=1.25,
        price=730_000,
        expected=1_020_000,
        chosen=True,
        warranty_months=3,
        reason="A new one is four days away",
    )
    tape.add(
        "consent", option="egr_cooler_cleaned", answer="yes", ceiling=800_000, who="Hut warden", how="phone"
    )
    tape.at(260)

    def step(name: str, state: str = "done", **more: Any) -> None:
        tape.add("fit_step", plan="egr_cooler", step=name, state=state, **more)

    step("cool_down")
    step("ground_off", ticks=["battery_ground_off"])
    step("coolant_drained", reason="4.6 l caught")
    step("covers_off", "part", hardware=[{"what": "screw", "where": "inlet cover, four alike"}])
    step("covers_off")
    step("connector_off")
    step(
        "hoses_off",
        "part",
        hardware=[{"what": "coolant hose", "where": "cooler, front", "mark": "white dot"}],
    )
    step("hoses_off")
    step(
        "cooler_off",
        "part",
        hardware=[{"what": "bolt M8", "where": "through flap and cooler", "mark": "the long one, 110 mm"}],
    )
    step("cooler_off")
    step("pressure", reason="tight at 1.5 bar")
    tape.at((now - tape.start).total_seconds() / 60 - 200)
    tape.add(
        "wait",
        wait="soak",
        what="EGR cooler in cleaner",
        step="soak",
        until=world.iso(now + timedelta(hours=20, minutes=40)),
    )
    return world.job_file("demo-shuttle-cooler", "Summit shuttle, EGR cooler", world.SHUTTLE, tape)


def connector_on_trial(now: datetime) -> dict[str, Any]:
    """Mast crew van: a fretted injector connector mended; how far must it stay clean?"""
    tape = Tape(now - timedelta(days=2), "Ylva")
    world.arrive(
        tape, "Drops a cylinder now and then, runs clean in between", ["misfire_intermittent"], [], 2, 88200
    )
    tape.add(
        "symptom",
        symptom="misfire_intermittent",
        comes_and_goes=True,
        returns=[{"distance_km": 60}, {"distance_km": 100}, {"distance_km": 80}],
    )
    tape.add("code", code="P0202", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.at(40)
    tape.add(
        "outcome",
        test="wiggle",
        where={"node": "injector", "cylinder": 2},
        figures={"wiggle_s": 60, "dropouts": 6, "rest_s": 60, "rest_dropouts": 0},
    )
    tape.add(
        "outcome", test="terminal_fit", where={"node": "injector", "cylinder": 2, "pin": "1"}, outcome="loose"
    )
    tape.at(130)
    tape.add(
        "option",
        option="injector_connector_fretted_tail",
        title="New connector with tail on the injector connector",
        price=168_000,
        expected=190_000,
        chosen=True,
    )
    tape.add(
        "consent",
        option="injector_connector_fretted_tail",
        answer="yes",
        ceiling=200_000,
        who="Mast crew",
        how="in_person",
    )
    tape.at(190)
    tape.add(
        "action",
        action="repaired",
        what="injector connector, cylinder 2: new connector with tail",
        repair="injector_connector_fretted",
        option="injector_connector_fretted_tail",
        cylinders=[2],
    )
    tape.add(
        "outcome",
        test="wiggle",
        where={"node": "injector", "cylinder": 2},
        figures={"wiggle_s": 60, "dropouts": 0, "rest_s": 60, "rest_dropouts": 0},
    )
    tape.add(
        "outcome", test="terminal_fit", where={"node": "injector", "cylinder": 2, "pin": "1"}, outcome="holds"
    )
    tape.add("code_clear", module="all", reason="proof of the repair")
    tape.add("tick", caution="road_test")
    tape.add(
        "drive",
        distance_km=24,
        conditions="coast road and the pass",
        codes_read=True,
        codes_back=[],
        complaint_back=False,
    )
    return world.job_file("demo-mast-van", "Mast crew van, misfire now and then", world.MAST_VAN, tape)


def demo_jobs(now: datetime) -> list[dict[str, Any]]:
    """The jobs of the demo, dated back from now."""
    first = (
        world.measuring,
        world.narrowing,
        world.deciding,
        world.on_trial,
        world.finished,
        world.reduced_power,
        world.will_not_stop,
        world.soot_in_the_egr,
    )
    vacuum = (hose_at_the_filter, turbo_up_the_mountain)
    injectors = (injector_that_was_not_it, connector_that_came_back, hot_piezo)
    exhaust = (countdown_with_crystals, sensor_that_comes_back, filter_from_16_to_6)
    parts = (two_faults, actuator_in_pieces, cooler_soaking, connector_on_trial)
    more = (*parts, *vacuum, *injectors, *exhaust)
    return [make(now) for make in (*first, *more)]
