"""Modules that are loaded when they are first used."""

from __future__ import annotations

import importlib
import importlib.util
import sys
from types import ModuleType
from typing import Any

#: What is compiled once for a machine, and loaded before threads or processes begin that need it.
COMPILED = ("armuto.kinematics.kernels", "armuto.formats.decimals", "armuto.rigging.kernels")


class _Lazy(ModuleType):
    """Stands for a module until something of it is asked for, and then passes on what is. Any number of threads may
    ask at once: they wait for one import. (The interpreter's own lazy loader lets all but one see a module half loaded
    before Python 3.12.)"""

    def __getattr__(self, name: str) -> Any:
        value = getattr(importlib.import_module(self.__name__), name)
        setattr(self, name, value)  # found by itself from now on
        return value


def lazily(name: str) -> ModuleType:
    """A module that is loaded when something of it is first asked for: large packages that a start does not need.

    Raises ModuleNotFoundError at once where the package it belongs to is missing.
    """
    if name in sys.modules:
        return sys.modules[name]
    # Looking for the module itself would load the packages above it, which is most of the work.
    if importlib.util.find_spec(name.partition(".")[0]) is None:
        raise ModuleNotFoundError(f"there is no module {name}", name=name)
    return _Lazy(name)


def load(*names: str) -> None:
    """Load modules now that were to be loaded lazily."""
    for name in names:
        importlib.import_module(name)
