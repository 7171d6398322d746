"""Files of earlier formats brought up to this one, as plain values before they are checked."""

from __future__ import annotations

import re
from typing import Any

_PART = re.compile(r"(s\d+)/([ep]\d+(?::[01])?)")
"""A part or point of a station's drawing, as format 1 named it."""


def upgraded(raw: dict[str, Any], version: int) -> dict[str, Any]:
    """What a file of an earlier `version` says, as this format says it.

    Format 2 names parts of a station's drawing with the drawing, and corners by lasting names instead of by numbers: what
    was tied to a corner is tied to its place on the profile.
    """
    return {**_from_1(raw, _drawings(raw)), "version": 2} if version == 1 else raw


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
