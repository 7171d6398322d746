"""Curvatures of a surface from its derivatives."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.geometry.planar import cross3


@dataclass(frozen=True, eq=False)
class Curvature:
    """(n_v, samples) each, 1/mm and 1/mm²: positive where the skin bulges outward. `largest` is the principal curvature
    of greater size. NaN where the skin comes to a point."""

    mean: Array
    largest: Array
    gauss: Array


def curvature_from(pu: Array, pv: Array, puu: Array, puv: Array, pvv: Array) -> Curvature:
    """Curvatures from a surface's first and second derivatives (…, 3) by its parameters."""
    e, f, g = dot(pu, pu), dot(pu, pv), dot(pv, pv)
    normal = cross3(pu, pv)
    square = dot(normal, normal)  # e g - f²; by that it would be nought where both directions nearly agree
    size = np.sqrt(square)
    gone = size < 1e-9 * max(float(size.max()), 1e-300)
    normal = normal / np.where(gone, 1.0, size)[..., None]
    # The normal points outward, along which a bulge bends away: the signs are turned so that a bulge counts as positive.
    ll, mm, nn = -dot(puu, normal), -dot(puv, normal), -dot(pvv, normal)
    square = np.where(gone, np.nan, square)
    mean = (e * nn - 2.0 * f * mm + g * ll) / (2.0 * square)
    gauss = (ll * nn - mm * mm) / square
    reach = np.sqrt(np.maximum(mean * mean - gauss, 0.0))
    return Curvature(mean, np.where(mean < 0.0, mean - reach, mean + reach), gauss)


def dot(a: Array, b: Array) -> Array:
    """(…): the dot products of vectors (…, k)."""
    return np.asarray(np.einsum("...k,...k->...", a, b))
