"""Every example in the core's docstrings runs, and every public function has one and names its figures."""

import ast
import doctest
import importlib
import pkgutil
import re
import unittest
from pathlib import Path

import frosty_piston.core
from frosty_piston.job import units
from frosty_piston.job.day import solver
from frosty_piston.job.weighing import proof_evidence
from frosty_piston.web.job import waits


def core_modules():
    for info in pkgutil.walk_packages(frosty_piston.core.__path__, "frosty_piston.core."):
        yield importlib.import_module(info.name)


def load_tests(loader, tests, pattern):
    for module in [*core_modules(), solver, units, proof_evidence, waits]:
        tests.addTests(doctest.DocTestSuite(module))
    return tests


def public_functions(tree):
    """Every public function and method of a module, without properties and private classes."""
    for node in tree.body:
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            yield from public_functions(node)
        public = isinstance(node, ast.FunctionDef) and not node.name.startswith("_")
        if public and not any("property" in ast.unparse(d) for d in node.decorator_list):
            yield node


def is_figure(annotation):
    """Whether a parameter is a number or an array of them."""
    said = ast.unparse(annotation) if annotation is not None else ""
    return bool(re.search(r"\b(float|ndarray|Array)\b", said))


class Docstrings(unittest.TestCase):
    def test_every_public_function_has_an_example_and_says_what_its_figures_are(self):
        silent = []
        for module in core_modules():
            for node in public_functions(ast.parse(Path(module.__file__).read_text())):
                prose, example, _ = (ast.get_docstring(node) or "").partition(">>>")
                figures = [a.arg for a in (*node.args.args, *node.args.kwonlyargs) if is_figure(a.annotation)]
                lacks = [name for name in figures if not re.search(rf"\b{name}\b", prose)]
                lacks += [] if example else ["an example"]
                if lacks:
                    silent.append(f"{module.__name__}.{node.name}: {', '.join(lacks)}")
        self.assertEqual(silent, [])
