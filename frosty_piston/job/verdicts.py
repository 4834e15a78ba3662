"""What each reading and outcome of a job is worth."""

from collections.abc import Iterable
from dataclasses import replace

from frosty_piston.core import battery, glow, glow_methods, relay
from frosty_piston.core.plugs import PLUG_KINDS
from frosty_piston.core.quantity import Judgement, plain
from frosty_piston.knowledge import Knowledge

from . import entries as e
from .instruments import Instruments
from .judging import JUDGES
from .judging.recorded import recorded
from .judging.wiring import drives
from .tape import Job
from .units import convert
from .verdict import Verdict, where_of

GENERAL_LAMP_W = 5.0


def _latest(entries: Iterable[e.Entry], test: str) -> dict[tuple, e.Entry]:
    found: dict[tuple, e.Entry] = {}
    for x in entries:
        if x.kind in ("reading", "outcome") and x.data.test == test:
            inrush = (
                x.data.conditions is not None
                and x.data.conditions.after_s is not None
                and x.data.conditions.after_s < 8
            )
            w, c = x.data.where, x.data.conditions
            hot = bool(c and c.part_hot)
            dosing = x.kind == "outcome" and (x.data.figures or {}).get("dosing")
            key = (
                w.point,
                w.cylinder,
                w.bank,
                w.node,
                w.pin,
                w.channel,
                inrush if test == "glow_current" else x.kind,
                hot,
                dosing,
            )
            found.pop(key, None)
            found[key] = x
    return found


