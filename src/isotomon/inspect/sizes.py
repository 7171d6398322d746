"""What is offered where a radius, width or wall does not go: one that does."""

from __future__ import annotations

from isotomon.design.bodies import change_step
from isotomon.design.records import Design
from isotomon.measure.laws import Mend
from isotomon.operations.base import Operation
from isotomon.quantity import show


def use_size(design: Design, step: Operation, fits: float) -> Mend:
    """The mend that gives a step a size (mm) that works; in the design's unit."""
    words = f"Use {show(fits, 'length', design.unit)} {design.unit}"
    return Mend(words, lambda d: change_step(d, step.id, **step.sized(fits)))
