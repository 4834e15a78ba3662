"""Injectors, plugs and network through the pages: a connector that came back after another repair, a piezo
that opens with heat and a trim code with a slip, a sensor with its network."""

from tests.browser.test_any_job import AnyJob
from tests.cases import MODERN

VAN = "demo-pier-van"


class CameBack(AnyJob):
    def test_the_fretted_connector_after_another_repair(self):
        self.job = VAN
        self.at("arrive")
        for words in ("Likely the same fault", "injector, cylinder 3", "it was there at the visit before"):
            self.sees(words, "#again")
        self.at("measure/intermittent")
        self.sees("Wiggle: injector, cylinder 3", "#step-wiggle")
        self.sees("Came back after", "#returns")
        self.understood()
        self.page.locator("#step-connector_look").get_by_role("button", name="Dust").click()
        self.sees("Disturbed", "#work")
        self.page.locator("#form-grip [name=pin]").first.fill("1")
        self.page.locator("#form-grip").get_by_role("button", name="Loose").click()
        self.page.locator(".face .cavity.failed").wait_for()
        self.decide("injector_connector_fretted_tail")
        self.fit("injector_connector_fretted")
        self.at("prove")
        self.sees("On trial", ".proofstate")
        self.wiggled(20)
        self.at("prove")
        self.sees("Wiggle test with dropout log", "#missing")
        self.wiggled(60)
        self.finds("connector_look", "Clean", node="injector", cylinder="3")
        self.at("measure/intermittent?node=injector&cylinder=3&pin=1")
        self.page.locator("#form-grip").get_by_role("button", name="Holds").click()
        self.page.locator(".face .cavity.sound").wait_for()
        self.proof("clear")
        self.drive("400")
        self.hand_over()

    def wiggled(self, seconds):
        figures = {"wiggle_s": f"{seconds}", "dropouts": "0", "rest_s": "60", "rest_dropouts": "0"}
        self.finds("wiggle", node="injector", cylinder="3", **figures)


class HotPiezo(AnyJob):
    def test_in_range_cold_and_open_hot(self):
        engine = {**MODERN, "injection": "rail_piezo", "limits": {"injector_trim": "yes", "trim_length": "6"}}
        self.begin("Shakes when hot", ["Misfire only when hot"], "P0202 stored", engine)
        self.at("measure/injectors")
        self.understood()
        for c, shown in enumerate(("185k", "187", "0.184M", "186"), 1):
            self.types(f"#in-injector_resistance-{c}", shown)
        self.at("measure/injectors")
        self.sees("in range cold says nothing of that", "#retest")
        self.assertEqual(self.page.locator("#warm-cylinder").input_value(), "2")
        self.press("Start warming it", "#retest")
        self.sees("Read cylinder 2 hot now", "#retest")
        self.sees("Wait, let it get hot", "#rod")
        for c, shown in ((2, "OL"), (1, "186"), (3, "185"), (4, "187")):
            self.types(f"#in-injector_resistance-{c}-part_hot1", shown)
        self.at("measure/injectors")
        self.sees("Cylinder 2: electrical", "#drawing")
        self.finds("swap_parts", "Follows", node="injector", cylinder="2")
        self.decide("injector_hot_breakdown_failed")
        self.fit("injector_hot_breakdown")
        self.at("prove")
        self.sees("trim code", "#missing")
        self.coded()
        self.at("prove")
        self.page.locator("#proof-injector_trim.done").wait_for()

    def coded(self):
        """The code typed with a slip, then right; read back with another slip, then right."""
        self.at("trim")
        form = self.page.locator("#form-write")
        for code, again, fault in (
            ("7B0A1C", "7B0AIC", "1 and I, which look alike"),
            ("7B0A1C", "7B01AC", "places 4 and 5 are swapped"),
            ("7B0A1", "7B0A1", "the engine card says 6"),
        ):
            self.writes(form, "part", code, again)
            self.sees(fault, "#form-write")
        self.writes(form, "part", "7B0A1C", "7B0A1C")
        self.sees("not read back yet", "#trim-2")
        self.writes(form, "unit", "780A1C")
        self.sees("the control unit differs", "#trim-2")
        self.writes(form, "unit", "7B0A1C")
        self.sees("the control unit has it", "#trim-2")

    @staticmethod
    def writes(form, where, code, again=""):
        form.locator("[name=cylinder]").select_option("2")
        form.locator("[name=where]").select_option(where)
        form.locator("[name=code]").fill(code)
        form.locator("[name=again]").fill(again)
        form.get_by_role("button", name="Write down").click()


class SensorAndNetwork(AnyJob):
    def test_one_pass_at_the_plug_and_then_module_by_module(self):
        self.begin("Dosing off", ["Emissions message on the dash"], "U0001 stored")
        self.at("measure/pins")
        self.page.locator("#place-node").fill("NOx sensor")
        self.page.locator("#place-battery").fill("12.4")
        self.page.get_by_role("button", name="Keep", exact=True).click()
        self.sees("Plug, pin by pin: NOx sensor", "h1")
        self.understood()
        self.at("measure/pins?node=nox_sensor&battery_v=12.4")
        self.page.locator(".keyon").get_by_role("button").click()
        self.sees("Read now", ".keyon")
        for pin, value in (("supply", "12.3"), ("ground", "0.04")):
            self.types(f"#in-supply_pins-nox_sensor-{pin}", value)
        for pin, value in (("high", "2.6"), ("low", "2.4"), ("pair", "121")):
            self.types(f"#in-network_pins-nox_sensor-{pin}", value)
        self.sees("The pair or its terminators", "#drawing")
        self.at("measure/pins?node=nox_sensor&battery_v=12.4")
        self.page.locator("#pair_without-module").fill("dosing unit")
        self.page.locator("#pair_without-value").fill("120")
        self.press("Write down", "#unplug")
        self.sees("Dosing unit changes nothing", "#unplug")
        for stretch, drop in (("feed", "0.03"), ("connector", "0.4")):
            self.page.locator("#stretch-point").select_option(stretch)
            self.page.locator("#stretch-drop_v").fill(drop)
            self.press("Write down", "#stairs")
            self.sees(f"{drop} V", "#stairs .stairlist")
        self.sees("Plug takes 0.4 V", "#stairs")
