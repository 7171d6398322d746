"""Messages between the window's process and the solid worker: length, then msgpack, with a version in each."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from typing import BinaryIO, Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from isotomon.errors import SolidError
from isotomon.geometry.edge import Edge, EdgeKind
from isotomon.geometry.knots import Knots
from isotomon.geometry.patch import Patch, TrimPiece

PROTOCOL = 16
_HEAD = struct.Struct("<Q")
MOST_BYTES = 1 << 31

Failure = Literal["error", "crash", "timeout", "cancelled", "lost"]
"""`crash`: the step's process ended; `lost`: the worker's did, and what it kept is gone with it, so that asking again may help."""
Vector = tuple[float, float, float]


class ArrayData(msgspec.Struct):
    """An array as raw bytes."""

    dtype: str
    shape: tuple[int, ...]
    data: bytes


def pack(array: NDArray) -> ArrayData:
    """An array for the wire."""
    array = np.ascontiguousarray(array)
    return ArrayData(array.dtype.str, array.shape, array.tobytes())


def unpack(message: ArrayData) -> NDArray:
    """The array again; writable only by copy."""
    return np.frombuffer(message.data, dtype=np.dtype(message.dtype)).reshape(message.shape)


class TrimData(msgspec.Struct):
    """A piece of what a patch is trimmed by, for the wire."""

    degree: int
    breaks: ArrayData
    times: ArrayData
    control: ArrayData


class PatchData(msgspec.Struct):
    """A patch for the wire."""

    name: str
    degree_u: int
    degree_v: int
    breaks_u: ArrayData
    times_u: ArrayData
    breaks_v: ArrayData
    times_v: ArrayData
    periodic_u: bool
    control: ArrayData
    loop: int
    trims: list[list[TrimData]] = []
    flat: bool = False


def pack_patch(p: Patch) -> PatchData:
    """A patch for the wire."""
    bu, tu, bv, tv, control = (pack(a) for a in (p.breaks_u, p.times_u, p.breaks_v, p.times_v, p.control))
    trims = [[TrimData(t.degree, pack(t.breaks), pack(t.times), pack(t.control)) for t in run] for run in p.trims]
    return PatchData(p.name, p.degree_u, p.degree_v, bu, tu, bv, tv, p.periodic_u, control, p.loop, trims, p.flat)


def unpack_patch(p: PatchData) -> Patch:
    """The patch again."""
    bu, tu, bv, tv, control = (unpack(a) for a in (p.breaks_u, p.times_u, p.breaks_v, p.times_v, p.control))
    trims = tuple(
        tuple(TrimPiece(t.degree, unpack(t.breaks), unpack(t.times), unpack(t.control)) for t in run) for run in p.trims
    )
    return Patch(p.name, p.degree_u, p.degree_v, bu, tu, bv, tv, p.periodic_u, control, p.loop, trims, p.flat)


class EdgeData(msgspec.Struct):
    """An edge of a profile for the wire."""

    name: str
    kind: EdgeKind
    points: ArrayData
    loop: int
    degree: int
    breaks: ArrayData
    times: ArrayData
    periodic: bool


_NONE = Knots(1, np.array([0.0, 1.0]), np.array([2, 2]), False)


def pack_edge(e: Edge) -> EdgeData:
    """An edge for the wire."""
    b = e.basis or _NONE
    return EdgeData(e.name, e.kind, pack(e.points), e.loop, b.degree, pack(b.breaks), pack(b.multiplicity), b.periodic)


def unpack_edge(e: EdgeData) -> Edge:
    """The edge again."""
    basis = Knots(e.degree, unpack(e.breaks), unpack(e.times), e.periodic) if e.kind == "spline" else None
    return Edge(e.name, e.kind, unpack(e.points), e.loop, basis)


class WireData(msgspec.Struct):
    """A wire for the wire."""

    layer: str
    name: str
    edges: list[EdgeData]


class MoveProfile(msgspec.Struct, tag=True):
    """Build a body from a profile's edges moved by `way`, or about the axis `origin`, `way` by `angle` rad, and keep it
    under `key`."""

    id: int
    key: str
    edges: list[EdgeData]
    way: Vector
    origin: Vector | None
    angle: float
    deflection: float
    limit: float
    skin: bool = False
    bare: bool = False
    version: int = PROTOCOL


class Read(msgspec.Struct, tag=True):
    """Read a body from a file's bytes, and keep it under `key`."""

    id: int
    key: str
    data: bytes
    form: Literal["step", "iges", "stl"]
    tolerance: float
    deflection: float
    limit: float
    skin: bool = True
    bare: bool = False
    version: int = PROTOCOL


class Apply(msgspec.Struct, tag=True):
    """Do a piece of work (`isotomon.kernel.operations`) with the bodies kept under `inputs`, the one worked on first, and keep
    what comes of it under `key`."""

    id: int
    key: str
    operation: str
    inputs: list[str]
    arrays: dict[str, ArrayData]
    values: dict[str, bool | float | str]
    tolerance: float
    deflection: float
    limit: float
    skin: bool = False
    bare: bool = False
    version: int = PROTOCOL


class LoftPatches(msgspec.Struct, tag=True):
    """Build a body from patches and its ends, and keep it under `key`. `limit`: seconds.

    `ends`: origin and normal of a flat end, none of a ring, None of one that patches close; with `radii` those of both ends' cylinders about the line through `origin`
    along `normal`.
    """

    id: int
    key: str
    patches: list[PatchData]
    ends: list[tuple[Vector, Vector] | None]
    radii: tuple[float, float] | None
    tolerance: float
    deflection: float
    limit: float
    skin: bool = False
    bare: bool = False
    version: int = PROTOCOL


