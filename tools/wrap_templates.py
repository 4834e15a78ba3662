"""Wraps long template lines where a line break changes nothing on the page.

    python tools/wrap_templates.py [--check] [folder]

A break goes between two attributes of a tag, between two words of an expression, before a cell, an option or
a shape of a drawing, or, where none is near, between two words of running text. Strings, attribute values,
scripts and preformatted text are never broken.
`--check` changes nothing and names each file with a line that is still too long.
"""

import argparse
import re
import sys
from pathlib import Path

TEMPLATES = Path(__file__).resolve().parent.parent / "frosty_piston" / "web" / "templates"
WIDTH = 120
MOST = 160
INDENT = 4
RAW = ("script", "style", "pre", "textarea")
TAG, EXPRESSION, WORDS, TEXT, KEPT = "tag", "expression", "words", "text", "kept"
_OPENS = {"{{": "}}", "{%": "%}", "{#": "#}"}
# White space before these is no white space on the page.
_APART = re.compile(
    r"<(td|th|tr|tbody|option|rect|text|tspan|line|path|polyline|polygon|circle|use|g|defs)\b"
)
_TAG_NAME = re.compile(r"<(/?)([a-zA-Z][\w-]*)")


def places(source: str) -> list[str]:
    """What stands at each sign of a template: inside a tag, an expression, running text, or kept as it is."""
    held: list[str] = []
    within, quote, raw, closes = TEXT, "", "", ""
    outer = (TEXT, "")
    at = 0
    while at < len(source):
        pair = source[at : at + 2]
        sign = source[at]
        if closes:
            if not quote and pair == closes:
                held += [KEPT, KEPT]
                at += 2
                closes = ""
                within, quote = outer
                continue
            if sign in "'\"" and closes != "#}":
                quote = "" if quote == sign else quote or sign
            held.append(KEPT if quote else EXPRESSION)
        elif pair in _OPENS:
            outer, closes, quote = (within, quote), _OPENS[pair], ""
            held += [KEPT, KEPT]
            at += 2
            continue
        elif within == TAG:
            if quote:
                quote = "" if sign == quote else quote
                held.append(KEPT)
            elif sign in "'\"":
                quote = sign
                held.append(KEPT)
            else:
                held.append(KEPT if sign in "<>" else TAG)
                within = TEXT if sign == ">" else TAG
        elif (named := _TAG_NAME.match(source, at)) and (not raw or named.group(2).lower() == raw):
            name = named.group(2).lower()
            raw = "" if named.group(1) else name if name in RAW else raw
            within = TAG
            held += [KEPT] * len(named.group(0))
            at += len(named.group(0))
            continue
        else:
            held.append(KEPT if raw else TEXT)
        at += 1
    return held


def _kind(line: str, held: list[str], at: int) -> str | None:
    """What a break before or instead of this sign would lie in; none where it would change the page."""
    before = line[:at].rstrip()
    if _APART.match(line, at) and before.endswith((">", "%}")):
        return TAG
    if line[at] != " " or held[at] == KEPT or line[at + 1] == " ":
        return None
    if held[at] == TEXT and (before.endswith(("%}", "#}")) or line[at + 1 : at + 3] in ("{%", "{#")):
        return None
    if held[at] == EXPRESSION and not before.endswith((",", "(", "[")):
        return WORDS
    return held[at]


def _best_break(line: str, held: list[str], start: int) -> int | None:
    """Where to break a line: the last good place before the width, else the first one after it."""
    good = [(at, kind) for at in range(start + 1, len(line) - 1) if (kind := _kind(line, held, at))]
    for wanted in ((TAG, EXPRESSION), (TAG, EXPRESSION, WORDS), (TAG, EXPRESSION, WORDS, TEXT)):
        near = [at for at, kind in good if kind in wanted and WIDTH // 2 <= at <= WIDTH]
        if near:
            return near[-1]
    return next((at for at, _ in good if at > WIDTH // 2), None)


def wrapped(source: str) -> str:
    """A template with its long lines broken."""
    held = places(source)
    lines, at = [], 0
    for given in source.split("\n"):
        line, here = given, held[at : at + len(given)]
        at += len(given) + 1
        indent = len(line) - len(line.lstrip(" "))
        deeper = " " * (indent + INDENT)
        start = indent
        while len(line) > WIDTH and (cut := _best_break(line, here, start)) is not None:
            lines.append(line[:cut].rstrip(" "))
            rest = cut + (line[cut] == " ")
            line, here = deeper + line[rest:], [KEPT] * len(deeper) + here[rest:]
            start = len(deeper)
        lines.append(line)
    return "\n".join(lines)


def main() -> int:
    parser = argparse.ArgumentParser(description="Wrap long template lines.")
    parser.add_argument("folder", nargs="?", type=Path, default=TEMPLATES)
    parser.add_argument("--check", action="store_true")
    args = parser.parse_args()
    long = 0
    for path in sorted(args.folder.rglob("*.html")):
        source = path.read_text()
        new = source if args.check else wrapped(source)
        if new != source:
            path.write_text(new)
        for number, line in enumerate(new.split("\n"), 1):
            if len(line) > MOST:
                long += 1
                print(f"{path}:{number}: {len(line)} signs, {MOST} at most", file=sys.stderr)
    return 1 if long else 0


if __name__ == "__main__":
    sys.exit(main())
