"""What all records share."""

from __future__ import annotations

import math
from typing import Annotated, Any

import msgspec

from isotomon.errors import DesignError

Id = str
Pair = tuple[float, float]
REFERENCE, FORMULA = "reference", "formula"
Ref = Annotated[str, REFERENCE]
"""Another thing of the design, by its id, or a part of it (`s4/upper`); empty for none."""
Formula = Annotated[str, FORMULA]

WHOLE = frozenset({"version", "sides", "rank", "degree", "sector", "nth", "turns", "place", "count"})
"""Fields that hold whole numbers; every other number is a float."""


class Record(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The common base of all records. Numbers are normalised, so that equal designs give equal bytes."""

    def __post_init__(self) -> None:
        for name in self.__struct_fields__:
            value = _plain(self, name, getattr(self, name))
            if type(value) is int and name not in WHOLE and not (name == "points" and type(self).__name__ == "Star"):
                value = float(value)
                msgspec.structs.force_setattr(self, name, value)
            if type(value) is float:
                if not math.isfinite(value):
                    raise DesignError(f"{name} must be a finite number, found {value}")
                if value == 0.0:
                    msgspec.structs.force_setattr(self, name, 0.0)


def _plain(record: Record, name: str, value: Any) -> Any:
    """A field's value with array libraries' numbers, alone or side by side, made the language's own, which can be saved."""
    if type(value).__module__ == "numpy" and hasattr(value, "item"):
        plain = value.item()
    elif type(value) is tuple and any(type(x).__module__ == "numpy" for x in value):
        plain = tuple(x.item() if hasattr(x, "item") else x for x in value)
    else:
        return value
    msgspec.structs.force_setattr(record, name, plain)
    return plain


def clean_pairs(record: Record, name: str) -> None:
    """Normalise a tuple of pairs in place while its record is made: no -0.0, nothing infinite."""
    pairs = tuple((float(x) + 0.0, float(y) + 0.0) for x, y in getattr(record, name))
    if not all(math.isfinite(x) and math.isfinite(y) for x, y in pairs):
        raise DesignError(f"{name} must be finite numbers")
    msgspec.structs.force_setattr(record, name, pairs)
