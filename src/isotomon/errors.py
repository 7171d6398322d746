"""The one family of errors. Each says what was expected, what was found, and the remedy."""

from __future__ import annotations


class IsotomonError(Exception):
    """Anything Isotomon refuses, in words meant for the user."""


class QuantityError(IsotomonError, ValueError):
    """A number, unit or formula that cannot be used."""


class DesignError(IsotomonError, ValueError):
    """A design that says something impossible (a station, a law, a reference)."""


class FileError(IsotomonError, OSError):
    """A file that cannot be read or written."""

    def __str__(self) -> str:
        return str(self.args[0]) if self.args else "file error"


class ProfileError(IsotomonError, ValueError):
    """A section that cannot be drawn."""


class KnotError(IsotomonError, ValueError):
    """Knots, degree and control points that do not fit together."""


class FieldError(IsotomonError, ValueError):
    """Sections that cannot be carried into one body."""


class SolidError(IsotomonError, RuntimeError):
    """The geometry kernel, or the process it runs in, could not make a body."""
