"""Figures keep their units in sentences, and nothing else of a page is touched."""

import re
import unittest

from frosty_piston.job.tape import jobfile
from frosty_piston.rig.demo.repairs import demo_jobs
from frosty_piston.store.timestamps import now
from frosty_piston.web.frame.page import templates
from tests.web.test_api import WithClient

SIGN = "\u00a0"


def shown(template, **context):
    return templates().from_string(template).render(**context)


class Tied(unittest.TestCase):
    def test_sentences_are_tied(self):
        said = shown("<p>{{ x }}</p>", x="12.4 V at 2 000 rpm")
        self.assertEqual(said, "<p>12.4\u00a0V at 2\u00a0000\u00a0rpm</p>")
        self.assertEqual(shown('<p title="a > b">{{ x }}</p>', x="3 km"), '<p title="a > b">3\u00a0km</p>')

    def test_units_that_the_template_says_are_tied(self):
        for template, says in (
            ("<p>{{ x }} min</p>", "<p>5\u00a0min</p>"),
            ("<p>{{ x }} % of it</p>", "<p>5\u00a0% of it</p>"),
            ("<p>{{ x }} sets</p>", "<p>5 sets</p>"),
            ("<b>{{ x }}</b> 3 V, 3 valves", "<b>5</b> 3\u00a0V, 3 valves"),
            (
                '<svg viewBox="0 0 100 200" d="{{ x }} 100 200">{{ x }}</svg>',
                '<svg viewBox="0 0 100 200" d="5 100 200">5</svg>',
            ),
            ('<i a="{{ x }}" b="3 V">3 V</i>', '<i a="5" b="3 V">3\u00a0V</i>'),
            ("<textarea>{{ x }} V</textarea>", "<textarea>5 V</textarea>"),
        ):
            with self.subTest(template):
                self.assertEqual(shown(template, x="5"), says)

    def test_attributes_and_fields_are_not(self):
        for template in (
            '<path d="{{ x }}"/>',
            '<input value="{{ x if y }}">',
            "<textarea rows='4'>{{ x }}</textarea>",
            '<b {% if y %}class="q {{- x -}} "{% endif %}>',
            '<a title="it\'s {{ x }}">',
        ):
            with self.subTest(template):
                said = shown(template, x="M222 336 12 V", y=True)
                self.assertIn("M222 336 12 V", said)
                self.assertNotIn(SIGN, said)
        self.assertIn("&lt;b&gt;", shown('<i title="{{ x }}">', x="<b>"))
        self.assertEqual(shown('<i title="{{ x if y }}">', x="<b>", y=False), '<i title="">')

    def test_after_a_field_sentences_are_tied_again(self):
        said = shown("<textarea>{{ x }}</textarea><p>{{ x }}</p>", x="3 km")
        self.assertEqual(said, "<textarea>3 km</textarea><p>3\u00a0km</p>")


class Pages(WithClient):
    def test_no_drawing_of_the_main_pages_holds_a_tied_figure(self):
        for model in demo_jobs(now()):
            self.workshop.tapes.add_file(jobfile.check(model, self.workshop.knowledge))
        for page in ("plan", "measure/glow", "measure/turbo", "narrow", "decide", "prove", "report"):
            with self.subTest(page):
                html = self.client.get(f"/jobs/demo-van-3/{page}").content.decode()
                drawn = re.findall(r'\s(?:d|points|transform|viewBox)="([^"]*)"', html)
                self.assertFalse([d for d in drawn if SIGN in d])
