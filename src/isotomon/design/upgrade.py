"""Files of earlier formats brought up to this one, as plain values before they are checked."""

from __future__ import annotations

import re
from typing import Any

from isotomon.errors import DesignError

_PART = re.compile(r"(s\d+)/([ep]\d+(?::[01])?)")
"""A part or point of a station's drawing, as format 1 named it."""


def upgraded(raw: dict[str, Any], version: int) -> dict[str, Any]:
    """What a file of an earlier `version` says, as this format says it.

    Format 2 names parts of a station's drawing with the drawing, and corners by lasting names instead of by numbers: what
    was tied to a corner is tied to its place on the profile. Format 3 has bodies of equal rank, each with its steps in order.
    Raises: DesignError, for bodies that are not as the format says.
    """
    raw = _from_1(raw, _drawings(raw)) if version == 1 else raw
    try:
        return {**_from_2(raw), "version": 3}
    except (TypeError, AttributeError, ValueError, KeyError):
        raise DesignError("what it says of its bodies is damaged") from None


def _drawings(raw: dict[str, Any]) -> dict[str, str]:
    """Station → the drawing it has."""
    found = {}
    for station in (s for body in (raw, *_entries(raw, "rest")) for s in _entries(body, "stations")):
        section = station.get("section")
        if isinstance(section, dict) and "drawing" in section:
            found[str(station.get("id"))] = str(section["drawing"])
    return found


def _entries(raw: dict[str, Any], name: str) -> list[dict[str, Any]]:
    entries = raw.get(name)
    return [e for e in entries if isinstance(e, dict)] if isinstance(entries, list) else []


def _from_1(value: Any, drawings: dict[str, str]) -> Any:
    if isinstance(value, dict):
        return {k: _from_1(v, drawings) for k, v in value.items() if not (k == "corner" and isinstance(v, int))}
    if isinstance(value, list):
        return [_from_1(v, drawings) for v in value]
    found = _PART.fullmatch(value) if isinstance(value, str) else None
    return f"{found[1]}/{drawings[found[1]]}.{found[2]}" if found and found[1] in drawings else value


_OF_BODY = ("id", "name", "density", "material", "aside", "seen", "colour")
"""What format 2 said of a loft that this format says of the body."""
_OF_HAND = ("stations", "loft", "laws", "rest", "place")
"""Where format 2 kept the body that was in hand, and the others."""


def _from_2(raw: dict[str, Any]) -> dict[str, Any]:
    own = {name: raw[name] for name in ("stations", "loft", "laws") if name in raw}
    rest, place = raw.get("rest", []), raw.get("place", 0)
    if not isinstance(rest, list) or not 0 <= place <= len(rest):
        raise ValueError
    parts = [*rest[:place], own, *rest[place:]]
    lofts = [{"id": "body", "name": "body", **part.get("loft", {})} for part in parts]
    bodies = [_body(part, loft) for part, loft in zip(parts, lofts, strict=True)]
    by_id = {body["id"]: body for body in bodies}
    for loft in lofts:
        for target in loft.get("onto", ()) if loft.get("makes", "own") != "own" else ():
            step = {"kind": "combine", "body": loft["id"], "how": loft["makes"]}
            by_id[target]["steps"].append(step)
    taken = [int(n) for n in re.findall(r"\bk(\d{1,9})\b", str({k: v for k, v in raw.items() if k != "imports"}))]
    number = max(taken, default=0)
    for step in (step for body in bodies for step in body["steps"]):
        number += 1
        step["id"] = f"k{number}"
    return {**{k: v for k, v in raw.items() if k not in _OF_HAND}, "bodies": bodies}


def _body(part: dict[str, Any], loft: dict[str, Any]) -> dict[str, Any]:
    """A body with its steps, still without ids, and without those that combine it."""
    left = {k: v for k, v in loft.items() if k not in (*_OF_BODY, "after", "imported", "makes", "onto")}
    shaped = {"kind": "brought", "file": loft["imported"]} if loft.get("imported") else {"kind": "loft", **left}
    return {
        **{k: loft[k] for k in _OF_BODY if k in loft},
        "shaped": shaped,
        "stations": part.get("stations", []),
        "laws": part.get("laws", []),
        "steps": [dict(step) for step in loft.get("after", [])],
    }
