"""The demo world: the workshop of a mountain rescue and ski-slope service on an invented island group."""

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

from frosty_piston.rig.meter import SimulatedMeter

PATTERN: dict[str, Any] = {
    "engine": "Norra D4-22",
    "fault": "turbo_actuator_motor",
    "times": 3.0,
    "by": "Sunniva",
    "why": "four of the last six vans that went into reduced power",
}
OWN_CODE = {
    "code": "P1662",
    "text": "Winch lock: engine speed held",
    "system": "wiring",
    "kind": "plausibility",
    "by": "Ylva",
}
PEOPLE = ("Sunniva", "Torvald", "Ylva")
CARDS: list[dict[str, Any]] = [
    {
        "name": "Norra D4-22",
        "cylinders": 4,
        "arrangement": "inline",
        "combustion": "direct",
        "displacement_l": 2.2,
        "compression_ratio": 16.5,
        "injection": "rail_solenoid",
        "glow": "rod_12v",
        "glow_control": "relay_module",
        "glow_nominal_ohm": 0.8,
        "turbo": "vgt_electric",
        "egr": ["high_pressure", "low_pressure"],
        "egr_drive": "motor",
        "egr_cooler_bypass": "vacuum",
        "inlet_flap": "motor",
        "swirl_flaps": "vacuum",
        "dpf": True,
        "scr": True,
        "vacuum_pump": True,
        "stop": "electric",
        "intake_heater": False,
        "batteries": 1,
        "system_voltage": 12,
        "limits": {"glow_plug_thread": "M10", "glow_plug_fitting_nm": 15, "glow_plug_hours": 0.35},
    },
    {
        "name": "Skarn V8-60",
        "cylinders": 8,
        "arrangement": "vee",
        "combustion": "direct",
        "displacement_l": 6.0,
        "compression_ratio": 17.5,
        "injection": "hydraulic_unit",
        "glow": "rod_12v",
        "glow_control": "timer_relay",
        "turbo": "wastegate",
        "egr": [],
        "vacuum_pump": True,
        "stop": "electric",
        "dpf": False,
        "scr": False,
        "swirl_flaps": "none",
        "inlet_flap": "none",
        "egr_cooler_bypass": "none",
        "intake_heater": False,
        "batteries": 2,
        "system_voltage": 12,
        "limits": {"glow_plug_access": "valve_cover_off"},
    },
    {
        "name": "Gamla P6-30",
        "cylinders": 6,
        "arrangement": "inline",
        "combustion": "prechamber",
        "displacement_l": 3.0,
        "compression_ratio": 21.5,
        "injection": "inline_pump",
        "glow": "rod_12v",
        "glow_control": "relay_module",
        "glow_nominal_ohm": 0.7,
        "turbo": "none",
        "egr": [],
        "vacuum_pump": True,
        "stop": "vacuum",
        "dpf": False,
        "scr": False,
        "swirl_flaps": "none",
        "inlet_flap": "none",
        "egr_cooler_bypass": "none",
        "intake_heater": False,
        "batteries": 1,
        "system_voltage": 12,
        "limits": {"glow_plug_thread": "M12"},
    },
    {
        "name": "Tind T3-15",
        "cylinders": 3,
        "arrangement": "inline",
        "combustion": "direct",
        "displacement_l": 1.5,
        "injection": "rail_piezo",
        "glow": "fast_5v",
        "glow_control": "electronic_module",
        "turbo": "vgt_vacuum",
        "egr": ["high_pressure"],
        "egr_drive": "motor",
        "dpf": True,
        "scr": False,
        "vacuum_pump": True,
        "stop": "electric",
        "batteries": 1,
        "system_voltage": 12,
        "limits": {},
    },
]
VEHICLES: list[tuple[dict[str, Any], str]] = [
    (
        {"name": "Rescue van 3", "odometer_km": 184200, "plate": "IS 3", "owner": "Island rescue"},
        "Norra D4-22",
    ),
    (
        {"name": "Rescue van 5", "odometer_km": 96300, "plate": "IS 5", "owner": "Island rescue"},
        "Norra D4-22",
    ),
    (
        {"name": "Slope groomer 2", "odometer_km": 61800, "plate": "SG 2", "owner": "Ski-slope service"},
        "Skarn V8-60",
    ),
    (
        {
            "name": "Snow plough Old Bear",
            "odometer_km": 412500,
            "plate": "SP 1",
            "owner": "Ski-slope service",
        },
        "Gamla P6-30",
    ),
    (
        {"name": "Hut supply bus", "odometer_km": 228900, "plate": "HB 7", "owner": "Hut wardens"},
        "Norra D4-22",
    ),
    (
        {"name": "Lift service wagon", "odometer_km": 301700, "plate": "LS 4", "owner": "Ski-slope service"},
        "Gamla P6-30",
    ),
    (
        {"name": "Dog team carrier", "odometer_km": 142800, "plate": "DT 1", "owner": "Avalanche patrol"},
        "Norra D4-22",
    ),
    (
        {"name": "Ski school bus", "odometer_km": 211300, "plate": "SB 2", "owner": "Ski school"},
        "Norra D4-22",
    ),
    (
        {"name": "Summit shuttle", "odometer_km": 176500, "plate": "SU 1", "owner": "Hut wardens"},
        "Norra D4-22",
    ),
    ({"name": "Mast crew van", "odometer_km": 88200, "plate": "MC 1", "owner": "Mast crew"}, "Norra D4-22"),
    (
        {"name": "Avalanche patrol car", "odometer_km": 58400, "plate": "AP 2", "owner": "Avalanche patrol"},
        "Tind T3-15",
    ),
    ({"name": "Harbour plough", "odometer_km": 288400, "plate": "HP 1", "owner": "Harbour"}, "Gamla P6-30"),
    ({"name": "Ridge runner", "odometer_km": 73900, "plate": "RR 3", "owner": "Hut wardens"}, "Tind T3-15"),
    ({"name": "Ferry pier van", "odometer_km": 151930, "plate": "FP 1", "owner": "Harbour"}, "Norra D4-22"),
    (
        {"name": "Night patrol car", "odometer_km": 64700, "plate": "NP 1", "owner": "Island rescue"},
        "Tind T3-15",
    ),
    (
        {"name": "Cliff rescue van", "odometer_km": 119800, "plate": "CR 2", "owner": "Island rescue"},
        "Norra D4-22",
    ),
    ({"name": "Mail van", "odometer_km": 97300, "plate": "MV 6", "owner": "Island post"}, "Norra D4-22"),
    (
        {"name": "Grit spreader", "odometer_km": 164900, "plate": "GS 1", "owner": "Ski-slope service"},
        "Norra D4-22",
    ),
]

