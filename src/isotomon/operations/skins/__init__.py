"""Skins made from curves: a file for each way of making one. One that is put here is found, and works from then on in the window, from
scripts, on the command line, in the file and in its help, by what its fields say."""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Any

from isotomon.operations.loading import records_in
from isotomon.operations.skins.base import Making

_found = records_in(__name__, __path__, Making)
MAKINGS = dict(sorted(_found.items(), key=lambda pair: (pair[1].PLACE, pair[0])))
"""Kind, as it stands in the file → way of making a skin, in the order in which they are offered."""
if TYPE_CHECKING:
    MadeSkin = Making
else:
    MadeSkin: Any = reduce(or_, MAKINGS.values())
