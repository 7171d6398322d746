"""The Board and the body plan: curves and sections, painted."""
