"""Formulas with units: arithmetic on named numbers, evaluated without running any code of the user's.

A formula's value is a `Quantity`: a float and the powers of length and angle it carries. Adding a length
to an angle is refused where it happens. An angle is accepted by `sin`, `cos` and `tan`.
"""

from __future__ import annotations

import ast
import keyword
import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import simpleeval

from isotomon.errors import QuantityError
from isotomon.quantity.units import ANGLES, LENGTHS, Kind

MAX_FORMULA = 400
MAX_DEPTH = 40
KINDS: dict[Kind, tuple[int, int]] = {"length": (1, 0), "angle": (0, 1), "ratio": (0, 0)}

_UNIT = re.compile(r"(?<![\w.])((?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*(mm|cm|m|in|deg|rad|turn|°)(?![\w.])")
_SIGNS = re.compile(r"[\w\s.+\-*/^%(),°·−]*+")
_STRANGE_NUMBER = re.compile(r"(?<![\w.])(?:0[xXbBoO]\w|\d+_\d)")
"""Forms of numbers that are no arithmetic of the trade: in other bases, or with strokes between digits."""
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*\Z")


def _describe(length: int, angle: int) -> str:
    known = {(0, 0): "a plain number", (1, 0): "a length", (0, 1): "an angle", (2, 0): "an area", (3, 0): "a volume"}
    return known.get((length, angle), f"length^{length}·angle^{angle}")


@dataclass(frozen=True)
class Quantity:
    """`value` in mm and rad, with the power of length and of angle in it."""

    value: float
    length: int = 0
    angle: int = 0

    def describe(self) -> str:
        """What kind of quantity it is, in words."""
        return _describe(self.length, self.angle)

    def _same(self, other: Quantity | float, verb: str) -> Quantity:
        other = _lift(other)
        if (self.length, self.angle) != (other.length, other.angle):
            raise QuantityError(f"cannot {verb} {self.describe()} and {other.describe()}; give both the same unit")
        return other

    def __add__(self, other: Quantity | float) -> Quantity:
        return Quantity(self.value + self._same(other, "add").value, self.length, self.angle)

    __radd__ = __add__

    def __sub__(self, other: Quantity | float) -> Quantity:
        return Quantity(self.value - self._same(other, "subtract").value, self.length, self.angle)

    def __rsub__(self, other: Quantity | float) -> Quantity:
        return _lift(other) - self

    def __mul__(self, other: Quantity | float) -> Quantity:
        other = _lift(other)
        return Quantity(self.value * other.value, self.length + other.length, self.angle + other.angle)

    __rmul__ = __mul__

    def __truediv__(self, other: Quantity | float) -> Quantity:
        other = _lift(other)
        if other.value == 0.0:
            raise QuantityError("division by zero")
        return Quantity(self.value / other.value, self.length - other.length, self.angle - other.angle)

    def __rtruediv__(self, other: Quantity | float) -> Quantity:
        return _lift(other) / self

    def __pow__(self, power: Quantity | float) -> Quantity:
        p = _lift(power)
        if (p.length, p.angle) != (0, 0):
            raise QuantityError(f"a power must be a plain number, found {p.describe()}")
        length, angle = self.length * p.value, self.angle * p.value
        if length != int(length) or angle != int(angle):
            raise QuantityError(f"{self.describe()} to the power {p.value:g} has no unit")
        return Quantity(_real(self.value**p.value), int(length), int(angle))

    def __rpow__(self, base: float) -> Quantity:
        return _lift(base) ** self

    def __neg__(self) -> Quantity:
        return Quantity(-self.value, self.length, self.angle)

    def __pos__(self) -> Quantity:
        return self

    def __mod__(self, other: Quantity | float) -> Quantity:
        other = self._same(other, "take the remainder of")
        if other.value == 0.0:
            raise QuantityError("division by zero")
        return Quantity(self.value % other.value, self.length, self.angle)


def _real(value: complex | float) -> float:
    if isinstance(value, complex):
        raise QuantityError("a root of a negative number is not a number")
    return float(value)


def _lift(value: Quantity | float) -> Quantity:
    if isinstance(value, Quantity):
        return value
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        raise QuantityError(f"expected a number, found {type(value).__name__}")
    return Quantity(float(value))


