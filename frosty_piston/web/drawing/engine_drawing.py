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
            "Base engine, oil" if index == len(block) - 1 else "",
            "under" if two else "below",
            0 if two else -80,
            0 if two else -26,
        )
        for index, box in enumerate(block)
    ]
    log_y = 293 if two else 186
    exhaust_logs = [top - 42, bottom + 26] if two else [402]
    _air(engine, shapes, pipes, log_y)
    _exhaust(engine, shapes, pipes, exhaust_logs)
    _egr(engine, shapes, pipes, log_y, exhaust_logs)
    _fuel(engine, shapes, pipes, cylinders=cylinders, top=top, bottom=bottom, two=two)
    _start(engine, shapes, pipes, cylinders, two)
    _vacuum(engine, shapes, pipes, circuit)
    for cylinder in cylinders:
        inlet, outlet = (
            (
                log_y + 14 if cylinder.turned else log_y,
                exhaust_logs[1] if cylinder.turned else exhaust_logs[0] + 14,
            )
            if two
            else (log_y + 14, exhaust_logs[0])
        )
        head = cylinder.y - cylinder.r
        foot = cylinder.y + cylinder.r
        near, far = (head, foot) if cylinder.turned or not two else (foot, head)
        pipes.append(Pipe("runner", f"M{cylinder.x - 7} {inlet}V{near}"))
        pipes.append(Pipe("runner hot", f"M{cylinder.x + 7} {far}V{outlet}"))
    if engine.swirl_flaps not in (None, "none"):
        for cylinder in cylinders:
            y = (
                (log_y + 14 + cylinder.y - cylinder.r) / 2
                if cylinder.turned or not two
                else (log_y + cylinder.y + cylinder.r) / 2
            )
            shapes.append(PartDrawing("swirl_flaps", "flap", cylinder.x - 15, y=y - 4, w=16, h=8))
    shapes = placed(shapes, pipes, WIDTH, HEIGHT)
    return Drawing(tuple(shapes), tuple(pipes), tuple(cylinders), engine.glow != "none", in_words(engine))


