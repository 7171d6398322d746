"""The solid worker: a single-threaded process that keeps finished bodies and forks a child for each kernel step.

A step can be cancelled, run out of time or crash; the child goes, the bodies stay. The worker ends when the window's
process does. Started as `python -m isotomon.kernel.worker`, it speaks the protocol on its standard input and output.
"""

from __future__ import annotations

import os
import select
import signal
import sys
import time
from collections import OrderedDict
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import msgspec
import numpy as np

from isotomon.errors import SizeError, SolidError
from isotomon.kernel import exact, making, writing
from isotomon.kernel.finishing import lump_of
from isotomon.kernel.meshing import ANGLE, Mesh, is_closed, is_mesh, mesh_of, welded
from isotomon.kernel.operations.base import Given, apply, load, names
from isotomon.kernel.protocol import (
    Alive,
    Apply,
    Built,
    Cancel,
    Export,
    Exported,
    Failed,
    LoftPatches,
    Making,
    MoveProfile,
    Read,
    Ready,
    Reply,
    Request,
    Started,
    Work,
    decode_reply,
    pack,
    receive_request,
    send,
    unpack,
    unpack_edge,
    unpack_patch,
)
from isotomon.kernel.reading import read_body
from isotomon.kernel.tries import begun_apart, die_with_parent, forked
from isotomon.kernel.volumes import Lump

KEPT_BYTES = 256 * 1024 * 1024
LUMP_COARSER = 3.0
"""By how much a mesh that nobody sees may be coarser."""
BEHIND = 5
"""By how much it gives way to the window where both want a core."""
PULSE_SECONDS = 1.0
"""How often the worker tells, while a step runs, that it lives."""


@dataclass
class Running:
    """A running child: its request, process, the read end of its pipe, what it has sent, and when it is too late."""

    request: Work
    pid: int
    pipe: int
    received: bytearray
    deadline: float


FINELY = "mesh angle"
"""The value of a request for a mesh that is measured: rad from triangle to triangle at most."""


def run_step(request: Work, bodies: OrderedDict[str, Built]) -> Reply:
    """Do one request with the kernel. Runs in a child.

    Raises: SolidError.
    """
    kept = bodies.get(request.key) if isinstance(request, Making) else None
    if kept is not None and isinstance(request, Making):  # bare, and now it is wanted with its figures
        return msgspec.structs.replace(_built(request, _kept(bodies, request.key), kept.told), united=kept.united)
    if isinstance(request, LoftPatches):
        patches = [unpack_patch(p) for p in request.patches]
        return _built(request, making.loft(patches, request.ends, request.radii, request.tolerance, request.skin))
    if isinstance(request, MoveProfile):
        edges = [unpack_edge(e) for e in request.edges]
        return _built(request, exact.moved(edges, request.way, request.origin, request.angle, request.skin))
    if isinstance(request, Read):
        body, told, mesh = read_body(request.data, request.form, request.tolerance)
        return _built(request, body, told, mesh)
    if isinstance(request, Apply):
        given = Given(
            [_kept(bodies, key) for key in request.inputs],
            {name: unpack(array) for name, array in request.arrays.items()},
            request.values,
            request.tolerance,
            lambda k: _lump(bodies[request.inputs[k]], request.deflection),
            request.limit,
        )
        made = apply(request.operation, given)
        return msgspec.structs.replace(_built(request, made.body, made.told), united=made.united)
    _write(request, bodies)
    return Exported(request.id, request.path)


def _write(request: Export, bodies: OrderedDict[str, Built]) -> None:
    if request.wires:
        wires = [(wire.layer, wire.name, [unpack_edge(e) for e in wire.edges]) for wire in request.wires]
        writing.write_wires(wires, request.name, request.form, Path(request.path))
        return
    leaving = [
        writing.Leaving(name, colour, _kept(bodies, key), bodies[key].volume) for name, colour, key in request.bodies
    ]
    near = writing.Near(request.deflection, request.angle, request.share)
    writing.write(leaving, request.name, request.form, near, Path(request.path))


def _lump(built: Built, deflection: float) -> Lump:
    if not built.bare:
        return Lump(unpack(built.vertices).astype(float), unpack(built.triangles), built.volume)
    return lump_of(making.from_bytes(built.body, built.names), LUMP_COARSER * deflection)


class NotKept(SolidError):
    """A body that a step needs is not kept here (any more)."""


def _kept(bodies: OrderedDict[str, Built], key: str) -> making.NamedShape:
    if key not in bodies:
        raise NotKept("a body that is wanted is not built yet; rebuild the solids")
    return making.from_bytes(bodies[key].body, bodies[key].names)


