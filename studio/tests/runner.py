"""Django's test runner, told where the tests are and in what mood they run."""

import unittest

from django.conf import settings
from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Runs the core's and the demo's tests with the studio's, and tasks on the spot unless a test says otherwise."""

    def __init__(self, **kwargs):
        kwargs.setdefault("pattern", "test_*.py")
        super().__init__(**kwargs)

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        settings.TASKS = {"default": {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend"}}

    def build_suite(self, test_labels=None, **kwargs):
        return super().build_suite(test_labels or ["armuto", "demo", "studio"], **kwargs)

    def run_suite(self, suite, **kwargs) -> unittest.TestResult:
        result = super().run_suite(suite, **kwargs)
        failed = len(result.failures) + len(result.errors)
        skipped = len(result.skipped)
        print(f"{result.testsRun - failed - skipped} passed, {failed} failed, {skipped} skipped")
        return result
