"""What all records share."""

from __future__ import annotations

import math
import re
import typing
from collections.abc import Iterator
from functools import lru_cache
from typing import Annotated, Any

import msgspec

from isotomon.errors import DesignError

Id = str
Pair = tuple[float, float]
FORMULA = "formula"
_HEAD = re.compile(r"[/:@]")


class Ref(str):
    """Another thing of the design, or a part of it, read once, when its record is made: `s4/upper` is the part `upper` of the
    thing `s4`; empty for none. In files and messages it is its text."""

    __slots__ = ("part", "thing")
    thing: str
    """The id of what is referred to, or of which a part is."""
    part: str
    """Which part; empty for the whole."""

    def __new__(cls, text: str) -> Ref:
        if isinstance(text, Ref):
            return text
        made = super().__new__(cls, text)
        made.thing, made.part = _HEAD.split(text, maxsplit=1)[0], text.partition("/")[2]
        return made

    def __reduce__(self) -> tuple[type[Ref], tuple[str]]:
        return Ref, (str(self),)


def refs(*texts: str) -> tuple[Ref, ...]:
    """Several references."""
    return tuple(Ref(text) for text in texts)


def usual(text: str) -> Any:
    """A field's reference where none is said: its text, which the record reads as it is made, and the schema can show."""
    return text


def from_text(kind: type, value: Any) -> Any:
    """For decoders: a reference from its text. Raises: ValueError, for anything else."""
    if kind is Ref and isinstance(value, str):
        return Ref(value)
    raise ValueError(f"expected {kind.__name__}")


def plain_text(value: Any) -> str:
    """For encoders: a reference as its text. Raises: TypeError, for anything else."""
    if isinstance(value, Ref):
        return str(value)
    raise TypeError(f"{type(value).__name__} cannot be written")


Formula = Annotated[str, FORMULA]

WHOLE = frozenset({"version", "sides", "rank", "degree", "sector", "nth", "turns", "place", "count", "spans"})
"""Fields that hold whole numbers; every other number is a float."""


class Record(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The common base of all records. Numbers are normalised, so that equal designs give equal bytes."""

    def __post_init__(self) -> None:
        for name in reference_fields(type(self)):
            msgspec.structs.force_setattr(self, name, _as_references(getattr(self, name)))
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


@lru_cache(maxsize=512)
def reference_fields(kind: type) -> tuple[str, ...]:
    """The fields of a kind of record that hold references, alone or in tuples."""
    hints = typing.get_type_hints(kind)
    return tuple(name for name in kind.__struct_fields__ if Ref in leaves_of(hints[name]))  # type: ignore[attr-defined]


def leaves_of(hint: Any) -> Iterator[Any]:
    """The plain types that a field's type is made of, and the marks put on them."""
    yield from getattr(hint, "__metadata__", ())
    inner = typing.get_args(hint)
    if not inner:
        yield hint
    for one in inner:
        yield from leaves_of(one)


def _as_references(value: Any) -> Any:
    if isinstance(value, tuple):
        return tuple(_as_references(item) for item in value)
    return Ref(value) if isinstance(value, str) else value


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
