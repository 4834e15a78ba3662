"""Every kind of page, as it looks to every hand and eye: found by following the links of the demo."""

import io
import json
import sys
import unittest
import urllib.error
import urllib.request
from collections import Counter
from pathlib import Path
from urllib.parse import urljoin, urlsplit

import lxml.html
from pypdf import PdfReader

from tests.cases import job_file
from tests.formats import test_report_pdf as report_paper

from . import pages

HERE = Path(__file__).parent
AXE = (HERE.parent / "vendor" / "axe-core-4.14.1.min.js").read_text("utf-8")
LOOKS = (HERE / "looks.js").read_text("utf-8")
WCAG = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
RUN = """(only) => axe.run({ runOnly: only, resultTypes: ["violations"] })
  .then((r) => r.violations.map((v) => v.id + " x" + v.nodes.length + ": " + v.nodes[0].target.join(" ")
    + " " + v.nodes[0].failureSummary.slice(0, 160)))"""
MOST_OF_A_KIND, MOST_PAGES = 3, 1500
PRESSED = {
    "demo-van-3": ("arrive", "measure/glow?method=lamp&point=plug", "measure/relay", "decide"),
    "demo-old-bear": ("fit", "prove"),
    "demo-bus-turbo": ("fit",),
}
MOST_PRESSED = 4
NAMED = (["why"], ["tape"], ["traces"], ["pictures"])
RULES = {"type": "tag", "values": WCAG}
CONTRAST = {"type": "rule", "values": ["color-contrast"]}
BY_THUMB = {"type": "rule", "values": ["target-size", "scrollable-region-focusable"]}
ON_PAPER = """() => {
  const faults = [], of = (e) => getComputedStyle(e), root = document.documentElement;
  const pressed = [...document.querySelectorAll("button, .button")].filter((e) => e.checkVisibility());
  if (pressed.length) faults.push(pressed.length + " buttons are printed");
  if (of(document.body).backgroundColor !== "rgb(255, 255, 255)") faults.push("not printed on white");
  if (of(root).colorScheme !== "light") faults.push("printed in the colours of dusk");
  if (root.scrollWidth > root.clientWidth + 1) faults.push("wider than the paper: " + root.scrollWidth);
  return faults;
}"""
# Each way of seeing a page: size, media, the rules of accessibility that hang on it, whether it is by thumb.
PLAIN = {"color_scheme": "light", "forced_colors": "none", "media": "screen"}
DESK = {
    "wide": ((1280, 800), {}, RULES, False),
    "forced colours": ((1280, 800), {"forced_colors": "active"}, None, False),
    "dusk": ((1280, 800), {"color_scheme": "dark"}, CONTRAST, False),
    "tablet": ((800, 1100), {}, None, False),
    "on paper": ((794, 1123), {"color_scheme": "dark", "media": "print"}, None, False),
    "twice as large": ((640, 400), {}, None, False),
}
PHONE = {
    "phone": ((390, 844), {}, BY_THUMB, True),
    "small phone": ((320, 640), {}, None, True),
}
SHARES = 6
# Calculators that one template draws.
ALIKE = ("ohm", "lamp", "cold", "cooling", "wiggle", "money")


def kind_of(path):
    """The kind of a page: its address with what names one thing left out. Benches are kinds of their own."""
    parts = [part for part in urlsplit(path).path.split("/") if part]
    if not parts:
        return "/"
    if parts[0] == "jobs":
        rest = parts[2:]
        named = 2 if rest[:2] == ["measure", "test"] else 1 if rest[:1] in NAMED and len(rest) > 1 else 0
        return "/".join(["job", *rest[:named], *(["one", *rest[named + 1 :]] if named else rest)])
    if parts[0] == "pocket" and parts[-1] in ALIKE:
        return "pocket/one"
    if parts[0] == "training" and len(parts) > 1 and parts[1].startswith("training-"):
        return "/".join(["training/one", *parts[2:]])
    if parts[0] == "shelf" and len(parts) > 2:
        return f"shelf/{parts[1]}/one"
    return "/".join(parts)


