"""Faces and choices of edges of bodies, by their lasting names, in words."""

from __future__ import annotations

import re
from collections.abc import Mapping

from isotomon.profile.outline import corner_words, edge_words

_PARTS = {
    "first": "first end",
    "last": "last end",
    "first-rim": "first rim",
    "last-rim": "last rim",
    "face": "face between",
    "c": "",
    "at": "at",
    "along": "edge through",
    "side": "side along its",
}
_SIDES = {"first": "first curve", "last": "last curve", "start": "curves' beginning", "end": "curves' end"}
_MADE = re.compile(r"(round|bevel|corner|inside|rim|cut) of \(?(.*?)\)?")
_PIECE = re.compile(r"piece (\w+) \S+(?: (\d+))? of \((.*)\)")
_MARK = re.compile(r"(copy (\d+)|[^ :]+): (.*)")


def face_words(name: str, names: Mapping[str, str]) -> str:
    """A finished body's face in words; `names`: id → name, of bodies and stations."""
    mark = _MARK.fullmatch(name)
    if mark is not None:
        of = f"copy {mark[2]}" if mark[2] else names.get(mark[1], mark[1])
        return f"{of}'s {face_words(mark[3], names)}"
    piece = _PIECE.fullmatch(name)
    if piece is not None:
        where = f"{piece[1]} of" if piece[1] in ("left", "right") else piece[1]
        return f"{face_words(piece[3], names)}, {f'{piece[2]}. ' if piece[2] else ''}piece {where} the cut"
    made = _MADE.fullmatch(name)
    if made is not None and made[1] == "cut":  # by the id of a step, which is nothing that users know
        return "flat cut"
    if made is not None:
        return f"{made[1]} of {' and '.join(face_words(part, names) for part in parts_of(made[2]))}"
    if name.startswith("lane "):
        words = dict.fromkeys(edge_words(end, names) for end in name.removeprefix("lane ").split("~"))
        return f"side {' to '.join(words)}"
    return {"first cap": "first end", "last cap": "last end"}.get(name, name)


def with_words(text: str, edge: str, names: Mapping[str, str]) -> str:
    """A text that names an edge (`A|B`) by its faces, with these in words."""
    if not edge:
        return text
    faces = parts_of(edge)
    return text.replace(edge.replace("|", " and "), " and ".join(face_words(face, names) for face in faces))


def parts_of(names: str) -> list[str]:
    """The names between `|`, of which each may itself be made of several in brackets."""
    depth, parts = 0, [""]
    for letter in names:
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if letter == "|" and depth == 0:
            parts.append("")
        else:
            parts[-1] += letter
    return parts


def edges_words(body: str, part: str, names: Mapping[str, str]) -> str | None:
    """What a choice of edges means; None for what is no such choice."""
    kind, _, rest = part.partition(":")
    whole = {
        "all": f"all edges of {body}",
        "along": f"all edges along {body}",
        "meets": f"where {body} meets it",
        "faces": f"all faces that {body} has left",
    }
    if not rest:
        return whole.get(kind)
    if kind == "edge":
        return f"{body}: between {' and '.join(face_words(face, names) for face in parts_of(rest))}"
    return None


def reference_words(name: str, part: str, names: Mapping[str, str]) -> str:
    """A reference to a thing of a design, or to a part of it, in words; `names`: id → name."""
    edges = edges_words(names.get(name, name), part, names)
    if edges is not None:
        return edges
    first, _, rest = part.partition(":")
    if first == "along":
        rest = edge_words(rest, names)
    if first == "face" and " " in rest:  # one that a step has made
        first, rest = "", face_words(rest, names)
    elif first == "face":
        rest = " and ".join(edge_words(edge, names) for edge in rest.split("~"))
    rest = corner_words(rest) if first == "c" else rest
    rest = _SIDES.get(rest, rest) if first == "side" else rest
    return " ".join(word for word in (names.get(name, name), _PARTS.get(first, first), rest) if word)
