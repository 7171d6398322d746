"""Names of finished bodies' faces: what a piece is a piece of, and of which copy and body a face is."""

from __future__ import annotations

import re

_PIECE = re.compile(r" (?:from|by) .*$")
_COPY = re.compile(r"^(?:copy \d+: )+")
_OTHER = re.compile(r"^(\w+): ")


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