def fetched(base, path):
    try:
        with urllib.request.urlopen(urljoin(base, path), timeout=30) as answer:
            return answer.status, answer.read(), answer.headers.get_content_type(), answer.url
    except urllib.error.HTTPError as error:
        return error.code, b"", "", path


class Crawled:
    """The pages that were found: one address of every kind, every dead link, every form without a button."""

    def __init__(self, base):
        self.base, self.of_kind, self.dead, self.mute = base, {}, [], []
        self.asked, seen, todo, times = 0, set(), ["/"], Counter()
        while todo and self.asked < MOST_PAGES:
            path = todo.pop(0)
            kind = kind_of(path)
            if path in seen or times[kind] >= MOST_OF_A_KIND:
                continue
            seen.add(path)
            times[kind] += 1
            self.asked += 1
            status, body, content, url = fetched(base, path)
            if status != 200:
                self.dead.append((path, status))
            elif content == "text/html":
                self.of_kind.setdefault(kind_of(url.removeprefix(base)), url.removeprefix(base))
                todo += self._links(path, body)

    def _links(self, path, body):
        page = lxml.html.fromstring(body)
        for form in page.iter("form"):
            if form.get("method") == "post" and not form.xpath(".//button"):
                self.mute.append((path, form.get("action")))
        for link in page.iter("a", "{http://www.w3.org/2000/svg}a"):
            href = link.get("href") or ""
            there = urlsplit(urljoin(self.base + path, href))
            if href and not href.startswith("#") and there.netloc == urlsplit(self.base).netloc:
                yield there.path + (f"?{there.query}" if there.query else "")


