"""Handles in the View: what is pulled there, and what a pull changes."""
