"""What a design comes to, as plain values: held against what earlier versions of Isotomon made of the same file."""

from __future__ import annotations

from typing import Any

import numpy as np

from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve
from isotomon.inspect.results import Quick


def figures(quick: Quick) -> dict[str, Any]:
    """Bodies with their volumes, areas, turns and lasting names, where they come to stand, datums, guides, readings, findings."""
    return {
        "bodies": {q.body.id: _body(q) for q in (quick, *quick.others)},
        "datums": {key: _numbers(thing) for key, thing in quick.datums.items()},
        "guides": {key: _numbers(curve) for key, curve in quick.guides.items()},
        "readings": {key: [[t, v, w] for t, v, w in r.figures] or r.wrong for key, r in quick.readings.items()},
        "findings": sorted([f.severity, f.where, f.text] for f in quick.findings),
    }


def _body(quick: Quick) -> dict[str, Any]:
    made: dict[str, Any] = {"name": quick.body.name, "placed": quick.placed.ravel().tolist()}
    if quick.shape is None or quick.full is None:
        return made
    c, field = quick.shape.curves, quick.shape.field
    return {
        **made,
        "volume": quick.volume,
        "surface": quick.full.body.area,
        "centre": quick.full.body.centre.tolist(),
        "area": c.area[::20].tolist(),
        "turn": c.turn[::20].tolist(),
        "chord": c.chord[::20].tolist(),
        "faces": list(field.names.lanes),
        "edges": [list(names) for names in field.names.edges],
    }


def _numbers(thing: object) -> list[float]:
    if isinstance(thing, SpaceCurve):
        return np.asarray(thing.at(np.array([0.0, 0.37, 1.0]))).ravel().tolist()
    if isinstance(thing, Plane):
        return [*thing.origin, *thing.normal, *thing.across]
    if isinstance(thing, Axis):
        return [*thing.origin, *thing.way]
    if isinstance(thing, Frame):
        return [*thing.origin]
    if isinstance(thing, Cylinder):
        return [*thing.axis.origin, *thing.axis.way, thing.radius]
    return np.asarray(thing, dtype=float).ravel().tolist()
