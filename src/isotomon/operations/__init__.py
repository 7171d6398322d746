"""What can be done with a body: a file for each operation. One that is put here is found, and works from then on in the window,
from scripts, on the command line, in the file and in its help, by what its fields say."""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Any

from isotomon.operations.base import Operation
from isotomon.operations.loading import records_in

_found = records_in(__name__, __path__, Operation)
OPERATIONS = dict(sorted(_found.items(), key=lambda pair: (pair[1].FAMILY, pair[1].PLACE, pair[0])))
"""Kind, as it stands in the file → operation, in the order in which they are offered."""
if TYPE_CHECKING:
    Step = Operation
else:
    Step: Any = reduce(or_, OPERATIONS.values())
