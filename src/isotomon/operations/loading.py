"""Records that are found by the files they stand in."""

from __future__ import annotations

import pkgutil
from collections.abc import Iterable
from importlib import import_module
from typing import TypeVar

from isotomon.quantity.record import Record

R = TypeVar("R", bound=Record)


def records_in(package: str, path: Iterable[str], base: type[R]) -> dict[str, type[R]]:
    """Kind, as it stands in the file → record, of every kind of a base that stands in a module of a package."""
    found: dict[str, type[R]] = {}
    for info in pkgutil.iter_modules(path):
        module = import_module(f"{package}.{info.name}")
        for thing in vars(module).values():
            if isinstance(thing, type) and issubclass(thing, base):
                kind = str(thing.__struct_config__.tag)
                if kind != thing.__name__:  # a common base, which says no kind of its own
                    found[kind] = thing
    return found
