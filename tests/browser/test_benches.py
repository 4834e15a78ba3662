"""The benches at the bench: judged while typed, kept when the connection drops, right in two tabs and on a
phone."""

from frosty_piston.job.entries import Reading
from tests.browser.pages import BrowserTest

VAN = "/jobs/demo-van-3/measure/"


class Typing(BrowserTest):
    def test_a_value_is_judged_while_it_is_typed_and_a_wrong_one_is_answered_at_the_cell(self):
        self.go("/jobs/demo-groomer-2/measure/glow?point=plug")
        cell = self.page.locator("#cell-glow_resistance-plug-5")
        self.page.locator("#in-glow_resistance-plug-5").press_sequentially("12")
        cell.locator(".verdict.typing b", has_text="high").wait_for()
        self.assertEqual(self.page.locator("#tape .says", has_text="cylinder 5").count(), 0)
        self.page.locator("#in-glow_resistance-plug-5").fill("twelve")
        cell.locator(".fault", has_text="no figure").wait_for()
        self.page.locator("#in-glow_resistance-plug-5").fill("1e12")
        self.page.keyboard.press("Enter")
        cell.locator(".fault", has_text="is allowed").wait_for()
        self.assertEqual(self.page.locator("#in-glow_resistance-plug-5").input_value(), "1e12")

    def test_both_banks_are_drawn_and_enter_walks_through_them(self):
        self.go("/jobs/demo-groomer-2/measure/glow")
        self.assertEqual(self.page.locator(".plug").count(), 8)
        self.page.locator(".value").first.focus()
        self.page.keyboard.press("Enter")
        self.assertEqual(
            self.page.evaluate("document.activeElement.id"), "in-glow_resistance-harness_connector-3"
        )

    def test_the_lamp_and_the_clamp(self):
        self.go("/jobs/demo-groomer-2/measure/glow?method=lamp")
        self.page.get_by_label("Test lamp").fill("2")
        self.press("Keep the lamp")
        self.sees("16.8 Ω")
        self.page.get_by_role("group", name="Cylinder 1").get_by_role("button", name="lit").click()
        self.sees("not open")
        self.page.get_by_role("link", name="Clamp").click()
        self.page.locator("#in-glow_current-total-after_s10").fill("66")
        self.page.keyboard.press("Enter")
        self.sees("6 of 8 plugs work")

    def test_the_relay_table_follows(self):
        self.go("/jobs/demo-groomer-2/measure/relay")
        for point, volts in (
            ("battery", "12.5"),
            ("feed", "12.4"),
            ("supply", "12.3"),
            ("command", "0.2"),
            ("output", "0.3"),
        ):
            self.page.locator(f"#in-glow_relay-{point}").fill(volts)
            self.page.keyboard.press("Enter")
            self.page.locator("#tape .says", has_text=f"{point}: {volts} V").wait_for()
        self.press("It clicks")
        self.sees("a click is no proof", "#set-glow_relay")
        self.page.locator("#relay-table tr.here", has_text="Contacts do not carry").wait_for()
        self.page.locator("#heat li.warm-4", has_text="contacts do not carry").wait_for()


