"""The one family of errors. Each says what was expected, what was found, and the remedy."""

from __future__ import annotations

from collections.abc import Sequence


class IsotomonError(Exception):
    """Anything Isotomon refuses, in words meant for the user; `place`: where in space (mm), if it is somewhere."""

    place: tuple[float, float, float] | None = None


class QuantityError(IsotomonError, ValueError):
    """A number, unit or formula that cannot be used."""


class DesignError(IsotomonError, ValueError):
    """A design that says something impossible (a station, a law, a reference)."""


class NamedError(DesignError):
    """What is wrong (`text`) with a datum or guide, which others of its `kind` that stand on it pass on as it is."""

    def __init__(self, kind: str, name: str, text: str) -> None:
        super().__init__(f"{kind} '{name}': {text}")
        self.kind, self.name, self.text = kind, name, text


def named_error(kind: str, name: str, error: IsotomonError) -> NamedError:
    """An error as one of the thing of this kind and name, where it is not one of its kind's already."""
    return error if isinstance(error, NamedError) and error.kind == kind else NamedError(kind, name, str(error))


def text_beside(kind: str, name: str, error: IsotomonError) -> str:
    """An error's text where the thing of this kind and name is named beside it."""
    return error.text if isinstance(error, NamedError) and (error.kind, error.name) == (kind, name) else str(error)


class FileError(IsotomonError, OSError):
    """A file that cannot be read or written."""

    def __str__(self) -> str:
        return str(self.args[0]) if self.args else "file error"


class ChangedFileError(FileError):
    """A file that someone else has changed since it was read here."""


class ProfileError(IsotomonError, ValueError):
    """A section that cannot be drawn."""


class KnotError(IsotomonError, ValueError):
    """Knots, degree and control points that do not fit together."""


class FieldError(IsotomonError, ValueError):
    """Sections that cannot be carried into one body."""


class FoldError(FieldError):
    """A skin that bends more tightly than a parallel one is to be away from it; with the `share` of that distance that works."""

    def __init__(self, text: str, share: float) -> None:
        super().__init__(text)
        self.share = share


class CrossedError(FieldError):
    """Ties or rails, by their `names`, that go round profiles in other orders."""

    def __init__(self, names: Sequence[str]) -> None:
        super().__init__(
            f"{' and '.join(names)} cross between profiles: they do not go round all of them in one order; move one"
        )
        self.names = tuple(names)


class CornerError(FieldError):
    """A path with a corner where there can be none. `place`: of the corner, mm."""

    def __init__(self, text: str, place: tuple[float, float, float]) -> None:
        super().__init__(text)
        self.place = place


class PlaceError(DesignError):
    """What is impossible at a `place`, mm."""

    def __init__(self, text: str, place: tuple[float, float, float]) -> None:
        super().__init__(text)
        self.place = place


class SolidError(IsotomonError, RuntimeError):
    """The geometry kernel, or the process it runs in, could not make a body."""


class SizeError(SolidError):
    """A radius, width or thickness that does not go. `fits`: the largest that does, mm, nought for none; `culprit`: the edge that
    does not, by the faces that meet at it; `place`: where, mm."""

    def __init__(
        self, text: str, fits: float, culprit: str = "", place: tuple[float, float, float] | None = None
    ) -> None:
        super().__init__(text)
        self.fits, self.culprit, self.place = fits, culprit, place


class MachineError(IsotomonError, RuntimeError):
    """A measuring machine that does not answer, or answers what cannot be understood."""
