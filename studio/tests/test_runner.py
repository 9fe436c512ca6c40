"""The line that sums up a run of tests."""

import unittest

from studio.tests.runner import summary


class Sums(unittest.TestCase):
    def run_of(self, *cases: type[unittest.TestCase]) -> str:
        suite, result = unittest.TestSuite(), unittest.TestResult()
        for case in cases:
            suite.addTests(unittest.defaultTestLoader.loadTestsFromTestCase(case))
        suite.run(result)
        return summary(result)

    def test_a_class_that_cannot_begin_and_tests_of_many_parts(self):
        class Never(unittest.TestCase):
            @classmethod
            def setUpClass(cls):
                raise RuntimeError

            def test_nothing(self):
                pass

        class Parts(unittest.TestCase):
            def test_both_parts_fail(self):
                for n in range(2):
                    with self.subTest(n=n):
                        self.fail()

            def test_right(self):
                pass

            @unittest.skip("not today")
            def test_left_out(self):
                pass

        self.assertEqual(self.run_of(Never), "0 passed, 1 failed, 0 skipped")
        self.assertEqual(self.run_of(Parts), "1 passed, 1 failed, 1 skipped")
        self.assertEqual(self.run_of(Never, Parts), "1 passed, 2 failed, 1 skipped")