def _built(request: Making, body: making.NamedShape, told: tuple[str, ...] = (), mesh: Mesh | None = None) -> Built:
    """What is told of a body; `mesh`: where it is one already."""
    if request.bare and not is_mesh(body.shape):
        return _bare(request, body, told)
    if is_mesh(body.shape):
        mesh = mesh or mesh_of(body.shape, request.deflection)
        report = making.mesh_report(mesh)
    else:
        # The kernel integrates on one core, and meshes on the other meanwhile.
        figures = begun_apart(lambda: msgspec.msgpack.encode(making.integrals_of(body)))
        mesh, closed = (mesh, is_closed(mesh.triangles)) if mesh else _meshed(body, request)
        known = figures()
        report = making.report(body, closed, msgspec.msgpack.decode(known, type=making.Integrals) if known else None)
    measured = (
        isinstance(request, Apply) and FINELY in request.values
    )  # what is only looked at needs half as many digits
    return Built(
        id=request.id,
        names=list(body.names),
        vertices=pack(mesh.points.astype("float64" if measured else "float32")),
        triangles=pack(mesh.triangles.astype("int32")),
        owner=pack(mesh.owner.astype("int32")),
        normals=pack(mesh.normals.astype("float64" if measured else "float32")),
        same=pack(mesh.same.astype("int32")),
        volume=report.volume,
        area=report.area,
        centre=report.centre,
        valid=report.valid,
        watertight=report.watertight,
        pieces=report.pieces,
        told=told,
        body=making.to_bytes(body),
    )


def _bare(request: Making, body: making.NamedShape, told: tuple[str, ...]) -> Built:
    """A body without mesh and figures, which would take longer than many a step."""
    none, whole = pack(np.zeros((0, 3), "float32")), pack(np.zeros(0, "int32"))
    arrays = (none, pack(np.zeros((0, 3), "int32")), whole, none, whole)
    data = making.to_bytes(body)
    return Built(
        request.id, list(body.names), *arrays, 0.0, 0.0, (0.0, 0.0, 0.0), True, True, told=told, body=data, bare=True
    )


FINER, OF_WRONG = (1.0, 1.0, 1.6, 4.0, 16.0), 3
"""How much finer a mesh is made, one try after another, until it is closed; how many of a body that is not valid: it is told as such, and a finer
mesh does not mend it."""


def _meshed(body: making.NamedShape, request: Making) -> tuple[Mesh, bool]:
    """A mesh of a body, and whether it is closed. The kernel leaves gaps in the mesh of very thin faces, or none of them
    at all, unless it is fine enough.

    Raises: SolidError, when even the finest leaves a face out.
    """
    found: tuple[Mesh, bool] | None = None
    why = SolidError("there is nothing to be meshed")
    angle = float(request.values.get(FINELY, ANGLE)) if isinstance(request, Apply) else ANGLE
    skin = getattr(request, "skin", False) or making.is_skin(body)
    for number, finer in enumerate(FINER):
        if number == OF_WRONG and not making.is_valid(body):
            break
        try:
            mesh = mesh_of(body.shape, request.deflection / finer, angle, swiftly=number == 0)
        except SolidError as error:
            why = error
            continue
        found = (mesh, is_closed(welded(mesh)[1]))
        if found[1] or skin:
            break
    if found is None:
        raise why
    return found


def start_step(request: Work, bodies: OrderedDict[str, Built]) -> Running:
    """Fork a child for the request."""
    read_end, write_end = os.pipe()
    pid = forked()
    if pid:
        os.close(write_end)
        return Running(request, pid, read_end, bytearray(), time.monotonic() + request.limit)
    os.close(read_end)
    status = 0
    try:
        reply = run_step(request, bodies)
    except NotKept as error:
        reply = Failed(request.id, "lost", str(error))
    except SizeError as error:
        reply = Failed(request.id, "error", str(error), error.fits, error.culprit, error.place)
    except SolidError as error:
        reply = Failed(request.id, "error", str(error))
    except Exception as error:  # noqa: BLE001 - the kernel's bindings raise whatever they like; the step ends here
        print(f"step {request.id} failed: {type(error).__name__}: {error}", file=sys.stderr)
        reply = Failed(request.id, "error", f"the geometry kernel cannot do this step ({type(error).__name__})")
    try:
        with os.fdopen(write_end, "wb") as stream:
            send(stream, reply)
    except OSError:
        status = 1
    os._exit(status)


