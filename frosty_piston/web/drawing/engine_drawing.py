"""The drawing of an engine from its card: where each part stands, the pipes between, cylinder by cylinder."""

from dataclasses import dataclass
from functools import lru_cache

from frosty_piston.job.engine import EngineCard

from .name_places import placed
from .part_symbols import half, whole
from .sheet import THUMB, PartDrawing, Pipe, box_path

WIDTH = 1120
HEIGHT = 630
BLOCK_LEFT = 400
BLOCK_WIDTH = 350
ROW_MID = 300
BORE_SHARE = 0.40
MOST_BORE = 31.0
BANK_OFF = {"vee": 62, "flat": 80}
BANK_HALF = 34
PUMP_INJECTION = ("inline_pump", "rotary_pump")


@dataclass(frozen=True)
class Bore:
    """One cylinder: its middle and bore radius; in its halves the injector above and the plug below, turned
    for a lower row."""

    number: int
    x: float
    y: float
    r: float
    turned: bool

    def path(self, part: str, plugs: bool) -> str:
        """The half of the bore that a part takes; the whole of it where there are no plugs."""
        return half(self.r, part == "injectors") if plugs else whole(self.r)

    def reach(self, part: str) -> str:
        """What a thumb may press of a half: outward of the middle of the bore."""
        side = -1 if part == "injectors" else 1
        return box_path(0, side * THUMB / 2, max(2 * self.r, THUMB), THUMB)

    def spot(self, part: str) -> tuple[float, float, float]:
        """Where the mark of a half sits, and its size."""
        size = 18.0 if self.r > 20 else 13.0
        return self.r - size + 2, (-self.r - 3 if part == "injectors" else self.r - size + 3), size

    @property
    def number_at(self) -> tuple[float, float]:
        """Where its number stands, beside the block, on the page's own axes."""
        return self.x - self.r - 3, self.y + (self.r if self.turned else 14 - self.r)


@dataclass(frozen=True)
class Drawing:
    shapes: tuple[PartDrawing, ...]
    pipes: tuple[Pipe, ...]
    bores: tuple[Bore, ...]
    plugs: bool
    words: str


