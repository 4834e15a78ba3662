"""The report on paper: the owner's page is one page however much there is, the fonts are in the file, a
screen reader finds its parts, and nothing typed is read as markup."""

import html
import io
import json
import unittest
from typing import Any

from pypdf import PdfReader

from frosty_piston.job.afterwards.report import LONGEST_LINE, MOST_LINES, shortened
from frosty_piston.web.job.report import sheet
from tests.cases import MODERN, code, context, entry, job_file, plugs, scan, symptom
from tests.web.test_api import WithClient

RECORD = "Record for the next technician"


def crowded() -> list[dict[str, Any]]:
    """A tape with more of everything than one page of the usual print holds."""
    long = "It started badly on the second cold morning of the week and has done so ever since. "
    return [
        entry("complaint", text=long * 12),
        *(symptom(s) for s in ("hard_start_cold", "white_smoke_start", "limp_mode", "rough_idle_cold")),
        *(context(c) for c in ("short_trips", "filter_neglected", "dusty_use")),
        *(
            entry("warning", text=long * 2, urgency=u)
            for u in ("watch", "soon", "stop", "soon", "soon", "watch")
        ),
        *(code(c) for c in ("P0562", "P0672", "U0100", "C1234", "B1000", "B1001", "B1002")),
        scan(),
        *plugs([1.0, "OL", 1.9, "OL"]),
        *(
            entry(
                "action",
                action="replaced",
                what=f"glow plug {n}, with the seal and the terminal",
                repair="glow_plugs",
                cylinders=[n],
            )
            for n in (1, 2, 3, 4)
        ),
        *plugs([1.0, 1.0, 1.02, 1.01]),
        *(
            entry("proof_step", step="clear", repair="glow_plugs", result="could_not", reason=long * 2)
            for _ in range(3)
        ),
    ]


def text_of(page: Any) -> str:
    return " ".join(page.extract_text().replace("\xa0", " ").split())


class OnPaper(WithClient):
    def paper(self, *entries: dict[str, Any]) -> PdfReader:
        self.workshop.tapes.import_file(
            json.dumps(job_file(*entries, engine=MODERN, job_id="paper")).encode()
        )
        answer = self.client.get("/jobs/paper/report.pdf")
        self.assertEqual((answer.status_code, answer.headers["content-type"]), (200, "application/pdf"))
        return PdfReader(io.BytesIO(answer.content))

    def test_the_owners_page_stays_one_page_with_much_and_with_little(self):
        for entries in (crowded(), []):
            with self.subTest(len(entries)):
                self.setUp()
                read = self.paper(*entries)
                first, second = text_of(read.pages[0]), text_of(read.pages[1])
                self.assertNotIn(RECORD, first)
                self.assertTrue(second.startswith(RECORD), second[:80])
                self.assertIn("Cost", first)

    def test_what_the_owners_page_leaves_out_stands_whole_in_the_record(self):
        read = self.paper(*crowded())
        first, behind = text_of(read.pages[0]), " ".join(text_of(p) for p in read.pages[1:])
        self.assertIn("more; they stand in the record", first)
        self.assertIn("Complaint, whole", behind)
        self.assertIn("Stop: do not drive", first)

    def test_fonts_are_in_the_file_and_it_is_tagged(self):
        read = self.paper(*crowded())
        self.assertTrue(read.trailer["/Root"]["/MarkInfo"]["/Marked"])
        self.assertEqual(read.trailer["/Root"]["/Lang"], "en-GB")
        fonts = [f.get_object() for p in read.pages for f in p["/Resources"]["/Font"].values()]
        self.assertGreater(len(fonts), 3)
        for font in fonts:
            below = font["/DescendantFonts"][0].get_object()["/FontDescriptor"]
            self.assertTrue({"/FontFile2", "/FontFile3"} & set(below), font["/BaseFont"])

    def test_what_was_typed_is_never_markup(self):
        typed = '#pagebreak() *bold* $x$ #read("report.typ") <b>&amp;</b> \\ @ref'
        self.assertIn(typed, text_of(self.paper(entry("complaint", text=typed)).pages[0]))

    def test_signs_that_no_font_has_are_question_marks(self):
        typed = "Runs on \U0010aa35 日 after the key"
        self.assertIn(
            "Runs on ? ? after the key", text_of(self.paper(entry("complaint", text=typed)).pages[0])
        )

    def test_page_and_pdf_say_the_same(self):
        self.paper(*crowded())
        record = self.workshop.tapes.job("paper")
        page = self.client.get("/jobs/paper/report").text.replace("\xa0", " ")
        laid = sheet(record, self.workshop)
        for part in (*laid["head"], *laid["parts"]):
            self.assertIn(part["title"], page)
        for part in laid["parts"]:
            self.assertLessEqual(len(part["lines"]), MOST_LINES + 2)
            for line in part["lines"]:
                self.assertIn(line.replace("\xa0", " "), html.unescape(page))

    def test_lines_are_cut_between_words(self):
        for text, says in (
            ("short", "short"),
            ("a" * LONGEST_LINE, "a" * LONGEST_LINE),
            ("word " * 60, ("word " * 47).strip() + "…"),
            ("a" * (LONGEST_LINE + 1), "a" * (LONGEST_LINE - 1) + "…"),
        ):
            with self.subTest(text[:9]):
                self.assertEqual(shortened(text), says)
                self.assertLessEqual(len(shortened(text)), LONGEST_LINE)


if __name__ == "__main__":
    unittest.main()
