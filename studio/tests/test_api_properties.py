"""Requests that nobody wrote down: made from the API's own description, and none of them is an error of the server."""

import contextlib
import logging
import os
from typing import Any

import hypothesis
import schemathesis
from django.core.handlers.wsgi import WSGIHandler

from demo.serving import CSRF
from studio.changes.api import ending
from studio.tests.test_pairing import Pairing

EXAMPLES = int(os.environ.get("ARMUTO_TEST_EXAMPLES", "1"))  # per operation and mode
HEADERS = {"Host": "localhost", **CSRF}


class GeneratedRequests(Pairing):
    def setUp(self) -> None:
        super().setUp()
        logging.disable(logging.CRITICAL)  # refusals, a thousand of them
        self.addCleanup(logging.disable, logging.NOTSET)
        ending.set()  # a stream of events would go on
        self.addCleanup(ending.clear)

    def ask(self, operation: Any, mode: schemathesis.GenerationMode) -> int:
        """Requests that the description allows, or forbids. Returns how many."""
        tried = 0

        @hypothesis.given(case=operation.as_strategy(generation_mode=mode))
        @hypothesis.settings(
            max_examples=EXAMPLES,
            deadline=None,
            database=None,
            derandomize=True,
            phases=[hypothesis.Phase.generate],
            suppress_health_check=list(hypothesis.HealthCheck),
        )
        def check(case: Any) -> None:
            nonlocal tried
            tried += 1
            answer = case.call(headers=HEADERS)
            self.assertLess(
                answer.status_code, 500, f"{case.method} {case.path} {case.body!r}: {answer.content[:300]!r}"
            )

        with contextlib.suppress(hypothesis.errors.Unsatisfiable):  # nothing that the description forbids can be made
            check()
        return tried

    def test_no_operation_fails_on_what_its_description_allows_or_forbids(self) -> None:
        schema = schemathesis.openapi.from_wsgi("/api/openapi.json", WSGIHandler(), headers=HEADERS)
        tried = 0
        for result in schema.get_all_operations():
            operation = result.ok()
            for mode in schemathesis.GenerationMode:
                with self.subTest(operation=operation.label, mode=mode.name):
                    tried += self.ask(operation, mode)
        self.assertGreater(tried, 300)