class Judge:
    """Judges the readings among some entries of a job."""

    def __init__(self, job: Job, knowledge: Knowledge, entries: Iterable[e.Entry]):
        self.job, self.k, self.entries = job, knowledge, tuple(entries)
        self.instruments = Instruments(job)
        self.glow_kind = job.engine.glow if job.engine.glow in PLUG_KINDS else "rod_12v"
        self.system_v = job.engine.system_voltage or 12

    def all(self) -> list[Verdict]:
        order = {x.id: i for i, x in enumerate(self.entries)}
        tests = dict.fromkeys(x.data.test for x in self.entries if x.kind in ("reading", "outcome"))
        found = [v for test in tests for v in self.test(test)]
        found += recorded(self)
        if "code_return" not in tests:
            found += drives(self)
        return sorted(found, key=lambda v: (order.get(v.entries[0], 0), str(v.where)))

    def test(self, test: str) -> list[Verdict]:
        latest = list(_latest(self.entries, test).values())
        if not latest:
            return []
        if test in JUDGES:
            return JUDGES[test](self, latest)
        special = getattr(self, f"_{test}", None)
        return special(latest) if special else [self.plain(x) for x in latest]

    def all_of(self, test: str) -> list[e.Entry]:
        """Every reading and outcome of a test that stands, not only the latest of each place."""
        return [x for x in self.entries if x.kind in ("reading", "outcome") and x.data.test == test]

    def figure(self, name: str) -> float:
        """A figure of the engine card, or the general one."""
        own = self.job.engine.limit(name)
        return self.k.general(name) if own is None else own

    def value(self, entry: e.Entry, unit: str) -> float | None:
        return None if entry.data.value == "OL" else convert(entry.data.value, entry.data.unit, unit)

    def ambient_c(self) -> float | None:
        entry = self.job.condition("ambient")
        return convert(entry.data.value, entry.data.unit, "degC") if entry else None

    # glow plugs

    def _readings_at(self, latest: list[e.Entry]) -> dict[str, list[e.Entry]]:
        sets: dict[str, list[e.Entry]] = {}
        for x in latest:
            sets.setdefault(x.data.where.point or "", []).append(x)
        return sets

    def _glow_resistance(self, latest: list[e.Entry]) -> list[Verdict]:
        found = []
        for at_point in self._readings_at(latest).values():
            plugs = [
                glow.PlugReading(
                    x.data.where.cylinder or 0,
                    self.value(x, "ohm"),
                    x.data.conditions.part_c if x.data.conditions else None,
                )
                for x in at_point
            ]
            wires_off = self.job.unplugged_glow or any(
                x.data.conditions and x.data.conditions.wires_off for x in at_point
            )
            path_ohm = self.job.engine.limit("glow_path_ohm") or self.k.general("glow_path_ohm")
            judged = glow.judge_set(
                plugs,
                self.instruments.ohmmeter(at_point[-1]),
                self.glow_kind,
                self.job.engine.glow_nominal_ohm,
                path_ohm,
                wires_off,
            )
            found += [
                Verdict("glow_resistance", where_of(x.data.where), j.judgement, (x.id,), j.share, j.power_w)
                for x, j in zip(at_point, judged, strict=True)
            ]
        return self._wire_or_plug(found)

    def _wire_or_plug(self, found: list[Verdict]) -> list[Verdict]:
        at_plug = {v.where.get("cylinder"): v for v in found if v.where.get("point") == "plug"}
        mended = []
        for v in found:
            other = at_plug.get(v.where.get("cylinder"))
            if v.where.get("point") in ("harness_connector", "relay_connector") and other is not None:
                verdict = glow.harness_or_plug(v.judgement, other.judgement)
                extra = {
                    "wire": " Sound at the plug itself: the wire or connector between is at fault",
                    "plug": " The same at the plug itself: it is the plug.",
                }.get(verdict, "")
                if verdict == "wire":
                    a, b = v.judgement.value, other.judgement.value
                    extra += f" ({plain(a - b)} ohm in between)." if a is not None and b is not None else "."
                v = replace(v, judgement=replace(v.judgement, because=v.judgement.because + extra))
            mended.append(v)
        return mended

    def reference(self) -> glow.Reference:
        """The reference of this job's plugs, from card, set or kind."""
        values = [
            v.judgement.value
            for v in self.test("glow_resistance")
            if v.judgement.value is not None and v.judgement.cls not in ("short", "bridged")
        ]
        return glow.reference(self.glow_kind, self.job.engine.glow_nominal_ohm, values)

    def _glow_lamp_test(self, latest: list[e.Entry]) -> list[Verdict]:
        ref = self.reference()
        return [
            Verdict(
                "glow_lamp_test",
                where_of(x.data.where),
                glow_methods.judge_lamp(x.data.outcome, self.instruments.lamp_w(x) or GENERAL_LAMP_W, ref),
                (x.id,),
            )
            for x in latest
            if x.data.outcome
        ]

    def _glow_current(self, latest: list[e.Entry]) -> list[Verdict]:
        ref, found = self.reference(), []
        after = {x.id: x.data.conditions.after_s if x.data.conditions else None for x in latest}
        inrush = {
            str(where_of(x.data.where)): x.data.value
            for x in latest
            if after[x.id] is not None and after[x.id] < 3
        }
        for x in latest:
            where = where_of(x.data.where)
            amps = self.value(x, "A")
            if where.get("point") == "total" or "bank" in where:
                count = self.job.cylinders // (2 if "bank" in where else 1)
                judged = glow_methods.working_plugs(amps, count, ref)
            else:
                judged = glow_methods.judge_plug_current(amps, after[x.id], ref, inrush.get(str(where)))
            found.append(Verdict("glow_current", where, judged, (x.id,)))
        return found

    def _glow_bench_heat(self, latest: list[e.Entry]) -> list[Verdict]:
        dead = {
            v.where.get("cylinder")
            for test in ("glow_resistance", "glow_current")
            for v in self.test(test)
            if v.judgement.verdict == "failed"
        }
        kind = PLUG_KINDS[self.glow_kind].name
        return [
            Verdict(
                "glow_bench_heat",
                where_of(x.data.where),
                glow_methods.judge_bench_heat(
                    x.data.outcome,
                    x.data.conditions.after_s if x.data.conditions else None,
                    x.data.where.cylinder in dead,
                    kind,
                ),
                (x.id,),
            )
            for x in latest
            if x.data.outcome
        ]

    # relay

    def relay_points(self, latest: list[e.Entry]) -> relay.RelayPoints:
        volts = {x.data.where.point: self.value(x, "V") for x in latest if x.kind == "reading"}
        clicks = [x.data.outcome for x in latest if x.kind == "outcome"]
        loaded = any(
            x.data.conditions and x.data.conditions.loaded for x in latest if x.data.where.point == "output"
        )
        total = [v.judgement.value for v in self.test("glow_current") if v.where.get("point") == "total"]
        stays = [x for x in _latest(self.entries, "glow_on_time").values() if x.data.where.point == "output"]
        known = {name: volts.get(name) for name in ("battery", "feed", "supply", "command", "output")}
        return relay.RelayPoints(
            **known,
            click=clicks[-1] == "click" if clicks else None,
            loaded=loaded,
            current_a=total[-1] if total else None,
            output_on_s=self.value(stays[-1], "s") if stays else None,
        )

    def _glow_relay(self, latest: list[e.Entry]) -> list[Verdict]:
        points = self.relay_points(latest)
        meter = self.instruments.voltmeter(latest[-1])
        whole = relay.judge_relay(points, self.job.engine.glow_control or "relay_module", meter)
        found = [
            Verdict(
                "glow_relay",
                where_of(x.data.where),
                relay.judge_point(points, x.data.where.point, meter),
                (x.id,),
            )
            for x in latest
            if x.kind == "reading"
            and x.data.where.point in ("battery", "feed", "supply", "command", "output")
        ]
        return [*found, Verdict("glow_relay", {"point": "relay"}, whole, tuple(x.id for x in latest))]

    def _glow_on_time(self, latest: list[e.Entry]) -> list[Verdict]:
        coolant = self.job.condition("coolant")
        at_c = convert(coolant.data.value, coolant.data.unit, "degC") if coolant else self.ambient_c()
        return [
            Verdict(
                "glow_on_time",
                where_of(x.data.where),
                relay.judge_on_time(self.value(x, "s"), self.glow_kind, at_c, x.data.where.point or "lamp"),
                (x.id,),
            )
            for x in latest
        ]

    def _cold_soak_temps(self, latest: list[e.Entry]) -> list[Verdict]:
        hours = [
            x.data.conditions.soaked_h
            for x in latest
            if x.data.conditions and x.data.conditions.soaked_h is not None
        ]
        temps = {x.data.where.channel or "unnamed": self.value(x, "degC") for x in latest}
        judged = relay.judge_soak(temps, hours[-1] if hours else None)
        return [
            Verdict(
                "cold_soak_temps", where_of(x.data.where), judged[x.data.where.channel or "unnamed"], (x.id,)
            )
            for x in latest
        ]

    # battery and cranking

    def _battery_rest(self, latest: list[e.Entry]) -> list[Verdict]:
        return [
            Verdict(
                "battery_rest",
                where_of(x.data.where),
                battery.judge_rest(
                    self.value(x, "V"), self._battery_v(), self.ambient_c(), self.instruments.voltmeter(x)
                ),
                (x.id,),
            )
            for x in latest
        ]

    def _battery_v(self) -> int:
        return 12 if self.job.engine.batteries == 2 else self.system_v

    def _battery_crank(self, latest: list[e.Entry]) -> list[Verdict]:
        return [
            Verdict(
                "battery_crank",
                where_of(x.data.where),
                battery.judge_crank(
                    self.value(x, "V"), self.ambient_c(), self._battery_v(), self.instruments.voltmeter(x)
                ),
                (x.id,),
            )
            for x in latest
        ]

    def _crank_speed(self, latest: list[e.Entry]) -> list[Verdict]:
        return [
            Verdict("crank_speed", where_of(x.data.where), battery.judge_speed(self.value(x, "rpm")), (x.id,))
            for x in latest
        ]

    def _cable_drop(self, latest: list[e.Entry]) -> list[Verdict]:
        return [
            Verdict(
                "cable_drop",
                where_of(x.data.where),
                battery.judge_drop(
                    self.value(x, "V"), x.data.where.point or "ground", self.instruments.voltmeter(x)
                ),
                (x.id,),
            )
            for x in latest
        ]

    # everything else: by what the knowledge files say of the test

    def plain(self, entry: e.Entry) -> Verdict:
        """The verdict that an outcome means by itself; a figure without a known limit is only kept."""
        shape, d = self.k.tests[entry.data.test], entry.data
        where = where_of(d.where)
        if entry.kind == "outcome" and d.outcome:
            word = d.outcome.replace("_", " ")
            return Verdict(
                d.test,
                where,
                Judgement(shape.outcomes[d.outcome], d.outcome, None, None, None, f"{shape.title}: {word}."),
                (entry.id,),
            )
        value, unit = (d.value, d.unit) if entry.kind == "reading" else (None, None)
        because = "Recorded as it is. No limit for it is known here: hold it against your service data."
        return Verdict(
            d.test,
            where,
            Judgement("unclear", "recorded", None if value == "OL" else value, unit, None, because),
            (entry.id,),
        )
