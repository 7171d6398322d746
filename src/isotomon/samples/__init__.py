"""The demo designs, by name."""

from __future__ import annotations

from collections.abc import Callable

from isotomon.design.records import Design
from isotomon.errors import DesignError
from isotomon.samples.kelp_steeper import kelp_steeper
from isotomon.samples.pump_wheel import pump_wheel
from isotomon.samples.reach_blade import reach_blade
from isotomon.samples.reach_rotor import reach_rotor
from isotomon.samples.ribbon_stirrer import ribbon_stirrer
from isotomon.samples.signal_mast import signal_mast
from isotomon.samples.skin_works import quay_fender, scoop, silt_screw
from isotomon.samples.skins import compass_rose, hull_cheek, spray_hood
from isotomon.samples.vapour_duct import vapour_duct

SAMPLES: dict[str, tuple[str, Callable[[], Design]]] = {
    "reach-blade": ("Tidal rotor blade: round root, foils, rails along its edges, twist and area laws", reach_blade),
    "kelp-steeper": ("Leaning vessel: unlike profiles, a front rail and two sides", kelp_steeper),
    "signal-mast": (
        "Turned mast: one lobed drawing on five stations, tied to a square seat",
        signal_mast,
    ),
    "ribbon-stirrer": ("Two ribbons wound against each other on a shaft, their pitch opening upwards", ribbon_stirrer),
    "vapour-duct": ("Square to round along a path bent in space, at constant area", vapour_duct),
    "reach-rotor": ("Three blades on a revolved hub", reach_rotor),
    "spray-hood": ("Between two rails and two arcs, 1.2 mm thick", spray_hood),
    "compass-rose": ("Flat facets sewn, mirrored and united", compass_rose),
    "pump-wheel": ("Thirteen blades made from curves on a turned hub", pump_wheel),
    "scoop": ("A mouth, a handle flush with it, sewn", scoop),
    "silt-screw": ("A flight cut by a cone, sewn, on its core", silt_screw),
    "quay-fender": ("A bulged side, a face flush with it, a dish", quay_fender),
    "hull-cheek": ("One field of four curves, in several ways", hull_cheek),
}
SKINS = ("spray-hood", "pump-wheel", "compass-rose", "scoop", "silt-screw", "quay-fender", "hull-cheek")
"""Those of skins made from curves."""


def sample(name: str) -> Design:
    """A demo design.

    Raises: DesignError, naming those there are.
    """
    if name not in SAMPLES:
        raise DesignError(f"there is no demo called '{name}'; there are {', '.join(SAMPLES)}")
    return SAMPLES[name][1]()