class Hands(BrowserTest):
    def test_a_dropped_connection_keeps_the_entry_and_sends_it_once(self):
        self.go("/jobs/demo-patrol/measure/battery")
        self.context.set_offline(True)
        self.page.locator("#in-cable_drop-ground").fill("0.21")
        self.page.keyboard.press("Enter")
        self.sees("Kept here, will send: 1 entry", "#outbox")
        self.context.set_offline(False)
        self.page.locator("#tape .says", has_text="ground: 0.21 V").wait_for(timeout=20_000)
        record = self.workshop.tapes.job("demo-patrol")
        self.assertEqual(len([x for x in record.job.of(Reading) if x.data.test == "cable_drop"]), 1)

    def test_a_failure_says_so_in_view_keeps_what_was_typed_and_tries_again(self):
        self.begin("Failing", ["Cranks slowly"])
        self.at("tape")
        broken = {"code": 500, "page": '<main><p class="lead">The disk is full.</p></main>'}

        def answer(route):
            if broken:
                route.fulfill(status=broken["code"], body=broken["page"], content_type="text/html")
            else:
                route.continue_()

        self.page.route("**/tape/note", answer)
        self.page.get_by_label("Note").fill("rattles when cold")
        self.press("Write", "#form-note")
        self.sees("The disk is full. Nothing was written; what you typed is still here.", "#failed")
        self.assertEqual(self.page.get_by_label("Note").input_value(), "rattles when cold")
        broken.clear()
        self.press("Try again", "#failed")
        self.sees("rattles when cold", "#tape")
        self.page.locator("#failed").wait_for(state="hidden")

    def test_what_is_typed_elsewhere_stays_when_a_form_is_written(self):
        self.go("/jobs/demo-groomer-2/arrive")
        self.unfold("complaint")
        self.page.get_by_label("Since when, after what").fill("since the first frost")
        self.picks("Loud tick from one cylinder", "tick")
        self.assertEqual(
            self.page.get_by_label("Since when, after what").input_value(), "since the first frost"
        )

    def test_a_refused_form_keeps_what_was_typed_and_points_at_it(self):
        self.go("/jobs/demo-groomer-2/arrive")
        self.unfold("conditions")
        self.page.get_by_label("Outside").fill("rather cold")
        self.press("Write down", "#form-conditions")
        self.sees("no figure; write one in °C", "#form-conditions")
        field = self.page.get_by_label("Outside")
        self.assertEqual((field.input_value(), field.get_attribute("aria-invalid")), ("rather cold", "true"))

    def test_keys_open_the_list_and_are_never_taken_while_typing(self):
        self.go("/jobs/demo-groomer-2/tape")
        note = self.page.get_by_label("Note")
        note.press_sequentially("1 r u ? g y")
        self.assertEqual(note.input_value(), "1 r u ? g y")
        note.fill("")
        self.page.locator("h1").click()
        self.page.keyboard.press("?")
        self.page.get_by_role("dialog", name="Keys").wait_for()
        self.press("Close", "#keys")
        self.page.keyboard.press("g")
        self.page.keyboard.press("y")
        self.page.wait_for_url(self.base + "/")

    def test_dusk_can_be_chosen_and_stays(self):
        self.go("/")
        self.press("Dusk")
        self.page.locator("html[data-theme=dark]").wait_for()
        self.go("/jobs/demo-groomer-2/narrow")
        self.assertEqual(self.page.locator("html").get_attribute("data-theme"), "dark")

    def test_two_tabs_lose_nothing(self):
        self.go("/jobs/demo-patrol/tape")
        other = self.new_page()
        other.goto(self.base + "/jobs/demo-patrol/tape")
        self.page.get_by_label("Note").fill("from the first tab")
        other.get_by_label("Note").fill("from the second tab")
        self.press("Write", "#form-note")
        other.locator("#form-note button").click()
        other.locator("#tape .says", has_text="from the second tab").wait_for()
        other.locator("#tape .says", has_text="from the first tab").wait_for()

    def test_taking_back_by_key_and_the_back_button(self):
        self.go("/jobs/demo-patrol/tape")
        self.page.get_by_label("Note").fill("a slip")
        self.press("Write", "#form-note")
        self.sees("a slip", "#tape")
        self.page.locator("h1").click()
        self.page.keyboard.press("u")
        self.page.get_by_label("Why").fill("wrong vehicle")
        self.press("Take back")
        self.page.locator("#tape li.gone", has_text="a slip").wait_for()
        self.page.go_back()
        self.page.go_forward()
        self.page.locator("#tape li.gone", has_text="a slip").wait_for()

    def test_without_scripts_a_reading_is_a_plain_form(self):
        context = self.page.context.browser.new_context(java_script_enabled=False)
        self.addCleanup(context.close)
        page = context.new_page()
        page.goto(self.base + "/jobs/demo-patrol/measure/battery")
        page.locator("#in-battery_crank-battery_1").fill("10,4 V")
        page.locator("#cell-battery_crank-battery_1 .write").click()
        page.locator("#tape .says", has_text="10.4 V").wait_for()
        page.locator("#in-battery_crank-battery_1").fill("lots")
        page.locator("#cell-battery_crank-battery_1 .write").click()
        page.locator("#cell-battery_crank-battery_1 .fault").wait_for()
        self.assertEqual(page.locator("#in-battery_crank-battery_1").input_value(), "lots")


class Names(BrowserTest):
    def test_every_field_and_button_has_a_name(self):
        for path in (
            "/",
            "/jobs/demo-van-3/arrive",
            "/jobs/demo-van-3/vehicle",
            VAN + "glow",
            VAN + "glow?method=heat",
            VAN + "relay",
            VAN + "battery",
            "/jobs/demo-van-3/decide",
            "/jobs/demo-old-bear/prove",
        ):
            self.go(path)
            nameless = self.page.evaluate(
                """[...document.querySelectorAll('input:not([type=hidden]), textarea, select, button, a')]
                .filter(e => {
                const label = e.labels && e.labels.length ? e.labels[0].textContent : '';
                return !(label || e.getAttribute('aria-label') || e.textContent || '').trim();
            }).map(e => e.outerHTML.slice(0, 120))"""
            )
            self.assertEqual(nameless, [], path)
            twice = self.page.evaluate(
                "(ids => ids.filter((id, i) => ids.indexOf(id) !=="
                " i))([...document.querySelectorAll('[id]')].map(e => e.id))"
            )
            self.assertEqual(twice, [], path)


class Phone(BrowserTest):
    size = {"width": 390, "height": 844}

    def test_nothing_runs_over_the_edge_and_targets_are_large(self):
        for path in (
            "/",
            "/jobs/demo-van-3/arrive",
            VAN + "glow",
            VAN + "relay",
            VAN + "battery",
            "/jobs/demo-van-3/decide",
            "/jobs/demo-old-bear/prove",
        ):
            self.go(path)
            self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), 390, path)
            small = self.page.evaluate(
                """[...document.querySelectorAll('main button, main .input, main .value, main select')]
                .filter(e => e.offsetParent && !e.closest('.cell .write'))
                .map(e => [e.getBoundingClientRect().height, e.outerHTML.slice(0, 90)])
                .filter(([h, e]) => h < 43.5 && !e.includes('class="write"'))"""
            )
            self.assertEqual(small, [], path)

    def test_work_comes_first(self):
        self.go(VAN + "glow")
        tops = self.page.evaluate(
            "['#work', '#heat', '#tape'].map(s => document.querySelector(s).getBoundingClientRect().top)"
        )
        self.assertEqual(tops, sorted(tops))
