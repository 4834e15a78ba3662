"""Lines of templates, styles and knowledge can be read without scrolling sideways, and code without
unfolding a choice inside a choice."""

import ast
import unittest
from pathlib import Path

import frosty_piston

MOST = 160
PACKAGE = Path(frosty_piston.__file__).parent


class LineLengths(unittest.TestCase):
    def test_no_line_is_longer_than_a_screen_is_wide(self):
        for kind in ("*.html", "*.css", "*.toml"):
            files = [path for path in sorted(PACKAGE.rglob(kind)) if "vendor" not in path.parts]
            long = [
                f"{path.relative_to(PACKAGE)}:{number}: {len(line)}"
                for path in files
                for number, line in enumerate(path.read_text("utf-8").split("\n"), 1)
                if len(line) > MOST
            ]
            self.assertGreater(len(files), 0, kind)
            self.assertEqual(long, [], kind)

    def test_no_choice_stands_inside_a_choice(self):
        chained = [
            f"{path.relative_to(PACKAGE)}:{node.lineno}"
            for path in sorted(PACKAGE.rglob("*.py"))
            for node in ast.walk(ast.parse(path.read_text("utf-8")))
            if isinstance(node, ast.IfExp) and any(isinstance(x, ast.IfExp) for x in (node.body, node.orelse))
        ]
        self.assertEqual(chained, [])


if __name__ == "__main__":
    unittest.main()
