"""Which edges of a body something is done with: by where they are, so that the choice stays right when the body changes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from isotomon.errors import DesignError, FieldError
from isotomon.field.section_field import SectionField
from isotomon.operations.base import Says
from isotomon.quantity.record import Id, Ref

Edges = Annotated[tuple[Ref, ...], Says("Edges", "edges")]
"""Of bodies, by their ids: `b1/all`, `b1/along` the body, `b1/along:NAME` through that corner, `b1/first-rim`, `b1/last-rim`,
`b1/face:NAME` or `b1/first` all about a face or an end, `b2/meets` where that body meets this one, `b1/edge:A|B` where two faces
meet, by their lasting names."""
ENDS, RIMS = ("first", "last"), ("first-rim", "last-rim")


Without = Annotated[tuple[Ref, ...], Says("Left out", "edges", tip="Of those chosen by a rule")]
"""The same, of edges that are left out."""


def edge_choices(edges: Sequence[Ref], own: Id, without: Sequence[Ref] = ()) -> str:
    """What is asked of the kernel for a choice of edges `without` some, a line each; `own`: the body whose step it is.

    Raises: DesignError, for no edges, and for what is no edge.
    """
    if not edges:
        raise DesignError("no edges are chosen; choose some in the View, or by a rule")
    return "\n".join([*(_choice(ref, own) for ref in edges), *(f"without {_choice(ref, own)}" for ref in without)])


def corners_along(field: SectionField, ref: Ref) -> list[int]:
    """The lanes that begin at the corners along a body that are meant.

    Raises: FieldError, for what is no edge along it, or not one.
    """
    kind, _, name = ref.part.partition(":")
    lanes = field.common.lanes
    if kind != "along":
        raise FieldError("not along the body")
    starts = {lane.columns.start: k for k, lane in enumerate(lanes)}
    return (
        [starts[field.names.column(name)]] if name else [k for k, lane in enumerate(lanes) if not lane.basis.periodic]
    )


def _choice(ref: Ref, own: Id) -> str:
    kind, _, rest = ref.part.partition(":")
    mark = "" if ref.thing == own else f"{ref.thing}: "
    if kind == "all":
        return "all"
    if kind == "meets" and mark:
        return f"meets {mark}"
    if kind == "along":
        return f"through {mark}{rest}" if rest else f"along {mark}".rstrip()
    if kind in (*ENDS, *RIMS) and not rest:
        return f"face {mark}{kind.removesuffix('-rim')} cap"
    if kind == "face" and rest:
        return f"face {mark}{rest if rest.startswith(FULL) else f'lane {rest}'}"
    if kind == "edge" and "|" in rest:
        return f"edge {rest}"
    raise DesignError(f"'{ref}' is no choice of edges; choose others")


FULL = (
    "face ",
    "lane ",
    "round of ",
    "bevel of ",
    "inside of ",
    "rim of ",
    "corner of ",
    "cut of ",
    "skin",
    "other side of ",
    "piece ",
)
"""How faces' names begin where they stand in full."""