def bores(engine: EngineCard) -> list[Bore]:
    """The cylinders of an engine: in one row, or in two banks that stand off by half a pitch, odd ones
    above."""
    count = engine.cylinders or 4
    two = engine.arrangement in ("vee", "flat") and count > 1
    per_row = (count + 1) // 2 if two else count
    pitch = BLOCK_WIDTH / (per_row + (0.5 if two else 0.0))
    r = round(min(pitch * BORE_SHARE, MOST_BORE), 1)
    row_of_bores = []
    for n in range(count):
        row, place = (n % 2, n // 2) if two else (0, n)
        x = BLOCK_LEFT + pitch * (place + 0.5 + 0.5 * row)
        y = ROW_MID + ((-1 if row == 0 else 1) * BANK_OFF[engine.arrangement or "vee"] if two else 0)
        row_of_bores.append(Bore(n + 1, round(x, 1), y, r, row == 1))
    return row_of_bores


def draw(engine: EngineCard, circuit: frozenset[str] | None = None) -> Drawing:
    """Draw what the card says is fitted; what it does not say is drawn too, and marked by the page as not on
    the card. `circuit`: the kinds of parts on the list of the vacuum circuit, where one is written down."""
    return _drawn(engine.model_dump_json(), circuit)


@lru_cache(maxsize=64)
def _drawn(card: str, circuit: frozenset[str] | None) -> Drawing:
    engine = EngineCard.model_validate_json(card)
    cylinders = bores(engine)
    two = engine.arrangement in ("vee", "flat") and len(cylinders) > 1
    pipes: list[Pipe] = []
    off = BANK_OFF[engine.arrangement or "vee"] if two else 0
    top, bottom = (ROW_MID - off - BANK_HALF, ROW_MID + off + BANK_HALF) if two else (248, 368)
    left = BLOCK_LEFT - 8
    width = BLOCK_WIDTH + 16
    block = (
        [(left, top, width, 2 * BANK_HALF), (left, bottom - 2 * BANK_HALF, width, 2 * BANK_HALF)]
        if two
        else [(left, top, width, bottom - top)]
    )
    shapes = [
        PartDrawing(
            "base_engine",
            "block",
            *box,
            "Base engine, oil" if n == len(block) - 1 else "",
            "under" if two else "below",
            0 if two else -80,
            0 if two else -26,
        )
        for n, box in enumerate(block)
    ]
    log_y = 293 if two else 186
    exhaust_logs = [top - 42, bottom + 26] if two else [402]
    _air(engine, shapes, pipes, log_y)
    _exhaust(engine, shapes, pipes, exhaust_logs)
    _egr(engine, shapes, pipes, log_y, exhaust_logs)
    _fuel(engine, shapes, pipes, cylinders, top, bottom, two)
    _start(engine, shapes, pipes, cylinders, two)
    _vacuum(engine, shapes, pipes, circuit)
    for b in cylinders:
        inlet, outlet = (
            (log_y + 14 if b.turned else log_y, exhaust_logs[1] if b.turned else exhaust_logs[0] + 14)
            if two
            else (log_y + 14, exhaust_logs[0])
        )
        head = b.y - b.r
        foot = b.y + b.r
        near, far = (head, foot) if b.turned or not two else (foot, head)
        pipes.append(Pipe("runner", f"M{b.x - 7} {inlet}V{near}"))
        pipes.append(Pipe("runner hot", f"M{b.x + 7} {far}V{outlet}"))
    if engine.swirl_flaps not in (None, "none"):
        for b in cylinders:
            y = (log_y + 14 + b.y - b.r) / 2 if b.turned or not two else (log_y + b.y + b.r) / 2
            shapes.append(PartDrawing("swirl_flaps", "flap", b.x - 15, y - 4, 16, 8))
    shapes = placed(shapes, pipes, WIDTH, HEIGHT)
    return Drawing(tuple(shapes), tuple(pipes), tuple(cylinders), engine.glow != "none", in_words(engine))


def _air(engine: EngineCard, shapes: list[PartDrawing], pipes: list[Pipe], log_y: float) -> None:
    turbo = engine.turbo != "none"
    shapes.append(PartDrawing("air_filter", "filter", 20, 40, 100, 54, "Air filter"))
    shapes.append(PartDrawing("air_mass_sensor", "sensor", 152, 50, 34, 34, "Air mass", "above"))
    pipes.append(Pipe("air", "M120 67H222"))
    if turbo:
        pipes.append(Pipe("air", "M186 67H222V236"))
        shapes.append(PartDrawing("turbo", "wheel", 222, 214, 64, 64, "Turbo", "left", -4))
        shapes.append(PartDrawing("turbo", "wheel hot", 222, 304, 64, 64))
        pipes.append(Pipe("shaft", "M254 278V304"))
        shapes.append(PartDrawing("charge_pipes", "cooler", 360, 40, 130, 54, "Charge pipes", "above"))
        pipes.append(Pipe("charge", "M286 246H322V67H360", "charge_pipes"))
        pipes.append(Pipe("charge", "M490 67H556", "charge_pipes"))
        actuator = "can" if engine.turbo in ("vgt_vacuum", "wastegate") else "motor"
        shapes.append(PartDrawing("turbo_actuator", actuator, 146, 276, 40, 40, "Actuator"))
        pipes.append(Pipe("rod", "M186 296H224"))
        if engine.turbo in ("vgt_vacuum", "wastegate"):
            shapes.append(PartDrawing("boost_solenoid", "solenoid", 326, 222, 36, 26, "Solenoid"))
    else:
        pipes.append(Pipe("air", "M120 67H590"))
        shapes.append(PartDrawing("charge_pipes", "joint", 330, 55, 24, 24, "Intake hoses"))
    if engine.inlet_flap != "none":
        shapes.append(PartDrawing("inlet_flap", "throttle", 554, 48, 38, 38, "Inlet flap", "above"))
    pipes.append(
        Pipe(
            "charge",
            f"M{590 if engine.inlet_flap != 'none' else 556} 67H786V{log_y + 7}H750",
            "charge_pipes" if turbo else "",
        )
    )
    shapes.append(
        PartDrawing(
            "intake_manifold",
            "log",
            BLOCK_LEFT,
            log_y,
            BLOCK_WIDTH,
            14,
            "Intake manifold",
            "above",
            -66 if log_y < 250 else 40,
        )
    )
    pipes.append(Pipe("charge", f"M{BLOCK_LEFT} {log_y + 7}H{BLOCK_LEFT + BLOCK_WIDTH}"))
    if log_y < 250:
        shapes.append(
            PartDrawing(
                "manifold_pressure_sensor",
                "sensor",
                BLOCK_LEFT - 42,
                log_y - 7,
                28,
                28,
                "Manifold pressure",
                "above",
                -20,
            )
        )
    else:
        shapes.append(
            PartDrawing("manifold_pressure_sensor", "sensor", BLOCK_LEFT - 60, log_y - 7, 28, 28, "Pressure")
        )
    pipes.append(Pipe("thin", f"M{BLOCK_LEFT - (14 if log_y < 250 else 32)} {log_y + 7}H{BLOCK_LEFT}"))
    if engine.intake_heater:
        shapes.append(PartDrawing("intake_heater", "coil", 640, 52, 40, 30, "Intake heater", "above"))


def _exhaust(engine: EngineCard, shapes: list[PartDrawing], pipes: list[Pipe], logs: list[int]) -> None:
    for y in logs:
        pipes.append(Pipe("exhaust", f"M{BLOCK_LEFT + BLOCK_WIDTH} {y + 7}H{BLOCK_LEFT}"))
    line = 560
    if engine.turbo != "none":
        for y in logs:
            pipes.append(
                Pipe(
                    "exhaust",
                    f"M{BLOCK_LEFT} {y + 7}H{254 if y > 300 else 296}V{368 if y > 300 else 336}"
                    + ("" if y > 300 else "H286"),
                )
            )
        pipes.append(Pipe("exhaust", f"M222 336H196V{line}H250"))
    else:
        for y in logs:
            pipes.append(Pipe("exhaust", f"M{BLOCK_LEFT} {y + 7}H196V{line}H250"))
    x = 250
    if engine.dpf is not False or engine.scr is not False:
        shapes.append(
            PartDrawing("exhaust_temp_sensors", "probe", 246, line - 32, 20, 32, "Temperature", "above")
        )
        x = 264
        pipes.append(Pipe("exhaust", f"M250 {line}H280"))
    if engine.dpf is not False:
        pipes.append(Pipe("exhaust", f"M250 {line}H292"))
        shapes.append(
            PartDrawing("dpf", "brick", 292, line - 32, 132, 64, "Particulate filter", "below", 0, -6)
        )
        shapes.append(
            PartDrawing("dp_sensor", "gauge", 336, line - 94, 44, 36, "Differential pressure", "above")
        )
        pipes.append(Pipe("thin", f"M342 {line - 58}V{line - 45}H302V{line - 32}"))
        pipes.append(Pipe("thin", f"M370 {line - 58}V{line - 45}H414V{line - 32}"))
        x = 424
    if engine.scr is not False:
        shapes.append(PartDrawing("nox_up", "probe", 472, line - 34, 22, 34, "NOx in", "below", 0, 10))
        shapes.append(
            PartDrawing("def_injector", "nozzle", 518, line - 44, 30, 44, "DEF injector", "above", 22)
        )
        shapes.append(PartDrawing("scr", "brick", 584, line - 34, 146, 68, "SCR catalyst", "below", 0, -6))
        shapes.append(PartDrawing("nox_down", "probe", 770, line - 34, 22, 34, "NOx out", "below", 0, 10))
        shapes.append(PartDrawing("nox_wires", "plug", 640, line - 76, 36, 26, "NOx wires", "right"))
        pipes.append(Pipe("wire", f"M483 {line - 34}V{line - 63}H640M676 {line - 63}H781V{line - 34}"))
        shapes.append(PartDrawing("def_pump", "pump", 872, line - 48, 48, 48, "DEF pump"))
        shapes.append(PartDrawing("def_tank", "tank", 966, line - 64, 110, 74, "DEF tank, cap"))
        pipes.append(Pipe("def", f"M966 {line - 24}H920M872 {line - 24}H850V{line - 116}H533V{line - 44}"))
    pipes.append(Pipe("exhaust", f"M{x} {line}H840"))


def _egr(
    engine: EngineCard, shapes: list[PartDrawing], pipes: list[Pipe], log_y: float, logs: list[int]
) -> None:
    fitted = ["high_pressure"] if engine.egr is None else engine.egr
    if "high_pressure" in fitted:
        pipes.append(
            Pipe(
                "egr",
                f"M{BLOCK_LEFT + BLOCK_WIDTH} {logs[-1] + 7}H846V{log_y + 7 if log_y < 250 else 214}H786",
            )
        )
        shapes.append(PartDrawing("egr_cooler", "cooler", 824, 300, 44, 76, "EGR cooler", "left", 0, 34))
        if engine.egr_cooler_bypass not in (None, "none"):
            shapes.append(PartDrawing("bypass_flap", "throttle", 878, 270, 32, 32, "Bypass", "right"))
            pipes.append(Pipe("egr", "M846 388H894V300M894 272V264H846"))
        shapes.append(PartDrawing("egr_valve", "valve", 822, 220, 48, 48, "EGR valve", "above", -12))
    if "low_pressure" in fitted:
        pipes.append(Pipe("egr", "M446 560V616H112V124H222"))
        shapes.append(
            PartDrawing(
                "egr_cooler",
                "cooler",
                90,
                436,
                44,
                62,
                "LP cooler" if "high_pressure" in fitted else "EGR cooler",
                "right",
                0,
                16,
            )
        )
        shapes.append(
            PartDrawing(
                "egr_valve",
                "valve",
                88,
                166,
                48,
                48,
                "LP EGR" if "high_pressure" in fitted else "EGR valve",
            )
        )


def _fuel(
    engine: EngineCard,
    shapes: list[PartDrawing],
    pipes: list[Pipe],
    cylinders: list[Bore],
    top: float,
    bottom: float,
    two: bool,
) -> None:
    shapes.append(PartDrawing("fuel_filter", "filter", 986, 36, 84, 52, "Fuel filter"))
    shapes.append(PartDrawing("lift_pump", "pump", 1000, 122, 44, 44, "Lift pump"))
    pipes.append(Pipe("fuel", "M1022 88V122"))
    if engine.injection in PUMP_INJECTION or engine.injection in ("unit_injector", "hydraulic_unit"):
        if engine.injection in PUMP_INJECTION:
            name = "Injection pump"
        elif engine.injection == "hydraulic_unit":
            name = "Oil to the injectors"
        else:
            name = ""
        if engine.injection in PUMP_INJECTION:
            shapes.append(PartDrawing("injectors", "pump", 866, 106, 50, 50, name))
            pipes.append(Pipe("fuel", f"M1000 144H916M866 131H764V{top - 14}H{cylinders[0].x}"))
        else:
            pipes.append(Pipe("fuel", f"M1000 144H764V{top - 14}"))
    else:
        shapes.append(PartDrawing("high_pressure_pump", "pump", 866, 106, 50, 50, "High-pressure pump"))
        shapes.append(
            PartDrawing("rail", "rail", BLOCK_LEFT, top - 18, BLOCK_WIDTH + 14, 8, "Rail", "left", 0)
        )
        pipes.append(Pipe("fuel", f"M1000 144H916M866 131H764V{top - 14}"))
        if two:
            shapes.append(PartDrawing("rail", "rail", BLOCK_LEFT, bottom + 10, BLOCK_WIDTH + 14, 8))
            pipes.append(Pipe("fuel", f"M764 {top - 14}H770V{bottom + 14}H764"))
    for b in cylinders:
        line_y = (bottom + 14) if b.turned else top - 14
        pipes.append(Pipe("thin fuel", f"M{b.x} {line_y}V{b.y + b.r * (1 if b.turned else -1)}"))
    shapes.append(PartDrawing("control_unit", "unit", 934, 396, 82, 44, "Control units"))
    shapes.append(PartDrawing("driver", "seat", 1052, 394, 40, 46, "Driver"))


def _start(
    engine: EngineCard, shapes: list[PartDrawing], pipes: list[Pipe], cylinders: list[Bore], two: bool
) -> None:
    x = 20
    count = engine.batteries or 1
    for n in range(count):
        shapes.append(
            PartDrawing(
                "battery", "battery", x, 286 + n * 58, 70, 44, "Battery" if n == count - 1 else "", "under"
            )
        )
    shapes.append(PartDrawing("battery_cables", "joint", 146, 384, 24, 24, "Cables"))
    shapes.append(PartDrawing("starter", "starter", 690, 450, 58, 30, "Starter", "right"))
    pipes.append(Pipe("cable", "M86 308H122V396H146M170 396H182V465H690"))
    shapes.append(PartDrawing("coolant_sensor", "probe", 770, 254, 18, 28, "Coolant", "below"))
    if engine.glow != "none":
        shapes.append(
            PartDrawing(
                "glow_relay",
                "relay",
                20,
                476,
                66,
                42,
                "Glow module" if engine.glow_control == "electronic_module" else "Glow relay",
                "under",
            )
        )
        bus = max(b.y for b in cylinders) + BANK_HALF + 60 if two else max(b.y + b.r for b in cylinders) + 8
        shapes.append(
            PartDrawing("glow_harness", "plug", 352, bus - 10, 22, 20, "Glow harness", "below", -24)
        )
        pipes.append(
            Pipe(
                "wire",
                f"M86 497H174V{bus}H352M374 {bus}H{cylinders[-1].x if not two else BLOCK_LEFT + 20}"
                + (f"V{max(b.y + b.r for b in cylinders)}" if two else ""),
            )
        )


def _vacuum(
    engine: EngineCard, shapes: list[PartDrawing], pipes: list[Pipe], circuit: frozenset[str] | None
) -> None:
    """Pump, trunk and what hangs on it. The stop is tapped off the line to the booster; what the list of the
    circuit does not have is not drawn."""
    if engine.vacuum_pump is False:
        return

    def there(*kinds: str) -> bool:
        return circuit is None or not circuit.isdisjoint(kinds)

    stop = engine.stop == "vacuum" if circuit is None else there("stop_actuator")
    shapes.append(PartDrawing("vacuum_pump", "pump", 934, 212, 46, 46, "Vacuum pump", "above", 10))
    pipes.append(Pipe("vacuum", "M980 235H1030V411H1056", "vacuum_hoses"))
    shapes.append(PartDrawing("vacuum_hoses", "joint", 1018, 280, 24, 24, "Hoses", "left"))
    if there("reservoir", "check_valve"):
        shapes.append(PartDrawing("check_valve", "check", 996, 226, 24, 18))
        pipes.append(Pipe("vacuum", "M1030 235H1042", "vacuum_hoses"))
        shapes.append(PartDrawing("reservoir", "tank", 1042, 212, 56, 46, "Reservoir"))
    if there("solenoid"):
        pipes.append(Pipe("vacuum", "M1030 335H1006", "vacuum_hoses"))
        shapes.append(PartDrawing("vacuum_solenoid", "solenoid", 962, 322, 44, 26, "Solenoids"))
    if there("mount"):
        pipes.append(Pipe("vacuum", "M1030 333H1056", "vacuum_hoses"))
        shapes.append(PartDrawing("engine_mount", "mount", 1056, 318, 42, 30, "Mount"))
    if there("booster"):
        shapes.append(PartDrawing("vacuum_hoses", "can", 1056, 392, 46, 38, "Booster"))
    if stop:
        shapes.append(PartDrawing("stop_actuator", "can", 700, 490, 36, 30, "Stop actuator", "left"))
        shapes.append(PartDrawing("stop_line", "joint", 780, 492, 24, 24, "Stop line"))
        shapes.append(PartDrawing("key_switch", "solenoid", 920, 490, 40, 26, "Key switch"))
        pipes.append(Pipe("vacuum", "M736 504H780M804 504H920M960 504H1043V411", "stop_line"))


def in_words(engine: EngineCard) -> str:
    """The engine in one line."""
    head = (
        f"{engine.cylinders or 4} cylinders,"
        f" {'in line' if engine.arrangement in (None, 'inline') else engine.arrangement}"
    )
    turbo = {
        "none": "no turbo",
        "wastegate": "turbo with wastegate",
        "vgt_vacuum": "variable turbo, vacuum",
        "vgt_electric": "variable turbo, electric",
    }.get(engine.turbo or "", "turbo not on the card")
    egr = " and ".join(f"{e.replace('_pressure', '')}-pressure EGR" for e in engine.egr or []) or (
        "no EGR" if engine.egr == [] else "EGR not on the card"
    )
    rest = [
        word
        for word, there in (
            ("particulate filter", engine.dpf),
            ("SCR", engine.scr),
            ("vacuum stop", engine.stop == "vacuum"),
        )
        if there
    ]
    return ", ".join([head, turbo, egr, *rest])
