"""A study run: on all cores, or on a cluster, with each result kept as it comes, so that a run that was ended goes on where it was."""

from __future__ import annotations

import csv
import hashlib
import io
import math
import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import replace
from functools import partial
from multiprocessing import get_context
from pathlib import Path

import msgspec

from isotomon.design.disk import write_atomically
from isotomon.design.file import decode, encode
from isotomon.design.records import Design
from isotomon.errors import FileError
from isotomon.studies.figures import VariantRow, run_variant
from isotomon.studies.search import Told, searched
from isotomon.studies.study import Study, Variant, variants

LOG, TABLE, DESIGN = "variants.jsonl", "variants.csv", "design.isotomon"
AHEAD = 4
"""Variants for each process that are asked for before the first of them is there."""


class StudyStopped(Exception):
    """Whoever watches does not want the study any more; what is there stays."""


def run_study(
    design: Design,
    study: Study,
    out: Path,
    told: Told = lambda row, done, count: None,
    workers: int | None = None,
    scheduler: str = "",
) -> list[VariantRow]:
    """Run a study into a folder and return its rows, in order; rows that are there from an earlier run of the very same are not run again.
    `scheduler`: the address of Dask's, empty for processes of this machine (`workers`, or one a core).

    Raises: FileError, for a folder that cannot be used, or holds another study; StudyStopped, when `told` raises it.
    """
    log = _opened(design, study, out)
    known = dict(_read(log))
    names = tuple(one.name for one in study.varied)
    if study.how == "search":
        rows = searched(design, study, known, partial(_keep, log), told)
    else:
        rows = _all(design, variants(study), names, known, log, told, workers, scheduler)
    write_atomically(out / TABLE, table_of(study, rows).encode())
    return rows


def state_of_study(design: Design, study: Study) -> str:
    """What tells one study of one design from any other."""
    return hashlib.sha256(encode(design) + msgspec.json.encode(study)).hexdigest()


def _opened(design: Design, study: Study, out: Path) -> Path:
    """The log in the study's folder, begun where there is none; the design beside it."""
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{out} cannot be made: {error.strerror}; choose another place") from None
    log, state = out / LOG, state_of_study(design, study)
    try:
        if not log.exists():
            write_atomically(out / DESIGN, encode(design))
            write_atomically(log, msgspec.json.encode({"study": state}) + b"\n")
        with log.open("rb") as lines:
            first = lines.readline(4096)
    except OSError as error:
        raise FileError(f"{log} cannot be used: {error.strerror}") from None
    if not _is_of(first, state):
        raise FileError(f"{out} holds another study, or one of another state of the design; choose another folder")
    return log


def _is_of(first: bytes, state: str) -> bool:
    """Whether the first line of a log says that it is of a study."""
    try:
        return msgspec.json.decode(first, type=dict[str, str]).get("study") == state
    except msgspec.DecodeError:
        return False


def holds(out: Path, design: Design, study: Study) -> bool:
    """Whether a folder holds this very study of this very design."""
    try:
        with (out / LOG).open("rb") as lines:
            return _is_of(lines.readline(4096), state_of_study(design, study))
    except OSError:
        return False


def _read(log: Path) -> Iterator[tuple[Variant, VariantRow]]:
    """The rows that are there, by their values. What was cut off in the middle of a line is left out."""
    for line in log.read_bytes().splitlines()[1:]:
        try:
            row = msgspec.json.decode(line, type=VariantRow)
        except (msgspec.DecodeError, UnicodeDecodeError):
            continue
        yield row.values, row


def _keep(log: Path, row: VariantRow) -> None:
    with log.open("ab") as lines:
        lines.write(msgspec.json.encode(row) + b"\n")
        lines.flush()


def _all(
    design: Design,
    wanted: Sequence[Variant],
    names: tuple[str, ...],
    known: Mapping[Variant, VariantRow],
    log: Path,
    told: Told,
    workers: int | None,
    scheduler: str,
) -> list[VariantRow]:
    rows = {k: replace(known[v], number=k) for k, v in enumerate(wanted) if v in known}
    for row in rows.values():
        told(row, len(rows), len(wanted))
    left = [(k, v) for k, v in enumerate(wanted) if k not in rows]
    fresh = _on_cluster(design, names, left, scheduler) if scheduler else _on_cores(design, names, left, workers)
    for row in fresh:
        rows[row.number] = row
        _keep(log, row)
        told(row, len(rows), len(wanted))
    return [rows[k] for k in range(len(wanted))]


