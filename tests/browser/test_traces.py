"""A recording from file to tape in the real page: map, look, zoom, mark, compare, judge."""

import tempfile
from pathlib import Path

from frosty_piston.formats.trace_files import write_csv
from frosty_piston.rig.recordings import drive_recording
from tests.browser.pages import BrowserTest

VAN = "/jobs/demo-van-5/traces"


class Traces(BrowserTest):
    def view(self, name="vanes warm.csv"):
        self.go(VAN)
        self.page.locator("#work").get_by_role("link", name=name).click()
        self.page.locator("#trace .uplot canvas").wait_for()
        self.until("document.getElementById('trace').dataset.view")

    def shown(self):
        return [float(x) for x in self.page.locator("#trace").get_attribute("data-view").split()]

    def test_import_with_mapping_then_judge(self):
        r = next(
            r for s in range(60) if (r := drive_recording(s, "sticks")).percent and r.actual.step_s <= 0.1
        )
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "valve.csv"
            path.write_text(write_csv({"EGR commanded": (r.command, "%"), "Channel B": (r.actual, "%")}))
            self.go("/jobs/demo-van-3/traces")
            self.page.get_by_label("A recording of the scan tool").set_input_files(path)
            self.press("Bring in")
            self.page.wait_for_url("**/traces/map/**")
        self.assertEqual(self.page.get_by_label("Channel of EGR commanded").input_value(), "egr_command")
        self.page.get_by_label("Channel of Channel B").select_option("egr_position")
        self.press("Keep the recording")
        self.page.locator("#trace .uplot canvas").wait_for()
        self.sees("it sticks", ".drive")
        self.page.locator(".loop .way.up").wait_for(state="attached")
        self.press("Write this down")
        self.page.locator("#tape .says", has_text="egr valve: sticks").wait_for()

    def test_the_wheel_moves_and_zooms_and_a_lost_connection_is_said(self):
        self.view()
        self.page.get_by_role("button", name="Zoom in").click()
        whole = (
            self.page.locator("#trace").get_attribute("data-first"),
            self.page.locator("#trace").get_attribute("data-last"),
        )
        self.until(
            "w => { const [a, b] = document.getElementById('trace').dataset.view.split(' '); return b - a <"
            " 0.6 * (w[1] - w[0]); }",
            arg=[float(w) for w in whole],
        )
        seen = self.page.locator("#trace").get_attribute("data-view")
        self.page.locator("#trace .u-over").hover()
        self.page.keyboard.down("Shift")
        self.page.mouse.wheel(0, 120)
        self.page.keyboard.up("Shift")
        self.until("s => document.getElementById('trace').dataset.view !== s", arg=seen)
        self.assertGreater(self.shown()[0], float(seen.split()[0]))
        self.page.route("**/points?**", lambda route: route.abort())
        self.page.get_by_role("button", name="Whole").click()
        self.sees("cannot be reached just now")
        self.page.unroute("**/points?**")
        self.page.get_by_role("button", name="Whole").click()
        self.page.locator("#trace-fault").wait_for(state="hidden")

    def test_keys_buttons_and_mouse_zoom_and_the_fields_follow(self):
        self.view()
        whole = self.shown()
        self.page.get_by_role("button", name="Zoom in").click()
        self.until(
            "s => document.getElementById('trace').dataset.view !== s", arg=f"{whole[0]:.3f} {whole[1]:.3f}"
        )
        closer = self.shown()
        self.assertAlmostEqual(closer[1] - closer[0], (whole[1] - whole[0]) / 2, delta=0.1)
        self.assertAlmostEqual(
            float(self.page.get_by_label("From", exact=True).input_value()), closer[0], delta=0.01
        )
        self.page.locator("#trace").focus()
        self.page.keyboard.press("ArrowRight")
        self.until(
            "s => document.getElementById('trace').dataset.view !== s", arg=f"{closer[0]:.3f} {closer[1]:.3f}"
        )
        self.assertGreater(self.shown()[0], closer[0])
        self.page.keyboard.press("0")
        self.until(
            "s => document.getElementById('trace').dataset.view === s", arg=f"{whole[0]:.3f} {whole[1]:.3f}"
        )
        over = self.page.locator("#trace .u-over").bounding_box()
        self.page.mouse.move(over["x"] + over["width"] * 0.25, over["y"] + 60)
        self.page.mouse.down()
        self.page.mouse.move(over["x"] + over["width"] * 0.5, over["y"] + 80, steps=4)
        self.page.mouse.up()
        self.until(
            "s => document.getElementById('trace').dataset.view !== s", arg=f"{whole[0]:.3f} {whole[1]:.3f}"
        )
        low, high = self.shown()
        self.assertAlmostEqual((high - low) / (whole[1] - whole[0]), 0.25, delta=0.03)

    def test_a_stretch_is_marked_and_opened_again(self):
        self.view("vanes cold.csv")
        self.page.get_by_label("Name this stretch").fill("first way up")
        self.page.get_by_label("From", exact=True).fill("4")
        self.page.get_by_label("To", exact=True).fill("30")
        self.press("Mark")
        self.page.locator("#tape .says", has_text="first way up, 4 to 30 s").wait_for()
        self.page.get_by_role("link", name="first way up").click()
        self.page.locator("#trace .uplot canvas").wait_for()
        self.until("document.getElementById('trace').dataset.view === '4.000 30.000'")

    def test_two_are_compared_at_an_event_and_the_table_says_it_too(self):
        self.view()
        self.page.get_by_label("Compare with").select_option(label="vanes cold.csv")
        self.page.get_by_label("Aligned when this channel").select_option(label="Vanes asked")
        self.page.get_by_label("crosses this level").fill("50")
        self.press("Compare")
        self.page.locator("#trace .u-legend", has_text="Vane position, other").wait_for()
        self.sees("Vane position goes from", "#work")
        self.assertEqual(self.page.locator("#work .record tbody tr").count(), 2)


class Phone(BrowserTest):
    size = {"width": 390, "height": 844}

    def test_recordings_fit_a_phone(self):
        trace = self.workshop.recordings.of_job("demo-van-5")[0]
        for path in (VAN, f"{VAN}/map/{trace.id.removeprefix('rec-')}", f"{VAN}/{trace.id}"):
            self.go(path)
            self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), 390, path)
