"""Requests that nobody wrote by hand: none makes the server fail, and every answer is one that its document promises."""

import unittest
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from amber_ladder.api.app import create_app
from tests.support.station import database
from tests.support.takes import a_merge, shot_stack

_ENDLESS = {"/api/events", "/api/bench/live"}
_CHECKS = [status_code_conformance, content_type_conformance, response_schema_conformance]
"""A rail that does not answer (502) is no fault of the server's; what is (500) stands in no document."""
_PAIRS = {"/api/plan/by-hand"}
"""The checker reads arrays of unlike items (prefixItems) in the way of an older standard."""
_EXAMPLES = 12


class Document(unittest.TestCase):
    def test_no_request_that_fits_it_or_nearly_fits_it_is_answered_outside_it(self) -> None:
        database()
        a_merge(shot_stack().takes[0].id)
        schema = schemathesis.openapi.from_asgi("/api/openapi.json", create_app(), headers={"Host": "localhost"})
        tried = 0
        for found in schema.get_all_operations():
            operation: Any = found.ok()  # type: ignore[union-attr]
            if operation.path in _ENDLESS:
                continue
            with self.subTest(f"{operation.method} {operation.path}"):
                self.try_out(operation)
            tried += 1
        self.assertGreater(tried, 60)

    def try_out(self, operation: Any) -> None:
        @given(case=operation.as_strategy())
        @settings(
            max_examples=_EXAMPLES,
            derandomize=True,
            deadline=None,
            database=None,
            suppress_health_check=list(HealthCheck),
            phases=[Phase.explicit, Phase.generate],
        )
        def ask(case: Any) -> None:
            case.headers = {**(case.headers or {}), "Host": "localhost"}
            checks = [one for one in _CHECKS if operation.path not in _PAIRS or one is not response_schema_conformance]
            case.call_and_validate(checks=checks)

        ask()


if __name__ == "__main__":
    unittest.main()
