"""A whole job by keyboard alone and one by thumb: the presses from the yard to a proven glow plug.
Typing values and ticking the plan are counted apart."""

import sys
import unittest
from contextlib import contextmanager
from datetime import datetime, timedelta
from unittest import mock

from .pages import BrowserTest

MOST = 60
TORQUES = {"step-wires_on": "2", "step-ground_on": "6"}


class Moved(datetime):
    """The server's clock, put forward."""

    by = timedelta()

    @classmethod
    def now(cls, tz=None):
        return datetime.now(tz) + cls.by


@contextmanager
def clock():
    Moved.by = timedelta()
    with mock.patch("frosty_piston.store.timestamps.datetime", Moved):
        yield Moved


class ByHand(BrowserTest):
    def setUp(self):
        super().setUp()
        self.presses, self.typed, self.ticks, self.ticking = 0, 0, 0, False

    def count(self, n=1):
        if self.ticking:
            self.ticks += n
        else:
            self.presses += n

    def at(self, says):
        """Wait until an element is there and shown."""
        self.page.locator(says).first.wait_for()

    def on(self, id_):
        self.until(f"document.activeElement.id === '{id_}'")

    def told(self, name):
        print(
            f"{name}: {self.presses} presses from new job to proven, {self.typed} signs typed,"
            f" {self.ticks} presses for the plan",
            file=sys.stderr,
        )
        self.assertLess(self.presses, MOST)


class Keyboard(ByHand):
    def key(self, *names):
        for name in names:
            self.page.keyboard.press(name)
            self.count()

    def type(self, text):
        self.page.keyboard.type(text)
        self.typed += len(text)

    def reach(self, says, most=12, way="Tab"):
        """Tab until the focused element fits; every Tab counts."""
        for _ in range(most):
            if self.page.evaluate(f"document.activeElement.matches({says!r})"):
                return
            self.key(way)
        self.fail(f"{says} not reached in {most} presses")

    def test_a_glow_plug_from_the_yard_to_proof(self):
        with clock() as moved:
            self.arrives()
            self.measures()
            self.decides()
            self.fits()
            self.proves(moved)
        self.told("by keyboard")

    def arrives(self):
        self.go("/")
        self.key("n")
        self.page.wait_for_url("**/arrive")
        self.on("vehicle_id")
        self.type("Rescue van 5")
        self.key("Tab", "Enter")
        self.on("complaint-text")
        self.type("Cranks for ages below zero")
        self.key("Tab", "Enter")
        self.on("symptom-find")
        self.type("hard cold")
        self.key("Enter")
        self.sees("Hard start when cold", "#symptoms .picked")
        self.on("symptom-find")
        self.key("Enter", "Enter")
        self.on("block-block")
        self.type("P0673 stored")
        self.key("Tab", "Enter")
        self.on("conditions-ambient")
        self.type("-8")
        self.key("Enter")
        self.sees("outside -8 °C", "#part-conditions .holds")

    def measures(self):
        self.until("document.activeElement.matches('.nextstep a')")
        self.key("Enter")
        self.page.wait_for_url("**/measure/glow**")
        self.key("r")
        self.on("instrument-lead_zero")
        self.type("0.2")
        self.key("Enter")
        self.until("document.activeElement.matches('.value')")
        for volts, cls in (("1.0", "sound"), ("1.02", "sound"), ("OL", "open"), ("1.01", "sound")):
            self.type(volts)
            self.key("Enter")
            self.page.locator(".verdict:not(.typing) b", has_text=cls).first.wait_for()
        self.sees("cylinder 4, plug: 1.01 Ω", "#tape")
        self.on("next-link")
        self.until("document.getElementById('next-link').textContent.includes('Decide')")

    def decides(self):
        self.key("t")
        self.page.wait_for_url("**/decide")
        self.key("r", "Enter")
        self.on("consent-who")
        self.type("Station lead")
        self.reach("#consent-ceiling", 4)
        self.type("9000")
        self.key("Enter")
        self.sees("Station lead said yes")
        self.on("next-link")

    def fits(self):
        self.key("Enter")
        self.page.wait_for_url("**/fit**")
        self.ticking = True
        self.key("r")
        while current := self.page.evaluate("(document.querySelector('.step.current') || {}).id"):
            self.one_step(current)
        self.ticking = False
        self.until("document.activeElement.textContent.trim() === 'The repair is done'")
        self.key("Enter")
        self.sees("What is measured from here on")

    def one_step(self, current):
        """A step of the plan: what it asks is ticked or typed, and Enter says it is done."""
        typed = {"torque": TORQUES.get(current, "15"), "pieces": "1"}
        for _ in range(40):
            name = self.page.evaluate("document.activeElement.name || ''")
            if name == "reason":
                break
            if name == "tick":
                self.key("Space")
            elif name in typed or name.endswith("_length_mm"):
                self.page.keyboard.press("Control+A")
                self.type(typed.get(name, "27.5"))
            self.key("Tab")
        self.key("Enter")
        self.page.locator(f"#{current}.done").wait_for()

    def proves(self, moved):
        self.on("next-link")
        self.key("Enter")
        self.until("document.activeElement.matches('[id$=plug-3]')")
        self.type("1.0")
        self.key("Escape")
        self.sees("cylinder 3, plug: 1 Ω", "#tape")
        self.on("next-link")
        self.key("Enter")
        self.page.wait_for_url("**/prove#proof-codes")
        self.until("document.activeElement.value === 'pass'")
        self.key("Enter")
        self.page.locator("#proof-codes.done").wait_for()
        self.until("document.activeElement.matches('#proof-cold_start a')")
        self.key("Enter")
        self.on("soak-hours")
        self.key("Enter")
        self.sees("Wait, let it stand cold", "#rod")
        self.on("next-link")
        moved.by = timedelta(hours=16)
        self.key("6")
        self.page.wait_for_url("**/prove")
        self.key("t")
        self.until("document.activeElement.name === 'tick'")
        self.key("Space", "Enter")
        self.page.locator(".proofstate.proven").wait_for()