# Where variants are worked out


def _run_coded(data: bytes, names: tuple[str, ...], number: int, values: Variant) -> VariantRow:
    """The same function for processes and clusters: the design goes as the bytes of its file."""
    return run_variant(decode(data, "the study's design"), names, number, values)


_DESIGN: list[tuple[Design, tuple[str, ...]]] = []


def _begin(data: bytes, names: tuple[str, ...]) -> None:
    """What a process of the pool has at hand: the design, read once."""
    _DESIGN[:] = [(decode(data, "the study's design"), names)]


def _run_here(number: int, values: Variant) -> VariantRow:
    ((design, names),) = _DESIGN
    return run_variant(design, names, number, values)


def _on_cores(
    design: Design, names: tuple[str, ...], wanted: Iterable[tuple[int, Variant]], workers: int | None
) -> Iterator[VariantRow]:
    """Rows as they come, from processes of this machine. A process that ends unexpectedly takes nothing with it: what was under way is done
    again, one by one, and what it was that ends it is a row that says so."""
    count, begun = workers or os.cpu_count() or 1, (encode(design), names)
    left, suspects = list(wanted), list[tuple[int, Variant]]()
    while left or suspects:
        if suspects:
            asked = suspects.pop(0)
            with _pool(1, begun) as pool:
                try:
                    yield pool.submit(_run_here, *asked).result()
                except BrokenProcessPool:
                    yield VariantRow(*asked, {}, "the process that worked it out ended unexpectedly")
            continue
        waiting: dict[Future[VariantRow], tuple[int, Variant]] = {}
        with _pool(count, begun) as pool:
            try:
                while left or waiting:
                    while left and len(waiting) < AHEAD * count:
                        waiting[pool.submit(_run_here, *left[0])] = left[0]
                        del left[0]
                    for future in wait(waiting, return_when=FIRST_COMPLETED).done:
                        row = future.result()
                        del waiting[future]
                        yield row
            except BrokenProcessPool:
                suspects = sorted(waiting.values())
            finally:
                pool.shutdown(wait=False, cancel_futures=True)


def _pool(count: int, begun: tuple[bytes, tuple[str, ...]]) -> ProcessPoolExecutor:
    return ProcessPoolExecutor(count, get_context("spawn"), _begin, begun)


def _on_cluster(
    design: Design, names: tuple[str, ...], wanted: Iterable[tuple[int, Variant]], scheduler: str
) -> Iterator[VariantRow]:
    """The same from workers of Dask's scheduler, which sends what a lost worker was at to another.

    Raises: FileError, where Dask is not installed, or its scheduler is not reached.
    """
    try:
        from distributed import Client, as_completed
    except ImportError:
        raise FileError("a cluster needs Dask: install its package 'distributed' here") from None
    try:
        client = Client(scheduler, timeout=20)
    except (OSError, TimeoutError, ValueError) as error:
        raise FileError(f"Dask's scheduler at {scheduler} is not reached: {error}") from None
    with client:
        data = client.scatter(encode(design), broadcast=True)
        left = list(wanted)
        futures = [
            client.submit(_run_coded, data, names, number, values, pure=False, retries=3) for number, values in left
        ]
        for future in as_completed(futures):
            yield future.result()


def table_of(study: Study, rows: Sequence[VariantRow]) -> str:
    """Rows as CSV: the varied numbers in mm, degrees or as they stand, then all figures; what is undefined is left blank."""
    figures = list(dict.fromkeys(name for row in rows for name in row.figures))
    units = {"length": "_mm", "angle": "_deg", "ratio": ""}
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["variant", *(f"{one.name}{units[one.kind]}" for one in study.varied), *figures, "problem"])
    for row in rows:
        values = [
            math.degrees(v) if one.kind == "angle" else v for v, one in zip(row.values, study.varied, strict=True)
        ]
        cells = [row.figures.get(name, math.nan) for name in figures]
        told = ["" if math.isnan(cell) else repr(cell) for cell in cells]
        writer.writerow([row.number + 1, *map(repr, values), *told, row.problem])
    return out.getvalue()
