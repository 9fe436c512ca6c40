"""The examples in the core's docstrings run as they stand there."""

import doctest
import importlib
import pkgutil
import unittest

import armuto


class Examples(unittest.TestCase):
    def test_all_of_them_run(self):
        ran = 0
        for module in pkgutil.walk_packages(armuto.__path__, "armuto."):
            if ".tests" in module.name or module.name.endswith(("usd_reader", "preloaded")):
                continue
            with self.subTest(module.name):
                result = doctest.testmod(importlib.import_module(module.name), optionflags=doctest.ELLIPSIS)
                self.assertEqual(result.failed, 0)
                ran += result.attempted
        self.assertGreater(ran, 20)
