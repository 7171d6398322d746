"""Skins made from curves: a file for each way of making one. One that is put here is found, and works from then on in the window, from
scripts, on the command line, in the file and in its help, by what its fields say."""

from __future__ import annotations

import pkgutil
from functools import reduce
from importlib import import_module
from operator import or_
from typing import TYPE_CHECKING, Any

from isotomon.operations.skins.base import Making


def _found() -> dict[str, type[Making]]:
    """Kind → way of making, of every file here."""
    found: dict[str, type[Making]] = {}
    for info in pkgutil.iter_modules(__path__):
        module = import_module(f"{__name__}.{info.name}")
        for thing in vars(module).values():
            if isinstance(thing, type) and issubclass(thing, Making) and thing is not Making:
                found[str(thing.__struct_config__.tag)] = thing
    return dict(sorted(found.items(), key=lambda pair: (pair[1].PLACE, pair[0])))


MAKINGS = _found()
"""Kind, as it stands in the file → way of making a skin, in the order in which they are offered."""
if TYPE_CHECKING:
    MadeSkin = Making
else:
    MadeSkin: Any = reduce(or_, MAKINGS.values())
