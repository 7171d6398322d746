"""How a measuring machine is spoken to: lines of text over the loopback address. The machine's side, for the simulated one, and ours.

A machine greets with `ISOTOMON-PROBE 1 mm`. It is asked `PROBE number x y z i j k`: go towards x y z along i j k; and answers `POINT number x y z`
where it touched, `MISS number` where it touched nothing, or `ERROR words`. `STOP` is answered with `BYE`.
"""

from __future__ import annotations

import math
import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import MachineError
from isotomon.metrology.machine import Machine
from isotomon.metrology.plan import ProbePlan
from isotomon.pace import checkpoint

GREETING = "ISOTOMON-PROBE 1 mm"
LONGEST = 400
"""Bytes of a line at most: whoever sends more does not speak this language."""
HOST = "127.0.0.1"
TRIES = 3
"""Times in a row that a line may be lost before it is given up."""
SECONDS = 5.0
"""s after which a machine that has not answered is taken for hung."""


# Ours


class Touched(NamedTuple):
    """What came of a place of the plan: where it was touched, (3,) mm; None for nothing."""

    number: int
    place: Array | None


def probed(
    plan: ProbePlan,
    port: int,
    host: str = HOST,
    seconds: float = SECONDS,
    stop: threading.Event | None = None,
    first: int = 0,
) -> Iterator[Touched]:
    """Have a machine touch the places of a plan, from the `first` on, one after another. A line that is lost is taken up again where it was. Ends early
    when `stop` is set.

    Raises: MachineError, where nobody answers, or not in time, or nothing that can be understood; what came before stays with the caller.
    """
    number, lost = first, 0
    while number < len(plan) and not (stop is not None and stop.is_set()):
        try:
            with closing(_called(host, port, seconds)) as line:
                while number < len(plan):
                    if stop is not None and stop.is_set():
                        line.send("STOP")
                        return
                    checkpoint(number / len(plan))
                    answer = line.asked(_question(plan, number))
                    found = _answer(answer, number)
                    number, lost = number + 1, 0
                    yield found
                line.send("STOP")
        except TimeoutError:
            raise MachineError(
                f"the machine has not answered for {seconds:g} s, after {number} of {len(plan)} places; see whether it stands still, then go on"
            ) from None
        except (ConnectionError, EOFError, OSError) as error:
            lost += 1
            if lost >= TRIES:
                why = getattr(error, "strerror", None) or "the line was lost"
                raise MachineError(
                    f"the machine at {host}:{port} cannot be reached: {why}; {number} of {len(plan)} places were touched"
                ) from None


def _question(plan: ProbePlan, number: int) -> str:
    numbers = " ".join(f"{x:.6f}" for x in (*plan.places[number].tolist(), *(-plan.normals[number]).tolist()))
    return f"PROBE {number} {numbers}"


def _answer(answer: str, number: int) -> Touched:
    word, *rest = answer.split()
    try:
        if word == "MISS" and int(rest[0]) == number:
            return Touched(number, None)
        if word == "POINT" and int(rest[0]) == number and len(rest) == 4:
            place = [float(x) for x in rest[1:]]
            if all(map(math.isfinite, place)):
                return Touched(number, np.array(place))
    except (ValueError, IndexError):
        pass
    if word == "ERROR":
        raise MachineError(f"the machine says: {' '.join(rest)[:200]}")
    raise MachineError(f"the machine answered '{answer[:60]}', which says nothing of place {number}")


@dataclass(eq=False)
class _Talk:
    """Lines of text over a socket."""

    wire: socket.socket
    rest: bytes = b""

    def send(self, text: str) -> None:
        self.wire.sendall(text.encode("ascii", "replace") + b"\n")

    def read(self) -> str:
        """Raises: EOFError, where the other side has gone; MachineError, for what is no line."""
        while b"\n" not in self.rest:
            if len(self.rest) > LONGEST:
                raise MachineError("what is at the other end does not speak in lines; is it a measuring machine?")
            got = self.wire.recv(4096)
            if not got:
                raise EOFError
            self.rest += got
        line, _, self.rest = self.rest.partition(b"\n")
        return line.decode("ascii", "replace").strip()

    def asked(self, text: str) -> str:
        self.send(text)
        return self.read() or "nothing"

    def close(self) -> None:
        self.wire.close()


def _called(host: str, port: int, seconds: float) -> _Talk:
    wire = socket.create_connection((host, port), seconds)
    line = _Talk(wire)
    try:
        greeting = line.read()
    except BaseException:
        line.close()
        raise
    if greeting != GREETING:
        line.close()
        raise MachineError(f"what answers at {host}:{port} is no machine that is known: it says '{greeting[:40]}'")
    return line


# The simulated machine's


@dataclass(eq=False)
class Server:
    """A simulated machine at a port of the loopback address. `lost_after`, `hung_after`: touches after which it drops the line once, or answers
    nothing any more; nought for never. `pause`: s that each touch takes."""

    machine: Machine
    port: int = 0
    lost_after: int = 0
    hung_after: int = 0
    pause: float = 0.0
    touches: int = 0
    tell: Callable[[str], None] = field(default=lambda _: None)

    def __enter__(self) -> Server:
        self._ended = threading.Event()
        try:
            self._door = socket.create_server((HOST, self.port))
        except OSError as error:
            raise MachineError(f"port {self.port} cannot be used: {error.strerror}; choose another") from None
        self._door.settimeout(0.2)
        self.port = self._door.getsockname()[1]
        self._thread = threading.Thread(target=self._serve, daemon=True, name="measuring machine")
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._ended.set()
        self._thread.join(5.0)
        self._door.close()

    def _serve(self) -> None:
        while not self._ended.is_set():
            try:
                wire, _ = self._door.accept()
            except TimeoutError:
                continue
            except OSError:
                return
            wire.settimeout(0.2)
            with closing(_Talk(wire)) as line:
                try:
                    self._speak(line)
                except (OSError, EOFError, MachineError) as error:
                    self.tell(f"the line ended: {error or 'the other side has gone'}")

    def _speak(self, line: _Talk) -> None:
        line.send(GREETING)
        while not self._ended.is_set():
            try:
                asked = line.read()
            except TimeoutError:
                continue
            if asked == "STOP":
                line.send("BYE")
                return
            if self.hung_after and self.touches >= self.hung_after:
                continue
            if self.lost_after and self.touches == self.lost_after:
                self.lost_after = 0
                return
            line.send(self._answer(asked))
            self._ended.wait(self.pause)

    def _answer(self, asked: str) -> str:
        word, *rest = asked.split() or [""]
        try:
            numbers = np.array([float(x) for x in rest[1:]])
            number = int(rest[0])
        except (ValueError, IndexError):
            return "ERROR write PROBE number x y z i j k"
        if word != "PROBE" or len(numbers) != 6 or not np.isfinite(numbers).all() or np.abs(numbers).max() > 1e7:
            return "ERROR write PROBE number x y z i j k"
        size = float(np.linalg.norm(numbers[3:]))
        if not 0.9 < size < 1.1:
            return "ERROR the way i j k is to have length 1"
        self.touches += 1
        place = self.machine.touch(numbers[None, :3], numbers[None, 3:] / size)[0]
        return (
            f"MISS {number}"
            if np.isnan(place).any()
            else "POINT {} {:.6f} {:.6f} {:.6f}".format(number, *place.tolist())
        )
