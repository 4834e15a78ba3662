"""The API keeps to its own description: requests are made from it, and each answer is held against it. Long:
the package that makes them is installed with `./piston test --long`."""

import os
import tempfile
import unittest

from hypothesis import HealthCheck, Phase, given, seed, settings

from frosty_piston.store.database import open_database
from frosty_piston.store.workshop import Workshop
from frosty_piston.web.frame.app import create_app
from tests.made import demo_into

EXAMPLES = 60
SEED = int(os.environ.get("PISTON_SEED", "20261126"))


@unittest.skipUnless(os.environ.get("PISTON_LONG"), "long: every operation of the API from its description")
class Contract(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        workshop = Workshop(open_database(demo_into(folder.name)))
        self.addCleanup(workshop.close)
        self.app = create_app(workshop)

    def test_every_operation_answers_as_it_says(self):
        import schemathesis
        from schemathesis.specs.openapi.checks import positive_data_acceptance as taken_by_shape_alone

        described = schemathesis.openapi.from_asgi("/api/v1/openapi.json", self.app)
        count = 0
        for found in described.get_all_operations():
            operation = found.ok()
            with self.subTest(operation=operation.label):
                self.asks(operation, [taken_by_shape_alone])
            count += 1
        self.assertGreater(count, 5)

    def asks(self, operation, unheld):
        """Whether a test or a fault is known stands in the knowledge, which no shape can say: `unheld`."""

        @seed(SEED)
        @settings(
            max_examples=EXAMPLES,
            deadline=None,
            database=None,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(operation.as_strategy())
        def kept(case):
            case.call_and_validate(excluded_checks=unheld)

        kept()


if __name__ == "__main__":
    unittest.main()