def _angular(function: Callable[[float], float]) -> Callable[[Any], Quantity]:
    def call(x: Any) -> Quantity:
        x = _lift(x)
        if x.length or x.angle not in (0, 1):
            raise QuantityError(f"{function.__name__} takes an angle, found {x.describe()}")
        return Quantity(function(x.value))

    return call


def _plain(function: Callable[[float], float], angle: int = 0) -> Callable[[Any], Quantity]:
    def call(x: Any) -> Quantity:
        x = _lift(x)
        if x.length or x.angle:
            raise QuantityError(f"{function.__name__} takes a plain number, found {x.describe()}")
        return Quantity(function(x.value), 0, angle)

    return call


def _root(x: Any) -> Quantity:
    return _lift(x) ** 0.5


def _extreme(pick: Callable[..., Quantity]) -> Callable[..., Quantity]:
    def call(*values: Any) -> Quantity:
        if len(values) < 2:
            raise QuantityError(f"{pick.__name__} needs two numbers or more")
        first = _lift(values[0])
        lifted = [first] + [first._same(v, "compare") for v in values[1:]]
        return pick(lifted, key=lambda q: q.value)

    return call


def _absolute(x: Any) -> Quantity:
    x = _lift(x)
    return Quantity(abs(x.value), x.length, x.angle)


FUNCTIONS: dict[str, Callable[..., Quantity]] = {
    "sin": _angular(math.sin),
    "cos": _angular(math.cos),
    "tan": _angular(math.tan),
    "asin": _plain(math.asin, angle=1),
    "acos": _plain(math.acos, angle=1),
    "atan": _plain(math.atan, angle=1),
    "exp": _plain(math.exp),
    "log": _plain(math.log),
    "sqrt": _root,
    "abs": _absolute,
    "min": _extreme(min),
    "max": _extreme(max),
}
OPERATORS: dict[type, Callable[..., Quantity]] = {
    ast.Add: lambda a, b: _lift(a) + b,
    ast.Sub: lambda a, b: _lift(a) - b,
    ast.Mult: lambda a, b: _lift(a) * b,
    ast.Div: lambda a, b: _lift(a) / b,
    ast.Mod: lambda a, b: _lift(a) % b,
    ast.Pow: lambda a, b: _lift(a) ** b,
    ast.USub: lambda a: -_lift(a),
    ast.UAdd: lambda a: _lift(a),
}
CONSTANTS: dict[str, Quantity] = {"pi": Quantity(math.pi)}
RESERVED = frozenset(FUNCTIONS) | frozenset(CONSTANTS) | {"position", "fraction"}


def check_name(name: str) -> str:
    """`name`, if a named number may be called so.

    Raises: QuantityError.
    """
    if not _NAME.match(name) or len(name) > 60:
        raise QuantityError(f"'{name}' cannot be a name; use letters, digits and _, beginning with a letter")
    if keyword.iskeyword(name):
        raise QuantityError(f"'{name}' cannot be used in formulas; choose another name")
    if name in RESERVED or name in LENGTHS or name in ANGLES:
        raise QuantityError(f"'{name}' already means something in formulas; choose another name")
    return name


def _with_units(text: str) -> str:
    def factor(found: re.Match[str]) -> str:
        return f"({found[1]}*_{'deg' if found[2] == '°' else found[2]})"

    return _UNIT.sub(factor, text.replace("−", "-").replace("·", "*").replace("^", "**"))


_UNIT_NAMES: dict[str, Quantity] = {f"_{u}": Quantity(s, 1, 0) for u, s in LENGTHS.items()} | {
    f"_{u}": Quantity(s, 0, 1) for u, s in ANGLES.items()
}


