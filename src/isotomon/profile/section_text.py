"""The short text of a section (`naca:2412`, `rounded:0.6:0.1`), as tables and fields show it."""

from __future__ import annotations

import math
from collections.abc import Callable

from isotomon.errors import ProfileError
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import (
    Apex,
    BodyEnd,
    Circle,
    Drawn,
    Ellipse,
    FromPoints,
    Kept,
    Naca4,
    OnCurve,
    Outline,
    Polygon,
    Rounded,
    Section,
    Star,
    Superellipse,
)
from isotomon.quantity.record import Ref

GRAMMAR = "naca:2412, naca:0018b, circle, ellipse:0.4, rounded:0.6:0.1, superellipse:0.6:3, polygon:5, star:5:0.5, file:root.dat, drawn:NAME, point, point:sharp, end:b1:last, curve:u1"


def _number(text: str, what: str, low: float, high: float) -> float:
    try:
        value = float(text)
    except ValueError:
        raise ProfileError(f"the {what} '{text}' is not a number; expected {low:g} to {high:g}") from None
    if not (math.isfinite(value) and low <= value <= high):
        raise ProfileError(f"the {what} is {text}; expected {low:g} to {high:g}")
    return value


def _count(text: str, what: str, low: int, high: int) -> int:
    if not text.isdecimal() or not low <= int(text) <= high:
        raise ProfileError(f"the {what} is '{text}'; expected a whole number from {low} to {high}")
    return int(text)


def check_section(section: Section) -> Section:
    """The section itself, if its numbers make a shape.

    Raises: ProfileError.
    """
    if isinstance(section, Kept):
        _check_kept(section)
    elif not isinstance(section, FromPoints | Drawn):
        parse_section(section_text(section))
    return section


def _check_kept(section: Kept) -> None:
    """A kept section comes from a file: its sizes and knots are checked before anything is made of it."""
    if len(section.anchor) != 2:
        raise ProfileError("a kept section needs a leading and a trailing point; choose another section")
    chord = math.dist(*section.anchor)
    if not 1 <= len(section.runs) <= 400 or not 0.1 < chord < 10.0:
        raise ProfileError("a kept section needs 1 to 400 runs and a chord of about 1; choose another section")
    for run in section.runs:
        steps = zip(run.breaks[:-1], run.breaks[1:], strict=True)
        sound = (
            1 <= run.degree <= 9
            and 2 <= len(run.breaks) <= 2000
            and len(run.multiplicity) == len(run.breaks)
            and len(run.control) <= 20000
            and all(1 <= m <= run.degree + 1 for m in run.multiplicity)
            and run.breaks[0] == 0.0
            and run.breaks[-1] == 1.0
            and all(a < b for a, b in steps)
            and (not run.periodic or len(run.breaks) > run.degree)
        )
        if not sound:
            raise ProfileError(
                "a kept section does not hold together (degree, breaks, multiplicity); choose another section"
            )


def parse_section(text: str, outlines: tuple[Outline, ...] = (), drawings: tuple[Drawing, ...] = ()) -> Section:
    """A section from its text; `file:NAME` finds the outline of that name, `drawn:NAME` (or `drawn:NAME:x`, mirrored
    in its X axis) the drawing.

    Raises: ProfileError, naming what is wrong and the texts that can be used.
    """
    text = text.strip()
    kind, *rest = [part.strip() for part in text.split(":")]
    kind, after = kind.lower(), text.partition(":")[2].strip()
    if kind == "drawn":
        return _drawn(after or text, drawings)
    if kind == "file":
        return _from_file(after, outlines)
    if kind in _ELSEWHERE:
        return _ELSEWHERE[kind](text, rest)
    if kind not in _READY_MADE:
        raise ProfileError(f"'{text}' is not a known section; use one of {GRAMMAR}")
    count, made = _READY_MADE[kind]
    if len(rest) != count:
        example = next(e for e in GRAMMAR.split(", ") if e.split(":")[0] == kind)
        raise ProfileError(f"'{text}' has {len(rest)} values after '{kind}'; write it as {example}")
    return made(*rest)


def _from_file(name: str, outlines: tuple[Outline, ...]) -> Section:
    found = [o for o in outlines if o.name == name]
    if not found:
        raise ProfileError(f"the design holds no foil coordinates called '{name}'; bring the file in first")
    return FromPoints(Ref(found[0].id))


def _point(text: str, rest: list[str]) -> Section:
    if rest not in ([], ["sharp"]):
        raise ProfileError(f"'{text}' is not known; write point (rounded off) or point:sharp")
    return Apex(not rest)


