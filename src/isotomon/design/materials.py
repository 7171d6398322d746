"""Usual materials of blades and vessels, by name: their densities, kg/m³, of the solid stuff at room temperature."""

from __future__ import annotations

MATERIALS: dict[str, float] = {
    "Aluminium": 2700.0,
    "Aluminium bronze": 7600.0,
    "Brass": 8500.0,
    "Carbon fibre in epoxy": 1550.0,
    "Copper": 8960.0,
    "Glass": 2500.0,
    "Glass fibre in epoxy": 1900.0,
    "Nylon": 1140.0,
    "Oak": 720.0,
    "Polyethylene": 950.0,
    "Porcelain": 2400.0,
    "Stainless steel": 7900.0,
    "Steel": 7850.0,
    "Titanium": 4430.0,
}