CARRIER, SCHOOL_BUS, SHUTTLE, MAST_VAN, PATROL, HARBOUR, RIDGE, PIER_VAN, NIGHT_CAR = range(6, 15)
CLIFF_VAN, MAIL_VAN, GRIT_SPREADER = range(15, 18)


@dataclass
class Tape:
    """Writes the entries of a demo job, some minutes apart."""

    start: datetime
    by: str
    entries: list[dict[str, Any]] = field(default_factory=list)
    minutes: float = 0.0

    def at(self, minutes: float) -> "Tape":
        """Go on this many minutes after the start."""
        self.minutes = minutes
        return self

    def add(self, kind: str, /, **data: Any) -> str:
        entry_id = f"d{len(self.entries) + 1}"
        moment = self.start + timedelta(minutes=self.minutes)
        self.entries.append(
            {
                "id": entry_id,
                "at": moment.isoformat(timespec="seconds").replace("+00:00", "Z"),
                "by": self.by,
                "kind": kind,
                "data": data,
            }
        )
        self.minutes += 1
        return entry_id

    def reading(
        self, test: str, value: float | str, unit: str, conditions: dict[str, Any] | None = None, **where: Any
    ) -> str:
        data: dict[str, Any] = {"test": test, "where": where, "value": value, "unit": unit}
        return self.add("reading", **(data | ({"conditions": conditions} if conditions else {})))