class Thumb(ByHand):
    """The same job on a phone: every tap counts, and so does the key that goes on from a field."""

    size = {"width": 390, "height": 844}

    def tap(self, what):
        found = what if not isinstance(what, str) else self.page.locator(what)
        found = found.first
        box = found.bounding_box()
        assert box is not None
        self.assertGreaterEqual(box["height"], 43.5, what)
        found.click()
        self.count()

    def button(self, name, inside="body"):
        return self.page.locator(inside).get_by_role("button", name=name, exact=True)

    def write(self, field, text):
        """A tap into a field, and what is typed there."""
        self.tap(field)
        self.page.locator(field).fill(text)
        self.typed += len(text)

    def test_a_glow_plug_from_the_yard_to_proof(self):
        with clock() as moved:
            self.arrives()
            self.measures()
            self.decides()
            self.fits()
            self.proves(moved)
        self.told("by thumb at 390")

    def arrives(self):
        self.go("/")
        self.tap(self.button("New job"))
        self.page.wait_for_url("**/arrive")
        self.tap("#vehicle_id")
        self.page.locator("#vehicle_id").select_option(label="Rescue van 5")
        self.count()
        self.tap(self.button("Take this one"))
        self.page.wait_for_url("**/arrive")
        self.write("#complaint-text", "Cranks for ages below zero")
        self.tap(self.button("Write down", "#form-complaint"))
        self.sees("Cranks for ages below zero", "#part-complaint .holds")
        self.write("#symptom-find", "hard cold")
        self.tap(self.button("Hard start when cold"))
        self.sees("Hard start when cold", "#symptoms .picked")
        self.write("#block-block", "P0673 stored")
        self.tap(self.button("Find the codes"))
        self.sees("P0673", "#part-codes .holds")
        self.write("#conditions-ambient", "-8")
        self.tap(self.button("Write down", "#form-conditions"))
        self.sees("outside -8 °C", "#part-conditions .holds")

    def measures(self):
        self.tap(".rod-next a")
        self.page.wait_for_url("**/measure/glow**")
        self.write("#instrument-lead_zero", "0.2")
        self.tap(self.button("Keep the meter"))
        self.sees("leads 0.2", ".settings")
        self.tap("#in-glow_resistance-plug-1")
        for ohm, cls in (("1.0", "sound"), ("1.02", "sound"), ("OL", "open"), ("1.01", "sound")):
            self.page.keyboard.type(ohm)
            self.typed += len(ohm)
            self.page.keyboard.press("Enter")
            self.count()
            self.page.locator(".verdict:not(.typing) b", has_text=cls).first.wait_for()
        self.page.locator("#v-glow_resistance-plug-4.sound").wait_for()
        self.page.locator(".rod-next a", has_text="Decide").wait_for()

    def decides(self):
        self.tap(".rod-next a")
        self.page.wait_for_url("**/decide")
        self.tap(self.button("Pick this"))
        self.page.locator(".offer.picked").wait_for()
        self.write("#consent-who", "Station lead")
        self.write("#consent-ceiling", "9000")
        self.tap(self.button("Owner says yes"))
        self.sees("Station lead said yes")

    def fits(self):
        self.tap(".rod-next a")
        self.page.wait_for_url("**/fit**")
        self.ticking = True
        while current := self.page.evaluate("(document.querySelector('.step.current') || {}).id"):
            form = f"#{current} form[id^=form-step]"
            for field, text in (
                ("torque", TORQUES.get(current, "15")),
                ("old_length_mm", "27.5"),
                ("new_length_mm", "27.5"),
            ):
                if self.page.locator(f"{form} [name={field}]").count():
                    self.write(f"{form} [name={field}]", text)
            for tick in self.page.locator(f"{form} .tickbox label").all():
                self.tap(tick)
            self.tap(self.button("Done", form))
            self.page.locator(f"#{current}.done").wait_for()
        self.ticking = False
        self.tap(self.button("The repair is done"))
        self.sees("What is measured from here on")

    def proves(self, moved):
        self.tap(".rod-next a")
        self.page.wait_for_url("**/measure/glow**")
        self.write("#in-glow_resistance-plug-3", "1.0")
        self.page.keyboard.press("Escape")
        self.count()
        self.page.locator(".rod-next a", has_text="Read the codes").wait_for()
        self.tap(".rod-next a")
        self.page.wait_for_url("**/prove#proof-codes")
        self.tap(self.button("Passed", "#proof-codes"))
        self.page.locator("#proof-codes.done").wait_for()
        self.tap("#proof-cold_start a.first")
        self.tap(self.button("Start the wait", "#coldsoak"))
        self.page.locator(".rod-next a", has_text="stand cold").wait_for()
        moved.by = timedelta(hours=16)
        self.tap(".rod .stage:nth-child(7) a")
        self.page.wait_for_url("**/prove")
        self.tap("#proof-cold_start .tickbox label")
        self.tap(self.button("Passed", "#proof-cold_start"))
        self.page.locator(".proofstate.proven").wait_for()


if __name__ == "__main__":
    unittest.main()
