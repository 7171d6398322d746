"""Names of finished bodies' faces: what a piece is a piece of, and of which copy and body a face is."""

from __future__ import annotations

import re

_PIECE = re.compile(r" (?:from|by) .*$")
_COPY = re.compile(r"^(?:copy \d+: )+")
_OTHER = re.compile(r"^(\w+): ")
_MARK = re.compile(r"^((?:[^ ]+: )?)(.*)$")


def piece_name(name: str, side: str, step: str, number: int = 1) -> str:
    """What a piece of a face of a skin is called that a step has cut: by the side on which it lies, and, of several there, by its number."""
    return f"piece {side} {step}{f' {number}' if number > 1 else ''} of ({name})"


def is_piece(name: str) -> bool:
    """Whether a face is a piece of a skin that has been cut."""
    return own_name(name).startswith("piece ")


def whole_face(name: str) -> str:
    """What a face is called of which `name` is a piece."""
    return _PIECE.sub("", name)


def own_name(name: str) -> str:
    """A face's name without the copy of the body that it belongs to."""
    return _COPY.sub("", name)


def owner_and_name(name: str) -> tuple[str, str]:
    """The id of the other body that has left a face on one, empty for its own, and the face's name there, copies and pieces aside."""
    plain = own_name(whole_face(name))
    found = _OTHER.match(plain)
    return (found[1], plain[found.end() :]) if found else ("", plain)


def made_of(name: str, work: str) -> tuple[str, ...]:
    """The names of the faces that a face was made of by some `work` (round of, bevel of): `work (A|B)`; none of one that was not."""
    inner = name.removeprefix(f"{work} (").removesuffix(")")
    if inner == name or not name.startswith(f"{work} ("):
        return ()
    found, depth = [""], 0
    for letter in inner:
        depth += (letter == "(") - (letter == ")")
        if letter == "|" and depth == 0:
            found.append("")
        else:
            found[-1] += letter
    return tuple(found)


def edge_is_meant(names: tuple[str, str], choice: str) -> bool:
    """Whether the edge at which two whole faces meet is meant by a choice: `all`; `along` the body; `through CORNER`, along it through
    that corner; `face NAME`, all about it; `meets MARK`, where faces whose names begin with that mark meet others; `edge A|B`."""
    kind, _, rest = choice.partition(" ")
    own = [own_name(name) for name in names]
    if kind == "all":
        return True
    if kind == "along":
        return all(name.startswith(f"{rest} lane ".lstrip()) for name in own)
    if kind == "through":
        mark, corner = _MARK.findall(rest)[0]
        a, b = own
        return _meet_at(a, b, mark, corner) or _meet_at(b, a, mark, corner)
    if kind == "face":
        return rest in own or rest in names
    if kind == "meets":
        return names[0].startswith(rest) != names[1].startswith(rest)
    return rest in ("|".join(sorted(names)), "|".join(sorted(own)))


def _meet_at(a: str, b: str, mark: str, corner: str) -> bool:
    """Whether one lane ends at a corner at which another begins."""
    return a.startswith(f"{mark}lane ") and a.endswith(f"~{corner}") and b.startswith(f"{mark}lane {corner}~")