def _plugs(tape: Tape, meter: SimulatedMeter, point: str, true_ohm: list[float | None]) -> None:
    for cylinder, ohm in enumerate(true_ohm, 1):
        tape.reading("glow_resistance", meter.ohm(ohm), "ohm", point=point, cylinder=cylinder)


def _meter_entry(tape: Tape, meter: SimulatedMeter) -> None:
    tape.add(
        "instrument",
        instrument="meter",
        lead_zero=meter.lead_ohm,
        unit="ohm",
        accuracy_percent=meter.accuracy_percent,
        accuracy_digits=3,
        resolution=meter.resolution_ohm,
    )


def arrive(
    tape: Tape, text: str, symptoms: list[str], contexts: list[str], ambient: float, odometer: float
) -> None:
    tape.add("complaint", text=text)
    for s in symptoms:
        tape.add("symptom", symptom=s)
    for c in contexts:
        tape.add("context", context=c)
    tape.add("condition", name="ambient", value=ambient, unit="degC")
    tape.add("condition", name="odometer", value=odometer, unit="km")


def job_file(job_id: str, title: str, vehicle: int, tape: Tape) -> dict[str, Any]:
    data, card = VEHICLES[vehicle]
    return {
        "format": "frosty-piston/job",
        "version": 1,
        "job": {
            "id": job_id,
            "title": title,
            "opened_at": tape.start.isoformat(timespec="seconds").replace("+00:00", "Z"),
        },
        "vehicle": data,
        "engine": next(c for c in CARDS if c["name"] == card),
        "entries": tape.entries,
    }