class EveryPage(pages.BrowserTest):
    maxDiff = None
    found: Crawled | None = None

    def setUp(self):
        super().setUp()
        if EveryPage.found is None:
            EveryPage.found = Crawled(self.base)
            EveryPage.found.of_kind |= self.an_exercise()
        self.pages = sorted(EveryPage.found.of_kind.values())

    def an_exercise(self):
        """The pages of an exercise that goes on: nobody else may do what this one does."""
        self.go("/training/new?number=34")
        self.press("Begin")
        for press in ("Read the codes, 5 min", "Glow plug out, 15 min"):
            self.press(press)
        at = urlsplit(self.page.url).path
        return {"training/open": at, "training/part": f"{at}/part?repair=glow_plugs"}

    def looked_at(self, ways, share):
        """What is wrong with a share of all kinds of page in some ways of seeing them. A page is loaded once
        for a desk and once for a phone, where it folds, and turned from one way into the next: loading costs
        most."""
        there = pages.shared()["browser"].new_context()
        self.addCleanup(there.close)
        page, faults = there.new_page(), []
        page.on("pageerror", lambda e: faults.append(f"{page.url}: {e}"))
        page.on("console", lambda m: faults.append(f"{page.url}: {m.text}") if m.type == "error" else None)
        looked = self.pages[share::SHARES]
        for path in looked:
            faults += self.look(page, path, ways)
        self.assertGreater(len(looked), 5)
        return faults

    def look(self, page, path, ways):
        faults = []
        for n, (mode, (size, media, rules, phone)) in enumerate(ways.items()):
            page.set_viewport_size({"width": size[0], "height": size[1]})
            if n == 0:
                page.emulate_media(**PLAIN)
                page.goto(self.base + path)
                page.evaluate(AXE)
            page.emulate_media(**{**PLAIN, **media})
            page.evaluate(
                "document.getAnimations().filter((a) => a.effect.getComputedTiming().endTime < Infinity)"
                ".forEach((a) => a.finish())"
            )
            found = page.evaluate(ON_PAPER) if mode == "on paper" else page.evaluate(LOOKS, phone)
            found += page.evaluate(RUN, rules) if rules else []
            faults += [f"{mode} {path}: {fault}" for fault in found]
        return faults

    def test_no_link_is_dead_and_every_form_has_a_button(self):
        found = EveryPage.found
        print(f"crawled: {found.asked} pages, {len(found.of_kind)} kinds", file=sys.stderr)
        self.assertGreater(len(found.of_kind), 35)
        self.assertEqual(found.dead, [])
        self.assertEqual(found.mute, [])

    def test_the_printed_owners_page_is_one_page(self):
        file = job_file(*report_paper.crowded(), engine=pages.MODERN, job_id="printed")
        self.workshop.tapes.import_file(json.dumps(file).encode())
        for job in ("printed", "demo-old-bear"):
            self.go(f"/jobs/{job}/report")
            read = PdfReader(io.BytesIO(self.page.pdf(format="A4")))
            first, second = (report_paper.text_of(p) for p in read.pages[:2])
            self.assertIn("Cost", first, job)
            self.assertTrue(second.startswith(report_paper.RECORD), (job, second[:80]))

    def test_focus_is_never_on_the_page_after_an_answer(self):
        self.begin("Focus", ["Cranks slowly"])
        field = self.page.get_by_label("Outside")
        field.fill("rather cold")
        self.press("Write down", "#form-conditions")
        self.sees("no figure; write one in °C", "#form-conditions")
        self.until("document.activeElement.getAttribute('aria-invalid') === 'true'")
        self.unfold("complaint")
        self.page.locator("#form-complaint textarea").fill("no start in the cold")
        self.page.locator("#form-complaint button").focus()
        self.page.keyboard.press("Enter")
        self.sees("no start in the cold", "#tape")
        self.until("document.activeElement !== document.body")
        self.until("document.getElementById('said').textContent.includes('no start in the cold')")

    def test_a_page_that_loads_late_does_not_take_focus_away_from_whoever_has_begun(self):
        late = []
        self.page.route("**/late.png", lambda route: late.append(route))
        self.page.add_init_script(
            "document.addEventListener('DOMContentLoaded', () => { new Image().src = '/late.png'; })"
        )
        self.page.goto(
            f"{self.base}/jobs/demo-groomer-2/measure/glow?point=plug#in-glow_resistance-plug-5",
            wait_until="domcontentloaded",
        )
        self.until("document.activeElement.id === 'in-glow_resistance-plug-5'")
        self.assertEqual(self.page.evaluate("document.readyState"), "interactive")
        self.page.keyboard.press("Escape")
        self.until("document.activeElement.id === 'next-link'")
        for held in late:
            held.fulfill(status=404)
        self.until("performance.getEntriesByType('navigation')[0].loadEventEnd > 0")
        self.page.evaluate("new Promise((done) => setTimeout(done, 0))")
        self.assertEqual(self.page.evaluate("document.activeElement.id"), "next-link")

    def copied(self, job):
        """A job of the demo once more, under a name of its own."""
        file = json.loads(fetched(self.base, f"/api/v1/jobs/{job}")[1])
        file["job"]["id"] = f"{job}-focus"
        file.pop("chain", None)
        self.workshop.tapes.import_file(json.dumps(file).encode())
        return f"/jobs/{job}-focus/"

    def test_whatever_is_pressed_focus_is_somewhere_after_the_answer(self):
        tried, lost = 0, []
        for job, places in PRESSED.items():
            base = self.copied(job)
            for place in places:
                self.go(base + place)
                ids = self.page.evaluate(
                    "[...document.querySelectorAll('#work form[hx-post]:not(.cell)')]"
                    ".filter((f) => [...f.querySelectorAll('button')].some((b) => b.checkVisibility()))"
                    ".map((f) => f.id)"
                )
                for form in ids[:MOST_PRESSED]:
                    self.go(base + place)
                    button = self.page.locator(f"[id='{form}'] button:visible").first
                    if not button.count():
                        continue
                    button.focus()
                    with self.page.expect_response(lambda r: r.request.method == "POST"):
                        self.page.keyboard.press("Enter")
                    tried += 1
                    try:
                        self.until("document.activeElement !== document.body", 8)
                    except AssertionError:
                        lost.append((place, form))
        self.assertGreater(tried, 15)
        self.assertEqual(lost, [])

    def test_keys_can_be_put_out_of_use_and_escape_closes_panels(self):
        self.go("/")
        self.page.keyboard.press("?")
        self.page.locator("#keys").wait_for()
        self.page.keyboard.press("s")
        self.assertTrue(self.page.locator("#keys").is_visible())
        self.press("Keys are in use", "#keys")
        self.press("Close", "#keys")
        self.page.keyboard.press("s")
        self.assertEqual(self.page.url, self.base + "/")
        self.page.locator(".who-menu summary").click()
        self.page.keyboard.press("Escape")
        self.page.locator("#who").wait_for(state="hidden")
        self.assertEqual(self.page.evaluate("document.activeElement.tagName"), "SUMMARY")

    def test_without_script(self):
        """Every form has a button, charts give way to pictures, and what needs a script is not shown."""
        there = pages.shared()["browser"].new_context(java_script_enabled=False, viewport=self.size)
        self.addCleanup(there.close)
        page = there.new_page()
        for path in self.pages:
            page.goto(self.base + path)
            self.assertEqual(page.locator(".scripted:visible, .tracechart:visible").count(), 0, path)
            for form in page.locator("form[method=post]:visible").all():
                buttons = form.locator("button")
                self.assertTrue(any(b.is_visible() for b in buttons.all()), (path, form.get_attribute("id")))
            if "/traces/rec-" in path:
                self.assertTrue(page.locator(".chartpicture").is_visible(), path)
                self.assertGreater(page.locator(".chartpicture .way").count(), 0, path)

    def test_a_job_begins_and_is_measured_without_script(self):
        there = pages.shared()["browser"].new_context(java_script_enabled=False, viewport=self.size)
        self.addCleanup(there.close)
        page = there.new_page()
        page.set_default_timeout(20_000)
        page.goto(self.base + "/")
        page.get_by_role("button", name="New job").click()
        page.get_by_label("Vehicle", exact=True).select_option(label="Rescue van 5")
        page.get_by_role("button", name="Take this one").click()
        page.get_by_label("In the driver's words").fill("cranks, without script")
        page.locator("#form-complaint button").click()
        page.get_by_role("button", name="Hard start when cold").click()
        page.get_by_role("button", name="No other codes stored").click()
        page.locator("[data-key='3']").click()
        page.get_by_role("link", name="Glow plugs Ohm, lamp, clamp, heat").click()
        page.locator("#in-glow_resistance-harness_connector-2").fill("OL")
        page.locator("#cell-glow_resistance-harness_connector-2 button").click()
        self.assertIn("open", page.locator("#v-glow_resistance-harness_connector-2").inner_text().lower())
        page.locator("[data-key='4']").click()
        offer = page.locator(".offer").first
        offer.get_by_label("Why this one").fill("the other leads are new")
        offer.get_by_role("button", name="Pick this").click()
        page.locator(".offer.picked").wait_for()

    def test_a_bench_shows_its_first_value_at_once_and_shouts_but_once(self):
        there = pages.shared()["browser"].new_context(viewport={"width": 390, "height": 844})
        self.addCleanup(there.close)
        page, seen = there.new_page(), 0
        for path in self.pages:
            if "/measure/" not in path:
                continue
            page.goto(self.base + path)
            value = page.locator(".value:visible").first
            if not value.count():
                continue
            seen += 1
            box = value.bounding_box()
            with self.subTest(path):
                self.assertLess(box["y"] + box["height"], 844)
                self.assertLessEqual(page.locator("#work .button.is-frost:visible").count(), 1)
                sizes = page.evaluate(
                    "['#work h1', '.value'].map((s) => document.querySelector(s))"
                    ".map((e) => parseFloat(getComputedStyle(e).fontSize))"
                )
                self.assertLess(sizes[0], sizes[1])
        self.assertGreater(seen, 5)


def in_shares(name, ways):
    """A test for each share of the pages: one over all of them is too long to be watched."""
    for share in range(SHARES):

        def looks(self, share=share):
            self.assertEqual(self.looked_at(ways, share), [])

        setattr(EveryPage, f"test_{name}_share_{share + 1}", looks)


in_shares("at_the_desk", DESK)
in_shares("on_a_phone", PHONE)


if __name__ == "__main__":
    unittest.main()