def _air(engine: EngineCard, shapes: list[PartDrawing], pipes: list[Pipe], log_y: float) -> None:
    turbo = engine.turbo != "none"
    shapes.append(PartDrawing("air_filter", "filter", 20, y=40, w=100, h=54, label="Air filter"))
    shapes.append(
        PartDrawing("air_mass_sensor", "sensor", 152, y=50, w=34, h=34, label="Air mass", label_at="above")
    )
    pipes.append(Pipe("air", "M120 67H222"))
    if turbo:
        pipes.append(Pipe("air", "M186 67H222V236"))
        shapes.append(
            PartDrawing("turbo", "wheel", 222, y=214, w=64, h=64, label="Turbo", label_at="left", label_dx=-4)
        )
        shapes.append(PartDrawing("turbo", "wheel hot", 222, y=304, w=64, h=64))
        pipes.append(Pipe("shaft", "M254 278V304"))
        shapes.append(
            PartDrawing(
                "charge_pipes", "cooler", 360, y=40, w=130, h=54, label="Charge pipes", label_at="above"
            )
        )
        pipes.append(Pipe("charge", "M286 246H322V67H360", "charge_pipes"))
        pipes.append(Pipe("charge", "M490 67H556", "charge_pipes"))
        actuator = "can" if engine.turbo in ("vgt_vacuum", "wastegate") else "motor"
        shapes.append(PartDrawing("turbo_actuator", actuator, 146, y=276, w=40, h=40, label="Actuator"))
        pipes.append(Pipe("rod", "M186 296H224"))
        if engine.turbo in ("vgt_vacuum", "wastegate"):
            shapes.append(PartDrawing("boost_solenoid", "solenoid", 326, y=222, w=36, h=26, label="Solenoid"))
    else:
        pipes.append(Pipe("air", "M120 67H590"))
        shapes.append(PartDrawing("charge_pipes", "joint", 330, y=55, w=24, h=24, label="Intake hoses"))
    if engine.inlet_flap != "none":
        shapes.append(
            PartDrawing("inlet_flap", "throttle", 554, y=48, w=38, h=38, label="Inlet flap", label_at="above")
        )
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
            y=log_y,
            w=BLOCK_WIDTH,
            h=14,
            label="Intake manifold",
            label_at="above",
            label_dx=-66 if log_y < 250 else 40,
        )
    )
    pipes.append(Pipe("charge", f"M{BLOCK_LEFT} {log_y + 7}H{BLOCK_LEFT + BLOCK_WIDTH}"))
    if log_y < 250:
        shapes.append(
            PartDrawing(
                "manifold_pressure_sensor",
                "sensor",
                BLOCK_LEFT - 42,
                y=log_y - 7,
                w=28,
                h=28,
                label="Manifold pressure",
                label_at="above",
                label_dx=-20,
            )
        )
    else:
        shapes.append(
            PartDrawing(
                "manifold_pressure_sensor",
                "sensor",
                BLOCK_LEFT - 60,
                y=log_y - 7,
                w=28,
                h=28,
                label="Pressure",
            )
        )
    pipes.append(Pipe("thin", f"M{BLOCK_LEFT - (14 if log_y < 250 else 32)} {log_y + 7}H{BLOCK_LEFT}"))
    if engine.intake_heater:
        shapes.append(
            PartDrawing(
                "intake_heater", "coil", 640, y=52, w=40, h=30, label="Intake heater", label_at="above"
            )
        )


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
            PartDrawing(
                "exhaust_temp_sensors",
                "probe",
                246,
                y=line - 32,
                w=20,
                h=32,
                label="Temperature",
                label_at="above",
            )
        )
        x = 264
        pipes.append(Pipe("exhaust", f"M250 {line}H280"))
    if engine.dpf is not False:
        pipes.append(Pipe("exhaust", f"M250 {line}H292"))
        shapes.append(
            PartDrawing(
                "dpf",
                "brick",
                292,
                y=line - 32,
                w=132,
                h=64,
                label="Particulate filter",
                label_at="below",
                label_dx=0,
                label_dy=-6,
            )
        )
        shapes.append(
            PartDrawing(
                "dp_sensor",
                "gauge",
                336,
                y=line - 94,
                w=44,
                h=36,
                label="Differential pressure",
                label_at="above",
            )
        )
        pipes.append(Pipe("thin", f"M342 {line - 58}V{line - 45}H302V{line - 32}"))
        pipes.append(Pipe("thin", f"M370 {line - 58}V{line - 45}H414V{line - 32}"))
        x = 424
    if engine.scr is not False:
        shapes.append(
            PartDrawing(
                "nox_up",
                "probe",
                472,
                y=line - 34,
                w=22,
                h=34,
                label="NOx in",
                label_at="below",
                label_dx=0,
                label_dy=10,
            )
        )
        shapes.append(
            PartDrawing(
                "def_injector",
                "nozzle",
                518,
                y=line - 44,
                w=30,
                h=44,
                label="DEF injector",
                label_at="above",
                label_dx=22,
            )
        )
        shapes.append(
            PartDrawing(
                "scr",
                "brick",
                584,
                y=line - 34,
                w=146,
                h=68,
                label="SCR catalyst",
                label_at="below",
                label_dx=0,
                label_dy=-6,
            )
        )
        shapes.append(
            PartDrawing(
                "nox_down",
                "probe",
                770,
                y=line - 34,
                w=22,
                h=34,
                label="NOx out",
                label_at="below",
                label_dx=0,
                label_dy=10,
            )
        )
        shapes.append(
            PartDrawing(
                "nox_wires", "plug", 640, y=line - 76, w=36, h=26, label="NOx wires", label_at="right"
            )
        )
        pipes.append(Pipe("wire", f"M483 {line - 34}V{line - 63}H640M676 {line - 63}H781V{line - 34}"))
        shapes.append(PartDrawing("def_pump", "pump", 872, y=line - 48, w=48, h=48, label="DEF pump"))
        shapes.append(PartDrawing("def_tank", "tank", 966, y=line - 64, w=110, h=74, label="DEF tank, cap"))
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
        shapes.append(
            PartDrawing(
                "egr_cooler",
                "cooler",
                824,
                y=300,
                w=44,
                h=76,
                label="EGR cooler",
                label_at="left",
                label_dx=0,
                label_dy=34,
            )
        )
        if engine.egr_cooler_bypass not in (None, "none"):
            shapes.append(
                PartDrawing(
                    "bypass_flap", "throttle", 878, y=270, w=32, h=32, label="Bypass", label_at="right"
                )
            )
            pipes.append(Pipe("egr", "M846 388H894V300M894 272V264H846"))
        shapes.append(
            PartDrawing(
                "egr_valve",
                "valve",
                822,
                y=220,
                w=48,
                h=48,
                label="EGR valve",
                label_at="above",
                label_dx=-12,
            )
        )
    if "low_pressure" in fitted:
        pipes.append(Pipe("egr", "M446 560V616H112V124H222"))
        shapes.append(
            PartDrawing(
                "egr_cooler",
                "cooler",
                90,
                y=436,
                w=44,
                h=62,
                label="LP cooler" if "high_pressure" in fitted else "EGR cooler",
                label_at="right",
                label_dx=0,
                label_dy=16,
            )
        )
        shapes.append(
            PartDrawing(
                "egr_valve",
                "valve",
                88,
                y=166,
                w=48,
                h=48,
                label="LP EGR" if "high_pressure" in fitted else "EGR valve",
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
    shapes.append(PartDrawing("fuel_filter", "filter", 986, y=36, w=84, h=52, label="Fuel filter"))
    shapes.append(PartDrawing("lift_pump", "pump", 1000, y=122, w=44, h=44, label="Lift pump"))
    pipes.append(Pipe("fuel", "M1022 88V122"))
    if engine.injection in PUMP_INJECTION or engine.injection in ("unit_injector", "hydraulic_unit"):
        if engine.injection in PUMP_INJECTION:
            name = "Injection pump"
        elif engine.injection == "hydraulic_unit":
            name = "Oil to the injectors"
        else:
            name = ""
        if engine.injection in PUMP_INJECTION:
            shapes.append(PartDrawing("injectors", "pump", 866, y=106, w=50, h=50, label=name))
            pipes.append(Pipe("fuel", f"M1000 144H916M866 131H764V{top - 14}H{cylinders[0].x}"))
        else:
            pipes.append(Pipe("fuel", f"M1000 144H764V{top - 14}"))
    else:
        shapes.append(
            PartDrawing("high_pressure_pump", "pump", 866, y=106, w=50, h=50, label="High-pressure pump")
        )
        shapes.append(
            PartDrawing(
                "rail",
                "rail",
                BLOCK_LEFT,
                y=top - 18,
                w=BLOCK_WIDTH + 14,
                h=8,
                label="Rail",
                label_at="left",
                label_dx=0,
            )
        )
        pipes.append(Pipe("fuel", f"M1000 144H916M866 131H764V{top - 14}"))
        if two:
            shapes.append(PartDrawing("rail", "rail", BLOCK_LEFT, y=bottom + 10, w=BLOCK_WIDTH + 14, h=8))
            pipes.append(Pipe("fuel", f"M764 {top - 14}H770V{bottom + 14}H764"))
    for b in cylinders:
        line_y = (bottom + 14) if b.turned else top - 14
        pipes.append(Pipe("thin fuel", f"M{b.x} {line_y}V{b.y + b.r * (1 if b.turned else -1)}"))
    shapes.append(PartDrawing("control_unit", "unit", 934, y=396, w=82, h=44, label="Control units"))
    shapes.append(PartDrawing("driver", "seat", 1052, y=394, w=40, h=46, label="Driver"))


def _start(
    engine: EngineCard, shapes: list[PartDrawing], pipes: list[Pipe], cylinders: list[Bore], two: bool
) -> None:
    x = 20
    count = engine.batteries or 1
    for n in range(count):
        shapes.append(
            PartDrawing(
                "battery",
                "battery",
                x,
                y=286 + n * 58,
                w=70,
                h=44,
                label="Battery" if n == count - 1 else "",
                label_at="under",
            )
        )
    shapes.append(PartDrawing("battery_cables", "joint", 146, y=384, w=24, h=24, label="Cables"))
    shapes.append(
        PartDrawing("starter", "starter", 690, y=450, w=58, h=30, label="Starter", label_at="right")
    )
    pipes.append(Pipe("cable", "M86 308H122V396H146M170 396H182V465H690"))
    shapes.append(
        PartDrawing("coolant_sensor", "probe", 770, y=254, w=18, h=28, label="Coolant", label_at="below")
    )
    if engine.glow != "none":
        shapes.append(
            PartDrawing(
                "glow_relay",
                "relay",
                20,
                y=476,
                w=66,
                h=42,
                label="Glow module" if engine.glow_control == "electronic_module" else "Glow relay",
                label_at="under",
            )
        )
        bus = max(b.y for b in cylinders) + BANK_HALF + 60 if two else max(b.y + b.r for b in cylinders) + 8
        shapes.append(
            PartDrawing(
                "glow_harness",
                "plug",
                352,
                y=bus - 10,
                w=22,
                h=20,
                label="Glow harness",
                label_at="below",
                label_dx=-24,
            )
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
    shapes.append(
        PartDrawing(
            "vacuum_pump", "pump", 934, y=212, w=46, h=46, label="Vacuum pump", label_at="above", label_dx=10
        )
    )
    pipes.append(Pipe("vacuum", "M980 235H1030V411H1056", "vacuum_hoses"))
    shapes.append(
        PartDrawing("vacuum_hoses", "joint", 1018, y=280, w=24, h=24, label="Hoses", label_at="left")
    )
    if there("reservoir", "check_valve"):
        shapes.append(PartDrawing("check_valve", "check", 996, y=226, w=24, h=18))
        pipes.append(Pipe("vacuum", "M1030 235H1042", "vacuum_hoses"))
        shapes.append(PartDrawing("reservoir", "tank", 1042, y=212, w=56, h=46, label="Reservoir"))
    if there("solenoid"):
        pipes.append(Pipe("vacuum", "M1030 335H1006", "vacuum_hoses"))
        shapes.append(PartDrawing("vacuum_solenoid", "solenoid", 962, y=322, w=44, h=26, label="Solenoids"))
    if there("mount"):
        pipes.append(Pipe("vacuum", "M1030 333H1056", "vacuum_hoses"))
        shapes.append(PartDrawing("engine_mount", "mount", 1056, y=318, w=42, h=30, label="Mount"))
    if there("booster"):
        shapes.append(PartDrawing("vacuum_hoses", "can", 1056, y=392, w=46, h=38, label="Booster"))
    if stop:
        shapes.append(
            PartDrawing(
                "stop_actuator", "can", 700, y=490, w=36, h=30, label="Stop actuator", label_at="left"
            )
        )
        shapes.append(PartDrawing("stop_line", "joint", 780, y=492, w=24, h=24, label="Stop line"))
        shapes.append(PartDrawing("key_switch", "solenoid", 920, y=490, w=40, h=26, label="Key switch"))
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
