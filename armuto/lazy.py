"""Modules that are loaded when they are first used."""

from __future__ import annotations

import importlib.util
import sys
from types import ModuleType

#: What is compiled once for a machine, and loaded before threads or processes begin that need it.
COMPILED = ("armuto.kinematics.kernels", "armuto.formats.decimals")


def lazily(name: str) -> ModuleType:
    """A module that is loaded when something of it is first asked for: large packages that a start does not need.

    Raises ModuleNotFoundError at once where there is none. Processes with several threads load it before these start
    (:func:`load`).
    """
    if name in sys.modules:
        return sys.modules[name]
    spec = importlib.util.find_spec(name)
    if name in sys.modules:  # the packages above it, which that has imported, have asked for it too
        return sys.modules[name]
    if spec is None or spec.loader is None:
        raise ModuleNotFoundError(f"there is no module {name}", name=name)
    loader = importlib.util.LazyLoader(spec.loader)
    spec.loader = loader
    module = importlib.util.module_from_spec(spec)
    sys.modules[name] = module
    loader.exec_module(module)
    return module


def load(*names: str) -> None:
    """Load modules now that were to be loaded lazily."""
    for name in names:
        _ = lazily(name).__name__
