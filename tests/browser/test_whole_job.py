"""One job through all six stages in the browser, as a technician would, and the report in the owner's
hand."""

from tests.browser.pages import BrowserTest


class WholeJob(BrowserTest):
    def test_a_cold_hard_start_from_arrival_to_proof(self):
        page = self.page
        self.go("/")
        page.get_by_text("nobody named").click()
        page.get_by_label("Who is working").fill("Ylva")
        self.press("Take over")
        self.press("New job")

        # Arrive: a known vehicle brings its card; complaint, symptom by a few letters, codes as a block
        page.get_by_label("Vehicle", exact=True).select_option(label="Rescue van 5")
        self.press("Take this one")
        self.sees("4 cylinders inline")
        page.get_by_label("In the driver's words").fill("Cranks for ages below zero")
        self.press("Write down", "#form-complaint")
        self.sees("Cranks for ages below zero", "#tape")
        self.picks("Hard start when cold", "hard cold")
        page.locator("#heat .odds").first.wait_for()
        before = self.odds("Glow plugs open circuit")
        page.get_by_label("Paste the whole read-out").fill("Engine control\nP0673 - stored\nsomething odd")
        self.press("Find the codes")
        self.sees("P0673 glow plug, cylinder 3: circuit", "#part-codes .holds")
        self.assertNotEqual(self.odds("Glow plugs open circuit"), before)
        page.get_by_label("Outside").fill("-8")
        self.press("Write down", "#form-conditions")
        self.sees("Ambient -8 °C", "#tape")

        # Narrow: the suspects say why, the next test leads to its bench
        page.keyboard.press("Escape")
        page.locator("h1").click()
        page.keyboard.press("2")
        page.wait_for_url("**/narrow")
        self.sees("For it:")
        page.keyboard.press("3")
        page.wait_for_url("**/measure")
        page.get_by_role("link", name="Glow plugs Ohm, lamp, clamp, heat").click()

        # Measure: meter once, then cell after cell by Enter
        page.get_by_label("Lead zero").fill("0,2")
        page.get_by_label("Meter", exact=True).fill("0.8")
        self.press("Keep the meter")
        self.sees("Meter: lead zero 0.2 Ω", "#tape")
        cells = page.locator(".value")
        cells.first.click()
        for typed, cls in (("1,0", "sound"), ("1.02", "sound"), ("ol", "open"), ("1.01", "sound")):
            page.keyboard.type(typed)
            page.keyboard.press("Enter")
            page.locator(".verdict:not(.typing) b", has_text=cls).first.wait_for()
        page.locator("#plug-3[aria-label*='0 %']").wait_for()
        page.locator("#tape .says", has_text="cylinder 4, harness connector: 1.01 Ω").wait_for()
        page.locator("#heat li.warm-4", has_text="Glow plugs open circuit").wait_for()

        # Decide warns, since a wire reads the same; so the plug itself is read
        page.locator("[data-key='4']").click()
        self.sees("Condemned from the harness connector alone")
        page.go_back()
        page.get_by_role("link", name="Plug itself", exact=True).click()
        page.locator("#in-glow_resistance-plug-3").fill("OL")
        page.keyboard.press("Enter")
        self.sees("harness connector", ".plugcol")
        page.locator("#tape .says", has_text="cylinder 3, plug: OL").wait_for()
        page.locator("[data-key='4']").click()
        page.wait_for_url("**/decide")
        self.assertEqual(page.get_by_text("connector alone").count(), 0)
        option = page.locator(".offer", has_text="Change the dead plugs only")
        option.get_by_role("button", name="Pick this").click()
        page.locator(".offer.picked").wait_for()
        page.get_by_label("Who said it").fill("Station lead")
        page.get_by_label("Ceiling").fill("3 000")
        self.press("Owner says yes")
        self.sees("Station lead said yes")

        # Fit: step by step, the caution ticked first, hardware out and back, the count closed
        page.locator("[data-key='5']").click()
        page.wait_for_url("**/fit")
        self.step("warm_engine")
        page.locator("#step-ground_off").get_by_role("button", name="Done", exact=True).click()
        self.sees("read and tick the caution first", "#step-ground_off")
        self.step("ground_off")
        self.off("covers_off", "cover screw", "front", "short")
        self.off("covers_off", "bracket bolt", "rear", "the long one")
        self.sees("the long one", "#map")
        self.step("covers_off")
        self.step("wires_off")
        self.step("plugs_out", torque="18", pieces="1")
        self.step("seats_clean")
        self.step("compare", old_length_mm="27.5", new_length_mm="27,5")
        self.step("plugs_in", torque="15", pieces="1")
        self.step("wires_on", torque="2")
        self.step("covers_on")
        self.step("ground_on", torque="6")
        self.sees("0", "#map h2")
        self.press("The repair is done")
        self.sees("What is measured from here on")

        # Prove: read again, before beside after; then the steps; the cold start makes it proven
        page.locator("[data-key='6']").click()
        page.wait_for_url("**/prove")
        self.sees("On trial")
        page.get_by_role("link", name="Read it again").click()
        page.get_by_role("link", name="Harness connector", exact=True).click()
        page.locator("#in-glow_resistance-harness_connector-3").fill("1.0")
        page.keyboard.press("Enter")
        page.locator("#tape .says", has_text="cylinder 3, harness connector: 1 Ω").wait_for()
        page.locator("[data-key='6']").click()
        page.wait_for_url("**/prove")
        self.sees("0.80 ± 0.05", ".pairs")
        page.locator("#proof-remeasure.done").wait_for()
        for name in ("clear", "codes"):
            self.proof(name)
        page.locator("#coldsoak").get_by_role("button", name="Start the wait").click()
        self.sees("cold soak, nobody starts it", "#waits")
        self.sees("Wait, let it stand cold", "#rod")
        cold = page.locator("#proof-cold_start")
        cold.get_by_label("Read and understood").check()
        cold.get_by_role("button", name="Passed").click()
        self.sees("was warm", "#proof-cold_start")
        self.sees("On trial", ".proofstate")
        cold.get_by_label("Stood for").fill("10")
        cold.get_by_label("Read and understood").check()
        cold.get_by_role("button", name="Passed").click()
        self.sees("does not fit", "#proof-cold_start")
        cold.get_by_label("The hours are right").check()
        cold.get_by_label("Read and understood").check()
        cold.get_by_role("button", name="Passed").click()
        page.locator(".proofstate.proven").wait_for()
        page.get_by_label("Who takes it").fill("Station lead")
        self.press("Hand over")
        self.sees("Handed over to Station lead")

        # Report
        page.locator(".notice").get_by_role("link", name="Report").click()
        page.wait_for_url("**/report")
        for words in (
            "Cranks for ages below zero",
            "Proven",
            "3 000 kr",
            "Replaced: glow plugs",
            "Record for the next technician",
        ):
            self.sees(words)
        self.go("/")
        self.sees("Rescue van 5", ".done-list")

    def off(self, name, what, where, mark):
        form = self.page.locator(f"#form-hardware-{name}")
        for field, text in (("what", what), ("where", where), ("mark", mark)):
            form.locator(f"[name={field}]").fill(text)
        self.page.keyboard.press("Enter")
        self.page.locator("#map li", has_text=what).wait_for()

    def step(self, name, **fields):
        form = self.page.locator(f"#step-{name}")
        if not form.locator("button", has_text="Done").is_visible():
            form.locator("summary").first.click()
        for box in form.locator("input[name=tick]").all():
            box.check()
        for key, value in fields.items():
            form.locator(f"#form-step-{name} [name={key}]").fill(value)
        form.get_by_role("button", name="Done", exact=True).click()
        self.page.locator(f"#step-{name}.done").wait_for()

    def proof(self, name):
        step = self.page.locator(f"#proof-{name}")
        if not step.get_by_role("button", name="Passed").is_visible():
            step.locator("summary").first.click()
        step.get_by_role("button", name="Passed").click()
        self.page.locator(f"#proof-{name}.done").wait_for()
