"""Django's test runner, told where the tests are and in what mood they run."""

import unittest
from importlib import import_module

from django.apps import apps
from django.conf import settings
from django.db.models.signals import post_migrate
from django.test import override_settings
from django.test.runner import DiscoverRunner

from armuto.lazy import COMPILED, load


class Runner(DiscoverRunner):
    """Runs the core's and the demo's tests with the studio's, and tasks on the spot unless a test says otherwise."""

    def __init__(self, **kwargs):
        kwargs.setdefault("pattern", "test_*.py")
        super().__init__(**kwargs)

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        load(*COMPILED)  # no test waits for them
        settings.STAGE_TRIANGLES = 2_000  # nothing but the processor draws them
        # A live server has a thread for each connection of a browser, which can keep its own to the data file.
        settings.DATABASES["default"]["CONN_MAX_AGE"] = 60
        # Overridden, so that a backend that was made while the apps began is made anew.
        override_settings(TASKS={"default": {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend"}}).enable()
        # A test that empties the tables takes away what migrations put in; it is there again for the next.
        post_migrate.connect(_add_shipped_patterns, sender=apps.get_app_config("patterns"))

    def build_suite(self, test_labels=None, **kwargs):
        return super().build_suite(test_labels or ["armuto", "demo", "studio"], **kwargs)

    def run_suite(self, suite, **kwargs) -> unittest.TestResult:
        result = super().run_suite(suite, **kwargs)
        print(summary(result))
        return result


def _add_shipped_patterns(**_: object) -> None:
    import_module("studio.patterns.migrations.0002_shipped").add_shipped_patterns(apps, None)


def summary(result: unittest.TestResult) -> str:
    """The line that sums a run up. A class that cannot begin counts as a failure, and a test that fails in several
    parts."""
    faults = {_test_of(test) for test, _ in (*result.failures, *result.errors)} | {*result.unexpectedSuccesses}
    begun = {test for test in faults if isinstance(test, unittest.TestCase)}
    skipped = len(result.skipped)
    passed = max(0, result.testsRun - len(begun) - skipped)
    return f"{passed} passed, {len(faults)} failed, {skipped} skipped"


def _test_of(test: object) -> object:
    """The test that a part of it belongs to."""
    return getattr(test, "test_case", test)
