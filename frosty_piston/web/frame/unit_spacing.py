"""No figure parts from its unit in the text of a page; what stands in a tag or in a field stays as it is."""

import re
from typing import Any

from jinja2.ext import Extension

from frosty_piston.core.words import UNITS, bound

EXPRESSION = re.compile(r"(\{\{.*?\}\}|\{%.*?%\}|\{#.*?#\})", re.S)
TAGS = re.compile(r"(<[^>]*>?)")
BEGINS = re.compile(rf"^ (?=(?:{UNITS})(?![\w³]))")
PLACE = re.compile(r"<(/?)([a-zA-Z][a-z0-9]*)?|>|[\"']")


class Untied(str):
    """Text that is not read as a sentence: an attribute, a path, what was typed."""


def untied(value: Any) -> Any:
    return Untied(value) if type(value) is str else value


def tied(value: Any) -> Any:
    """What every expression of a page goes through."""
    return bound(value) if type(value) is str and " " in value else value


def _tied_words(part: str, within: bool) -> str:
    """What a template says itself: a unit that follows an expression, and figures in its sentences."""
    head, sign, part = part.partition(">") if within else ("", "", part)
    words = TAGS.split(part if within else BEGINS.sub("\u00a0", part))
    return head + sign + "".join(bound(x) if n % 2 == 0 else x for n, x in enumerate(words))


class _Place:
    """Where in a page a template stands: in a tag, in a quoted attribute, in a field that holds text."""

    def __init__(self) -> None:
        self.tag = False
        self.quote = ""
        self.field = False

    def read(self, html: str) -> None:
        for sign in PLACE.finditer(html):
            found = sign[0]
            if self.quote:
                self.quote = "" if found == self.quote else self.quote
            elif self.tag and found in ("'", '"'):
                self.quote = found
            elif found.startswith("<"):
                self.tag = True
                self.field = sign[2] == "textarea" and not sign[1]
            elif found == ">":
                self.tag = False


class UnitSpacing(Extension):
    """Marks, as a template is compiled, every expression that stands in a tag or a field."""

    def preprocess(self, source: str, name: str | None, filename: str | None = None) -> str:
        place = _Place()
        parts = EXPRESSION.split(source)
        page = not (name or "").endswith(".js")
        for n, part in enumerate(parts):
            if n % 2 == 0:
                parts[n] = _tied_words(part, place.tag) if page and not place.field else part
                place.read(part)
            elif part.startswith("{{") and (place.tag or place.field):
                opens = 3 if part[2] in "-+" else 2
                closes = 3 if part[-3] in "-+" else 2
                asked = part[opens:-closes]
                parts[n] = f"{part[:opens]} ({asked}) | untied {part[-closes:]}"
        return "".join(parts)