@lru_cache(maxsize=4096)
def _parse(text: str) -> ast.expr:
    """The checked expression in a formula's text. Formulas are worked out on every edit; they are parsed once."""
    if len(text) > MAX_FORMULA:
        raise QuantityError(f"the formula has {len(text)} characters; at most {MAX_FORMULA} are allowed")
    source = _with_units(text.strip())
    if _SIGNS.fullmatch(text) is None or _STRANGE_NUMBER.search(text) is not None:
        raise QuantityError(f"'{text.strip()}' is not a number or a formula, such as 2*span + 5 mm")
    try:
        tree = ast.parse(source, mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise QuantityError(f"'{text.strip()}' is not a number or a formula, such as 2*span + 5 mm") from None
    stack = [(tree.body, 1)]
    while stack:
        node, depth = stack.pop()
        if depth > MAX_DEPTH:
            raise QuantityError("the formula is nested too deeply; split it with a named number")
        allowed = (ast.BinOp, ast.UnaryOp, ast.Call, ast.Name, ast.Constant)
        unknown = isinstance(node, ast.BinOp | ast.UnaryOp) and type(node.op) not in OPERATORS
        if (
            unknown
            or not isinstance(node, allowed)
            or (isinstance(node, ast.Constant) and type(node.value) not in (int, float))
        ):
            raise QuantityError(
                f"'{text.strip()}' is not arithmetic; use numbers, units, names, + - * / ^ and functions"
            )
        if isinstance(node, ast.Call) and (node.keywords or not isinstance(node.func, ast.Name)):
            raise QuantityError(
                f"'{text.strip()}' calls something unknown; functions are {', '.join(sorted(FUNCTIONS))}"
            )
        children = node.args if isinstance(node, ast.Call) else ast.iter_child_nodes(node)
        stack.extend((child, depth + 1) for child in children if isinstance(child, ast.expr))
    return tree.body


@lru_cache(maxsize=4096)
def names_in(text: str) -> frozenset[str]:
    """The named numbers a formula uses (not units, functions or constants).

    Raises: QuantityError, if the text is no formula.
    """
    tree = _parse(text)
    called = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
    names = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name) and id(node) not in called}
    return frozenset(names - set(_UNIT_NAMES) - set(CONSTANTS))


def evaluate(text: str, names: Mapping[str, Quantity]) -> Quantity:
    """The value of a formula, given the named numbers it may use.

    Raises: QuantityError, with what is wrong and where.
    """
    used = []
    for name in sorted(names_in(text)):
        if name not in names:
            near = [k for k in names if k.lower() == name.lower()]
            hint = f"; did you mean '{near[0]}'?" if near else "; add it to the numbers first"
            raise QuantityError(f"the name '{name}' is not known{hint}")
        used.append((name, names[name]))
    return _value(text, tuple(used))


@lru_cache(maxsize=8192)
def _value(text: str, used: tuple[tuple[str, Quantity], ...]) -> Quantity:
    """The value of a formula with the numbers it uses: an edit changes few of a design's formulas."""
    try:
        known = {**_UNIT_NAMES, **CONSTANTS, **dict(used)}
        worker = simpleeval.SimpleEval(operators=OPERATORS, names=known, functions=FUNCTIONS)
        value = _lift(worker.eval(text, previously_parsed=_parse(text)))
    except QuantityError:
        raise
    except simpleeval.FunctionNotDefined as error:
        raise QuantityError(
            f"'{error.func_name}' is not a function; known are {', '.join(sorted(FUNCTIONS))}"
        ) from None
    except TypeError:
        raise QuantityError(f"'{text.strip()}' gives a function too few or too many values") from None
    except ValueError:
        raise QuantityError(
            f"'{text.strip()}' takes a function where it has no value, such as the root of -1"
        ) from None
    except (simpleeval.InvalidExpression, ArithmeticError, RecursionError):
        raise QuantityError(f"'{text.strip()}' cannot be computed: a number in it grows beyond all bounds") from None
    if not math.isfinite(value.value):
        raise QuantityError(f"'{text.strip()}' gives no finite number")
    return value


def as_kind(quantity: Quantity, kind: Kind, text: str) -> float:
    """The number inside `quantity` if it is of `kind`, in mm, rad or as a plain ratio."""
    want = KINDS[kind]
    if (quantity.length, quantity.angle) != want:
        hint = {"length": "a unit such as 5 mm", "angle": "a unit such as 5 deg", "ratio": "no unit"}[kind]
        raise QuantityError(
            f"'{text.strip()}' is {quantity.describe()} where {_describe(*want)} is needed; give it {hint}"
        )
    return quantity.value