def _end(text: str, rest: list[str]) -> Section:
    if len(rest) not in (1, 2) or not rest[0] or rest[1:] not in ([], ["first"], ["last"]):
        raise ProfileError(f"'{text}' is not known; write end:b1 (a body's last end) or end:b1:first")
    return BodyEnd(Ref(rest[0]), "first" if rest[1:] == ["first"] else "last")


def _curve(text: str, rest: list[str]) -> Section:
    if len(rest) != 1 or not rest[0]:
        raise ProfileError(f"'{text}' is not known; write curve:u1 (a guide's id, or an edge's such as body/last-rim)")
    return OnCurve(Ref(rest[0]))


def _height(text: str) -> float:
    return _number(text, "height over width", 0.01, 100.0)


def _rounded(height: str, corner: str) -> Section:
    ratio = _height(height)
    least = min(1.0, ratio)
    return Rounded(ratio, _number(corner, "corner radius (fraction of the width)", 0.001 * least, 0.4999 * least))


def _drawn(rest: str, drawings: tuple[Drawing, ...]) -> Drawn:
    name, _, axis = rest.rpartition(":") if rest[-2:].lower() in (":x", ":y") else (rest, "", "")
    found = [d for d in drawings if d.name == name]
    if not found:
        raise ProfileError(f"the design holds no drawing called '{name}'; draw it first")
    return Drawn(Ref(found[0].id), "x" if axis.lower() == "x" else "y" if axis else "")


def _naca(code: str) -> Naca4:
    blunt = code.lower().endswith("b")
    digits = code[:-1] if blunt else code
    if len(digits) != 4 or not digits.isdecimal():
        raise ProfileError(f"'naca:{code}' needs four digits, such as naca:2412 or naca:0018b")
    if int(digits[2:]) == 0:
        raise ProfileError(f"'naca:{code}' has no thickness; the last two digits are the thickness in percent")
    if (digits[0] == "0") != (digits[1] == "0"):
        raise ProfileError(f"'naca:{code}' has camber without its place, or the reverse; give both or neither")
    return Naca4(digits, blunt)


def section_text(section: Section, outlines: tuple[Outline, ...] = (), drawings: tuple[Drawing, ...] = ()) -> str:
    """The text that `parse_section` reads back as `section` (kept sections have a text for show only)."""
    match section:
        case Apex(rounded):
            return "point" if rounded else "point:sharp"
        case BodyEnd(body, which):
            return f"end:{body}:{which}"
        case OnCurve(curve):
            return f"curve:{curve}"
        case Naca4(digits, blunt):
            return f"naca:{digits}{'b' if blunt else ''}"
        case Circle():
            return "circle"
        case Ellipse(ratio):
            return f"ellipse:{ratio:.12g}"
        case Rounded(ratio, radius):
            return f"rounded:{ratio:.12g}:{radius:.12g}"
        case Superellipse(ratio, exponent):
            return f"superellipse:{ratio:.12g}:{exponent:.12g}"
        case Polygon(sides):
            return f"polygon:{sides}"
        case Star(points, ratio):
            return f"star:{points}:{ratio:.12g}"
        case FromPoints(outline):
            return f"file:{next((o.name for o in outlines if o.id == outline), outline)}"
        case Drawn(drawing, mirror):
            name = next((d.name for d in drawings if d.id == drawing), drawing)
            return f"drawn:{name}{':' if mirror else ''}{mirror}"
        case Kept():
            return "as the body is here"


def is_foil(section: Section) -> bool:
    """Whether the pivot is by default a quarter of the chord back."""
    return isinstance(section, Naca4 | FromPoints)


_ELSEWHERE: dict[str, Callable[[str, list[str]], Section]] = {"point": _point, "end": _end, "curve": _curve}
_READY_MADE: dict[str, tuple[int, Callable[..., Section]]] = {
    "naca": (1, lambda digits: _naca(digits)),
    "circle": (0, Circle),
    "ellipse": (1, lambda height: Ellipse(_height(height))),
    "rounded": (2, _rounded),
    "superellipse": (2, lambda height, power: Superellipse(_height(height), _number(power, "exponent", 2.0, 10.0))),
    "polygon": (1, lambda sides: Polygon(_count(sides, "number of sides", 3, 60))),
    "star": (
        2,
        lambda points, inner: Star(
            _count(points, "number of points", 3, 30), _number(inner, "inner over outer radius", 0.05, 0.99)
        ),
    ),
}
"""Kind → how many values come after it, and what is made of them."""
