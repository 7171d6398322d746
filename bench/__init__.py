"""Measurements, screenshots and generated files: what developers run, not users."""
