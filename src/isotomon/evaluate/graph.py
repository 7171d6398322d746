"""A design worked out: each thing when it is wanted, and once.

A node is a kind and a name; what works it out asks the graph for what it stands on. Its value, or why it has none, is kept. What
stands on itself is an error at the node where the circle closes; what was worked out above it without what it asked for is not
final, and not kept.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeVar

from isotomon.design.records import Design
from isotomon.errors import DesignError, IsotomonError
from isotomon.quantity import Quantity, resolve_numbers

T = TypeVar("T")
Key = tuple[str, str]
"""(kind, name)"""


class StandsOnItself(DesignError):
    """Something stands on itself."""


@dataclass(frozen=True)
class NoValue:
    """Why a node has no value."""

    error: IsotomonError


class Graph:
    """What has been worked out of one design so far. `called`: nodes in words, by their kinds; those of other kinds are left
    out of what is said of circles."""

    def __init__(self, design: Design, called: Mapping[str, Callable[[str], str]]) -> None:
        self.design = design
        self.counts: Counter[Key] = Counter()
        """How often each node was worked out."""
        self._called = called
        self._kept: dict[Key, Any] = {}
        self._trail: list[Key] = []
        self._loose: set[Key] = set()

    @cached_property
    def names(self) -> dict[str, Quantity]:
        """The named numbers."""
        return resolve_numbers([(n.name, n.value, n.kind) for n in self.design.numbers])

    def once(self, kind: str, name: str, work: Callable[[], T]) -> T:
        """The value of a node, which `work` works out when it is not known yet.

        Raises: IsotomonError, where it has none; Circle, where it stands on itself.
        """
        key = (kind, name)
        if key not in self._kept:
            if key in self._trail:
                self.loosen(kind, name)
                raise StandsOnItself(self._round(key))
            self._work_out(key, work)
        kept = self._kept[key] if key in self._kept else self._left.pop()
        if isinstance(kept, NoValue):
            raise kept.error
        return kept

    def _work_out(self, key: Key, work: Callable[[], Any]) -> None:
        self._trail.append(key)
        self.counts[key] += 1
        value: Any
        try:
            value = work()
        except IsotomonError as error:
            value = NoValue(error)
        finally:
            self._trail.pop()
        if key in self._loose:
            self._loose.discard(key)
            self._left.append(value)
        else:
            self._kept[key] = value

    @cached_property
    def _left(self) -> list[Any]:
        """A value that is given once and not kept."""
        return []

    def take_over(self, other: Graph, which: Callable[[Key, object], bool]) -> None:
        """Know what another graph knows: nodes by their keys and values."""
        known = dict(other._kept)  # another thread may work on it
        self._kept |= {key: value for key, value in known.items() if which(key, value)}

    def is_under_way(self, kind: str, name: str) -> bool:
        """Whether a node is being worked out now, so that it cannot be asked for."""
        return (kind, name) in self._trail

    def loosen(self, kind: str, name: str) -> None:
        """Nothing is kept of what is being worked out above a node that is under way, since it does without that node."""
        self._loose.update(self._trail[self._trail.index((kind, name)) + 1 :])

    def keep(self, kind: str, name: str, value: object) -> None:
        """A node that is known already."""
        self._kept[kind, name] = value

    def _round(self, key: Key) -> str:
        trail = self._trail[self._trail.index(key) :]
        names = [self._called[kind](name) for kind, name in trail if kind in self._called]
        return f"these stand on each other in a circle: {' → '.join([*names, *names[:1]])}; pick something else for one of them"
