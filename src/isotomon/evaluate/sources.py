"""What datums, guides, carriers and copies are made from, as those who make them ask for it: by reference, whatever it is and
wherever in the design it stands. `ground.Ground` works it out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from isotomon.arrays import Array
from isotomon.design.body import Body
from isotomon.design.records import Design
from isotomon.design.resolved import Resolved, StationNumbers
from isotomon.design.station import Station
from isotomon.evaluate.drawn import Drawings, EndSection, SolvedDrawing
from isotomon.evaluate.placing import Stood
from isotomon.field.carriers import Carrier
from isotomon.field.section_field import SectionField
from isotomon.field.skin import Skin
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve
from isotomon.profile.drawing import Drawing
from isotomon.quantity import Quantity

Thing = Plane | Axis | Array | Frame | Cylinder | SpaceCurve | Carrier


class Sources(Protocol):
    """Every method raises an IsotomonError, in words, for what is gone, stands in a circle, or is of another kind."""

    @property
    def design(self) -> Design:
        """The design."""

    @property
    def body(self) -> Body:
        """The body that is worked out."""

    @property
    def names(self) -> dict[str, Quantity]:
        """The named numbers."""

    @property
    def resolved(self) -> Resolved | None:
        """The numbers of the stations, once they are known."""

    @property
    def drawings(self) -> Drawings:
        """The drawings, each solved when it is asked for."""

    def get(self, ref: str) -> Thing:
        """What a reference stands for."""

    def called(self, ref: str) -> str:
        """A reference in words."""

    def plane(self, ref: str) -> Plane:
        """A plane, or a frame's XY plane."""

    def axis(self, ref: str) -> Axis:
        """An axis, a cylinder's, or along a straight curve."""

    def point(self, ref: str) -> Array:
        """(3,) mm: a point, or a frame's origin."""

    def frame(self, ref: str) -> Frame:
        """A frame, or a plane's own."""

    def curve(self, ref: str) -> SpaceCurve:
        """A curve, or a straight edge; a station stands for its profile."""

    def round(self, ref: str) -> Cylinder:
        """A cylinder, or the circle that a curve or profile is."""

    def skin(self, ref: str) -> Skin:
        """A skin: a body's, a plane or a cylinder."""

    def carrier(self) -> Carrier:
        """What carries the stations of the body."""

    def drawing(self, ref: str) -> Drawing | None:
        """The drawing with this id, if there is one."""

    def profile(self, station: Station) -> Stood:
        """A station's profile where it stands."""

    def numbers_of(self, station: str) -> StationNumbers | None:
        """The numbers of a station of whichever body, as far as they are known."""

    def solved(self, drawing: str) -> SolvedDrawing | None:
        """A drawing worked out; None for one that is gone, or under way."""

    def end_sections(self) -> Mapping[str, EndSection]:
        """The sections of stations that stand on other bodies' ends and on curves; none while they are worked out."""

    def plane_there(self, position: float, tilt: tuple[float, float]) -> Plane:
        """The plane a station has at a position (mm), tilted (rad)."""

    def field_of(self, body: str) -> SectionField:
        """The field of another body."""