def iso(moment: datetime) -> str:
    return moment.astimezone(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


def measuring(now: datetime) -> dict[str, Any]:
    """Rescue van 3: half measured at the harness connector."""
    meter = SimulatedMeter(seed=3)
    tape = Tape(now - timedelta(hours=3), "Sunniva")
    arrive(
        tape,
        "Cranks for ages in the morning, then shakes and fogs the yard until it is warm",
        ["hard_start_cold", "white_smoke_start", "rough_idle_cold"],
        ["short_trips"],
        -8,
        184200,
    )
    tape.add("before", text="Battery changed by the owner in autumn", cleared_codes=False)
    tape.add("code", code="P0672", status="stored", module="engine")
    tape.add("code", code="P0670", status="pending", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.add(
        "deadline",
        until=iso(now + timedelta(hours=20)),
        standstill_per_day=150_000,
        why="Night watch on the north slope",
    )
    tape.at(40)
    tape.reading("battery_rest", 12.61, "V", point="battery_1")
    tape.reading("crank_speed", 212, "rpm")
    _meter_entry(tape, meter)
    _plugs(tape, meter, "harness_connector", [0.80, None, 0.82, 2.60])
    return job_file("demo-van-3", "Rescue van 3, hard start", 0, tape)


def narrowing(now: datetime) -> dict[str, Any]:
    """Slope groomer 2: just in, starts when plugged in, codes cleared by somebody."""
    tape = Tape(now - timedelta(minutes=50), "Torvald")
    arrive(
        tape,
        "Will not fire below minus ten unless the block heater was on",
        ["no_start_cold", "starts_with_block_heater"],
        ["codes_cleared_before_visit"],
        -12,
        61800,
    )
    tape.add("before", text="The last driver cleared everything before bringing it", cleared_codes=True)
    tape.add("code_scan", modules=["engine"])
    tape.add("lamp", lamp="Wait to start (glow)", state="on")
    return job_file("demo-groomer-2", "Slope groomer 2, no start", 2, tape)


def deciding(now: datetime) -> dict[str, Any]:
    """Avalanche patrol car: the module gives nothing out, prices on the table."""
    meter = SimulatedMeter(seed=11, lead_ohm=0.15)
    tape = Tape(now - timedelta(hours=26), "Ylva")
    arrive(
        tape,
        "Starts badly when cold, wait lamp never on",
        ["hard_start_cold", "glow_lamp_absent"],
        [],
        -4,
        58400,
    )
    tape.add("code", code="P0683", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.add(
        "deadline",
        until=iso(now + timedelta(days=3)),
        standstill_per_day=90_000,
        why="Patrol has a spare until Friday",
    )
    tape.at(60)
    tape.reading("battery_rest", 12.58, "V", point="battery_1")
    tape.reading("crank_speed", 228, "rpm")
    _meter_entry(tape, meter)
    _plugs(tape, meter, "plug", [0.32, 0.34, 0.33])
    for point, volts in (("battery", 12.5), ("feed", 12.44), ("supply", 12.4), ("command", 0.3)):
        tape.reading("glow_relay", meter.volts(volts), "V", point=point)
    tape.reading("glow_relay", meter.volts(0.1), "V", {"loaded": True}, point="output")
    tape.add(
        "warning",
        text="Brake hose left front is cracked to the cord",
        urgency="soon",
        place="left front",
        owner="accepted",
    )
    return job_file("demo-patrol", "Avalanche patrol car, no glow", PATROL, tape)


def _arrived_open_plug(tape: Tape, meter: SimulatedMeter, ohms: list[float | None], cylinder: int) -> None:
    _meter_entry(tape, meter)
    _plugs(tape, meter, "harness_connector", ohms)
    tape.reading("glow_resistance", meter.ohm(ohms[cylinder - 1]), "ohm", point="plug", cylinder=cylinder)


def _fit_plugs(tape: Tape, meter: SimulatedMeter, count: int, torque: float) -> None:
    plan = "glow_plugs"

    def step(name: str, **more: Any) -> None:
        tape.add("fit_step", plan=plan, step=name, state="done", **more)

    step("warm_engine")
    step("ground_off", ticks=["battery_ground_off"])
    step(
        "covers_off",
        hardware=[
            {"what": "cover screw, 4 pieces", "where": "engine cover", "mark": "all alike"},
            {"what": "bracket bolt", "where": "rear left", "mark": "the long one, 45 mm"},
        ],
    )
    step("wires_off", hardware=[{"what": "plug wires", "where": "each plug", "mark": "tagged by cylinder"}])
    step("plugs_out", torque_nm=18, pieces=count, ticks=["foreign_objects"])
    step("seats_clean", ticks=["foreign_objects"])
    step(
        "compare",
        compared={
            "type": ["rod, 12 V", "rod, 12 V"],
            "length_mm": ["27.5", "27.5"],
            "thread": ["as card", "as card"],
            "resistance_ohm": ["OL", str(meter.ohm(0.7))],
        },
    )
    step("plugs_in", torque_nm=torque, pieces=count, ticks=["foreign_objects"])
    step("wires_on", torque_nm=2)
    step("covers_on")
    step("ground_on", torque_nm=6)


def on_trial(now: datetime) -> dict[str, Any]:
    """Snow plough Old Bear: fitted, soaking for the cold start."""
    meter = SimulatedMeter(seed=5)
    tape = Tape(now - timedelta(hours=9), "Torvald")
    arrive(
        tape,
        "Needs three tries every morning, blue-white fog",
        ["hard_start_cold", "white_smoke_start"],
        ["stood_long"],
        -5,
        412500,
    )
    tape.add("code_scan", keeps_none=True)
    tape.add(
        "deadline", until=iso(now + timedelta(hours=44)), standstill_per_day=200_000, why="Snow is forecast"
    )
    tape.at(50)
    tape.reading("battery_rest", 12.52, "V", point="battery_1")
    tape.reading("crank_speed", 188, "rpm")
    ohms: list[float | None] = [0.7, None, 0.72, None, 0.69, 1.9]
    _arrived_open_plug(tape, meter, ohms, 2)
    tape.reading("glow_resistance", meter.ohm(None), "ohm", point="plug", cylinder=4)
    tape.reading("glow_resistance", meter.ohm(1.9), "ohm", point="plug", cylinder=6)
    tape.at(120)
    tape.add(
        "option",
        option="glow_set",
        title="Change the whole set",
        parts=228_000,
        labour_h=1.8,
        access_h=0.4,
        price=546_000,
        expected=590_000,
        chosen=True,
        warranty_months=24,
        reason="Three of six are gone, and it is needed all winter",
    )
    tape.add("consent", option="glow_set", answer="yes", ceiling=600_000, who="Slope manager", how="phone")
    tape.at(180)
    _fit_plugs(tape, meter, 6, 22)
    tape.add(
        "action",
        action="replaced",
        what="glow plugs, cylinder 1, 2, 3, 4, 5, 6",
        repair="glow_plugs",
        cylinders=[1, 2, 3, 4, 5, 6],
    )
    _plugs(tape, meter, "harness_connector", [0.7, 0.71, 0.7, 0.69, 0.7, 0.71])
    tape.add("proof_step", repair="glow_plugs", step="remeasure", result="pass")
    tape.add(
        "proof_step",
        repair="glow_plugs",
        step="clear",
        result="could_not",
        reason="no control unit that keeps codes",
    )
    tape.add("proof_step", repair="glow_plugs", step="key_cycle", result="pass")
    tape.add(
        "proof_step",
        repair="glow_plugs",
        step="codes",
        result="could_not",
        reason="no control unit that keeps codes",
    )
    tape.add("proof_step", repair="glow_plugs", step="idle", result="pass")
    tape.at((now - tape.start).total_seconds() / 60 - 190)
    tape.add(
        "wait",
        wait="cold_soak",
        what="cold soak, nobody starts it",
        until=iso(now + timedelta(hours=6, minutes=40)),
    )
    return job_file("demo-old-bear", "Snow plough Old Bear, hard start", 3, tape)


def finished(now: datetime) -> dict[str, Any]:
    """Hut supply bus: proven and handed over, with its whole tape."""
    meter = SimulatedMeter(seed=7)
    tape = Tape(now - timedelta(days=12, hours=2), "Sunniva")
    arrive(
        tape,
        "Long crank on frosty mornings, smokes white, fine once warm",
        ["hard_start_cold", "white_smoke_start", "rough_idle_cold"],
        ["short_trips"],
        -6,
        228900,
    )
    tape.add("code", code="P0673", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.at(30)
    tape.reading("battery_rest", 12.55, "V", point="battery_1")
    tape.reading("battery_crank", 10.1, "V", point="battery_1")
    tape.reading("crank_speed", 205, "rpm")
    _meter_entry(tape, meter)
    slip = tape.reading("glow_resistance", 0.31, "ohm", point="harness_connector", cylinder=1)
    tape.add("correction", corrects=slip, reason="probe touched the housing")
    _plugs(tape, meter, "harness_connector", [0.81, 0.79, None, 0.8])
    tape.reading("glow_resistance", "OL", "ohm", point="plug", cylinder=3)
    tape.at(90)
    tape.add(
        "option",
        option="glow_dead",
        title="Change the dead plugs only",
        parts=38_000,
        labour_h=0.35,
        access_h=0.4,
        price=136_563,
        expected=210_000,
        chosen=True,
        warranty_months=24,
    )
    tape.add(
        "consent",
        option="glow_dead",
        answer="yes",
        ceiling=180_000,
        who="Hut warden",
        how="in_person",
        declined="the other three plugs",
    )
    tape.at(140)
    _fit_plugs(tape, meter, 1, 15)
    tape.add("action", action="replaced", what="glow plugs, cylinder 3", repair="glow_plugs", cylinders=[3])
    _plugs(tape, meter, "harness_connector", [0.81, 0.79, 0.8, 0.8])
    tape.reading("glow_resistance", meter.ohm(0.8), "ohm", point="plug", cylinder=3)
    for name in ("remeasure", "clear", "key_cycle", "codes", "idle"):
        tape.add("proof_step", repair="glow_plugs", step=name, result="pass")
        if name == "clear":
            tape.add("code_clear", module="all", reason="proof of the repair")
    tape.add(
        "wait",
        wait="cold_soak",
        what="cold soak, nobody starts it",
        until=iso(tape.start + timedelta(hours=15)),
    )
    tape.at(60 * 22)
    tape.add("condition", name="ambient", value=-9, unit="degC")
    tape.add("tick", caution="no_start_spray")
    tape.add(
        "proof_step",
        repair="glow_plugs",
        step="cold_start",
        result="pass",
        reason="fired on the first turn at -9 °C",
    )
    tape.add("handover", to="Hut warden", note="A longer drive once a week")
    return job_file("demo-hut-bus", "Hut supply bus, hard start", 4, tape)


def reduced_power(now: datetime) -> dict[str, Any]:
    """Rescue van 5: reduced power on the pass, codes of several kinds, one of them made by unplugging."""
    tape = Tape(now - timedelta(hours=2, minutes=10), "Ylva")
    arrive(
        tape,
        "Falls into reduced power on the climb, fine again after a restart",
        ["limp_mode", "low_power", "hesitation_midrange"],
        ["heavy_tow"],
        3,
        96300,
    )
    for code, status, module in (
        ("P0299", "stored", "engine"),
        ("P2263", "stored", "engine"),
        ("P0672", "history", "engine"),
        ("B1620", "stored", "airbag"),
    ):
        tape.add("code", code=code, status=status, module=module)
    tape.add("code_scan", modules=["engine"])
    tape.add(
        "deadline",
        until=iso(now + timedelta(hours=30)),
        standstill_per_day=150_000,
        why="Only van with the winch",
    )
    tape.at(35)
    for channel, kpa in (("barometer", 96.2), ("manifold", 96.0), ("exhaust", 96.4), ("differential", 0.1)):
        tape.reading("key_on_pressures", kpa, "kPa", channel=channel)
    tape.add("outcome", test="air_filter_look", outcome="clean")
    tape.add("outcome", test="intake_look", outcome="sound")
    tape.reading("egr_position", 2.0, "percent", point="engine_off")
    tape.at(60)
    tape.add("action", action="unplugged", what="turbo actuator connector")
    tape.add("code", code="P2562", status="stored", module="engine")
    tape.add("action", action="plugged_in", what="turbo actuator connector")
    return job_file("demo-van-5", "Rescue van 5, reduced power", 1, tape)


def soot_in_the_egr(now: datetime) -> dict[str, Any]:
    """Hut supply bus: a choked EGR passage, recorded before and after the cleaning."""
    tape = Tape(now - timedelta(hours=5), "Sunniva")
    arrive(
        tape,
        "Engine lamp, dull below 2,000, short runs between the huts",
        ["emissions_message", "hesitation_midrange"],
        ["short_trips"],
        -2,
        231400,
    )
    tape.add("code", code="P0401", status="stored", module="engine")
    tape.add("code_scan", modules=["engine"])
    tape.at(25)
    tape.reading("egr_position", 1.6, "percent", point="engine_off")
    tape.add("outcome", test="egr_actuate", outcome="crisp")
    tape.add(
        "outcome",
        test="egr_look",
        outcome="blocked",
        note="the port into the manifold is down to a finger's width",
    )
    tape.at(150)
    for minutes, before, after in ((30, 9, 17), (25, 17, 24), (15, 24, 25)):
        back_in = {"repair": "egr_passage"} if after == 25 else {}
        tape.add(
            "action",
            action="cleaned",
            what="EGR valve and port",
            where={"node": "egr_valve"},
            **back_in,
            cleaning={
                "way": "scrape",
                "minutes": minutes,
                "measured": "free width of the port",
                "unit": "mm",
                "before": before,
                "after": after,
            },
        )
        tape.minutes += minutes
    tape.add("outcome", test="egr_look", outcome="clean")
    tape.add("soot_cause", cause="short_trips", found=True)
    tape.add("soot_cause", cause="boost_leak", found=False)
    return job_file("demo-bus-egr", "Hut supply bus, EGR flow", 4, tape)


def will_not_stop(now: datetime) -> dict[str, Any]:
    """Lift service wagon: runs on with the key off since its oil service."""
    tape = Tape(now - timedelta(minutes=35), "Torvald")
    arrive(
        tape,
        "Runs on after the key is off, since the oil change last week",
        ["wont_stop"],
        ["recent_oil_service"],
        1,
        301700,
    )
    tape.add("symptom", symptom="hard_brake_pedal", present=False)
    tape.add("code_scan", keeps_none=True)
    return job_file("demo-wagon", "Lift service wagon, will not stop", 5, tape)