class Worker:
    """The loop: one step at a time, requests in order, replies as they come."""

    def __init__(self, source: BinaryIO, sink: BinaryIO) -> None:
        self.source, self.sink = source, sink
        self.waiting: list[Work] = []
        self.step: Running | None = None
        self.bodies: OrderedDict[str, Built] = OrderedDict()
        self.unloaded = names()
        self._told = time.monotonic()

    def _send(self, reply: Reply) -> None:
        send(self.sink, reply)
        self._told = time.monotonic()

    def run(self) -> None:
        """Serve until the other side closes."""
        self._send(Ready())
        while True:
            watched: list[int] = [self.source.fileno()] + ([self.step.pipe] if self.step else [])
            patience = min(max(self.step.deadline - time.monotonic(), 0.0), PULSE_SECONDS) if self.step else None
            if self.unloaded and not self.step:
                patience = 0.0
            readable, _, _ = select.select(watched, [], [], patience)
            if self.unloaded and not readable:  # else each child would load it for itself
                load(self.unloaded.pop())
            if self.step and time.monotonic() - self._told > PULSE_SECONDS:
                self._send(Alive())
            if self.step and self.step.pipe in readable:
                self._read_step(self.step)
            elif self.step and time.monotonic() >= self.step.deadline:
                limit = self.step.request.limit
                self._end_step(
                    Failed(self.step.request.id, "timeout", f"the step took longer than {limit:g} s and was ended")
                )
            if self.source.fileno() in readable:
                request = receive_request(self.source)
                if request is None:
                    self._kill_step()
                    return
                self._take(request)
            self._start_next()

    def _take(self, request: Request) -> None:
        if not isinstance(request, Cancel):
            self.waiting.append(request)
        elif self.step and self.step.request.id == request.id:
            self._end_step(Failed(request.id, "cancelled", "cancelled"))
        elif any(r.id == request.id for r in self.waiting):
            self.waiting = [r for r in self.waiting if r.id != request.id]
            self._send(Failed(request.id, "cancelled", "cancelled"))

    def _start_next(self) -> None:
        while self.waiting and self.step is None:
            request = self.waiting.pop(0)
            self._send(Started(request.id))
            kept = self.bodies.get(request.key) if isinstance(request, Making) else None
            if kept is not None and isinstance(request, Making) and (request.bare or not kept.bare):
                self.bodies.move_to_end(request.key)
                self._reply_built(kept, request.id)
            else:
                self.step = start_step(request, self.bodies)

    def _reply_built(self, built: Built, request_id: int) -> None:
        fields = {name: getattr(built, name) for name in built.__struct_fields__}
        self._send(Built(**{**fields, "id": request_id, "body": b""}))

    def _read_step(self, step: Running) -> None:
        data = os.read(step.pipe, 1 << 20)
        if data:
            step.received += data
            return
        try:
            reply = decode_reply(bytes(step.received[8:])) if len(step.received) > 8 else None
        except SolidError:
            reply = None
        if reply is None:
            reply = Failed(
                step.request.id, "crash", "the geometry kernel stopped in this step; the bodies already built are kept"
            )
        self._end_step(reply)

    def _end_step(self, reply: Reply) -> None:
        assert self.step is not None
        request = self.step.request
        self._kill_step()
        if isinstance(reply, Built) and isinstance(request, Making):
            self.bodies[request.key] = reply
            while len(self.bodies) > 1 and sum(len(b.body) for b in self.bodies.values()) > KEPT_BYTES:
                self.bodies.popitem(last=False)
            self._reply_built(reply, request.id)
        else:
            self._send(reply)

    def _kill_step(self) -> None:
        if self.step is None:
            return
        os.kill(self.step.pid, signal.SIGKILL)
        os.waitpid(self.step.pid, 0)
        os.close(self.step.pipe)
        self.step = None


def main() -> None:
    """Serve on the standard streams. Anything the kernel prints goes to standard error."""
    die_with_parent()
    os.nice(BEHIND)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    sink = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    # Unbuffered, so that `select` sees every message that has come.
    source = os.fdopen(os.dup(0), "rb", buffering=0)
    try:
        Worker(_Whole(source), sink).run()  # type: ignore[arg-type]
    except BrokenPipeError:
        pass


class _Whole:
    """Reads whole counts from an unbuffered stream."""

    def __init__(self, raw: BinaryIO) -> None:
        self.raw = raw

    def fileno(self) -> int:
        return self.raw.fileno()

    def read(self, count: int) -> bytes:
        parts, left = [], count
        while left:
            data = self.raw.read(left)
            if not data:
                break
            parts.append(data)
            left -= len(data)
        return b"".join(parts)


if __name__ == "__main__":
    main()
