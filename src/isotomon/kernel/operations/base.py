"""What a piece of kernel work is given, and what it makes."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from importlib import import_module
from pkgutil import iter_modules

from numpy.typing import NDArray

from isotomon.errors import SolidError
from isotomon.kernel import operations
from isotomon.kernel.making import NamedShape
from isotomon.kernel.volumes import Lump


@dataclass(frozen=True, eq=False)
class Given:
    """The bodies, the one worked on first; what else it needs by name; and how near to what is meant it has to come (mm).
    `lump`: the mesh of the body with that number."""

    bodies: Sequence[NamedShape]
    arrays: Mapping[str, NDArray]
    values: Mapping[str, float | str | bool]
    tolerance: float
    lump: Callable[[int], Lump]
    seconds: float
    """For all of it."""


@dataclass(frozen=True, eq=False)
class MadeBody:
    """A body. `united`: mm³ of copies that overlap, what lies in several of them once. `told`: what its maker has to say of it."""

    body: NamedShape
    united: float | None = None
    told: tuple[str, ...] = ()


def names() -> list[str]:
    """Of all pieces of work that there are."""
    return [module.name for module in iter_modules(operations.__path__) if module.name != "base"]


def load(operation: str) -> Callable[[Given], MadeBody]:
    """A piece of work by its name, with all that it is made with. Raises: SolidError."""
    if not operation.isidentifier():
        raise SolidError(f"'{operation}' is no kernel work; rebuild the solids")
    work: Callable[[Given], MadeBody] = import_module(f"isotomon.kernel.operations.{operation}").apply
    return work


def apply(operation: str, given: Given) -> MadeBody:
    """Do a piece of work.

    Raises: SolidError, where it cannot be done.
    """
    return load(operation)(given)
