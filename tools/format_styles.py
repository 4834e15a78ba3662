"""Formats the style sheets that are written here.

python tools/format_styles.py [--check]

`--check` changes nothing and names what is not formatted.
"""

import argparse
import sys
from pathlib import Path

import cssbeautifier

STYLES = Path(__file__).resolve().parent.parent / "frosty_piston" / "web" / "static" / "css"


def formatted(source: str) -> str:
    """A style sheet with one declaration a line."""
    options = cssbeautifier.default_options()
    options.indent_size = 2
    options.newline_between_rules = False
    options.selector_separator_newline = False
    options.space_around_combinator = True
    options.end_with_newline = True
    return str(cssbeautifier.beautify(source, options))


def main() -> int:
    parser = argparse.ArgumentParser(description="Format the style sheets.")
    parser.add_argument("--check", action="store_true")
    args = parser.parse_args()
    wrong = 0
    for path in sorted(STYLES.glob("*.css")):
        source = path.read_text()
        new = formatted(source)
        if new != source:
            wrong += args.check
            print(f"{path}: {'not formatted' if args.check else 'formatted'}", file=sys.stderr)
            if not args.check:
                path.write_text(new)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