Form = Literal["step", "iges", "stl", "3mf", "obj", "glb"]
"""What finished bodies are written as."""


class Export(msgspec.Struct, tag=True):
    """Write the bodies kept under keys, each with its name and colour; or else curves in space."""

    id: int
    bodies: list[tuple[str, str, str]]
    """Name, colour and key of each."""
    name: str
    form: Form
    path: str
    deflection: float
    angle: float
    """rad by which neighbouring triangles of a mesh turn at most."""
    share: float
    """Of a body's volume, by which its mesh may be off it; nought: by as much as comes of the above."""
    limit: float
    wires: list[WireData] = []
    version: int = PROTOCOL


class Cancel(msgspec.Struct, tag=True):
    """Give up a request, running or waiting."""

    id: int
    version: int = PROTOCOL


class Ready(msgspec.Struct, tag=True):
    """The worker has loaded the kernel."""

    version: int = PROTOCOL


class Alive(msgspec.Struct, tag=True):
    """The worker lives, and a step still runs."""

    version: int = PROTOCOL


class Started(msgspec.Struct, tag=True):
    """A request's step runs now."""

    id: int
    version: int = PROTOCOL


class Built(msgspec.Struct, tag=True, eq=False):
    """A body: mesh, names by face, the kernel's figures (mm), and the body itself as kernel bytes."""

    id: int
    names: list[str]
    vertices: ArrayData
    triangles: ArrayData
    owner: ArrayData
    normals: ArrayData
    """The faces' outward normals at the vertices; nought where a face has no surface."""
    same: ArrayData
    """A number that vertices have in common which are one on the body."""
    volume: float
    area: float
    centre: Vector
    valid: bool
    watertight: bool
    pieces: int = 1
    told: tuple[str, ...] = ()
    """What was mended in a body that was brought in."""
    united: float | None = None
    """mm³ of copies that overlap, what lies in several of them once; None where none does."""
    body: bytes = b""
    bare: bool = False
    """It has neither mesh nor figures: these were not wanted."""
    version: int = PROTOCOL


class Exported(msgspec.Struct, tag=True):
    """A file has been written."""

    id: int
    path: str
    version: int = PROTOCOL


class Failed(msgspec.Struct, tag=True):
    """A request came to nothing."""

    id: int
    kind: Failure
    text: str
    fits: float = 0.0
    """mm: the largest radius, width or thickness that works, where a larger one was asked for; nought for none."""
    culprit: str = ""
    """The edge that does not go, by the names of the faces that meet at it."""
    place: Vector | None = None
    """mm: where it does not go."""
    version: int = PROTOCOL


Making = LoftPatches | MoveProfile | Apply | Read
"""Requests that end in a body. A `bare` one is wanted for what is made of it alone: without its mesh and figures."""
Work = Making | Export
Request = Work | Cancel
Reply = Ready | Alive | Started | Built | Exported | Failed
_requests = msgspec.msgpack.Decoder(Request)
_replies = msgspec.msgpack.Decoder(Reply)
_encoder = msgspec.msgpack.Encoder()


def send(stream: BinaryIO, message: Request | Reply) -> None:
    """Write one message."""
    data = _encoder.encode(message)
    stream.write(_HEAD.pack(len(data)))
    stream.write(data)
    stream.flush()


def _size(head: bytes | bytearray) -> int:
    (size,) = _HEAD.unpack_from(head)
    if size > MOST_BYTES:
        raise SolidError(f"a message of {size} bytes is longer than allowed; the two sides do not match")
    return int(size)


def _receive(stream: BinaryIO) -> bytes | None:
    head = stream.read(_HEAD.size)
    if len(head) < _HEAD.size:
        return None
    size = _size(head)
    data = stream.read(size)
    return data if len(data) == size else None


def _checked(message: Request | Reply) -> Request | Reply:
    if message.version != PROTOCOL:
        raise SolidError(f"the solid worker speaks protocol {message.version}, expected {PROTOCOL}; reinstall Isotomon")
    return message


def decode_reply(data: bytes) -> Reply:
    """A reply from its bytes.

    Raises: SolidError, when it is malformed or of another version.
    """
    try:
        return _checked(_replies.decode(data))  # type: ignore[return-value]
    except msgspec.MsgspecError as error:
        raise SolidError(f"the solid worker sent something that cannot be read: {error}") from None


def decode_request(data: bytes) -> Request:
    """A request from its bytes.

    Raises: SolidError, when it is malformed or of another version.
    """
    try:
        return _checked(_requests.decode(data))  # type: ignore[return-value]
    except msgspec.MsgspecError as error:
        raise SolidError(f"a request cannot be read: {error}") from None


def frames(received: bytearray) -> Iterator[Reply]:
    """The replies that have come whole; they are taken out of `received`.

    Raises: SolidError.
    """
    while len(received) >= _HEAD.size:
        size = _size(received)
        if len(received) < _HEAD.size + size:
            return
        data = bytes(received[_HEAD.size : _HEAD.size + size])
        del received[: _HEAD.size + size]
        yield decode_reply(data)


def receive_request(stream: BinaryIO) -> Request | None:
    """The next request, or None when the other side is gone.

    Raises: SolidError.
    """
    data = _receive(stream)
    return None if data is None else decode_request(data)
