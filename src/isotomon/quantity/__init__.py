"""Units, named numbers and formulas."""

from isotomon.quantity.formula import KINDS, Quantity, check_name, evaluate, names_in
from isotomon.quantity.numbers import Value, number_kind, read, resolve, resolve_numbers, show
from isotomon.quantity.units import ANGLES, AREAS, LENGTHS, Kind, display, scale_of, to_unit

__all__ = [
    "ANGLES",
    "AREAS",
    "KINDS",
    "LENGTHS",
    "Kind",
    "Quantity",
    "Value",
    "check_name",
    "display",
    "evaluate",
    "names_in",
    "number_kind",
    "read",
    "resolve",
    "resolve_numbers",
    "scale_of",
    "show",
    "to_unit",
]
