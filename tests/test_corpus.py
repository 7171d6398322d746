"""Designs that earlier versions wrote come to what those versions made of them.

`corpus/format-2.jsonl.xz`: a line for each of some five hundred designs (demos, tests' designs, random solids, random walks through
a session), with what they came to when they were written, as `figures` says it.
"""

from __future__ import annotations

import json
import lzma
import re
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from isotomon.design.file import decode
from isotomon.inspect.quick import rebuild
from tests.figures import figures
from tests.helpers import trials

CORPUS = Path(__file__).parent / "corpus"
EVERY = trials(1, 20)
"""Every so many of them are tried."""


NEAR = 2e-5
"""Of the largest of a row of figures: another machine's rounding may part a span more or less, and so moves the sections of unlike
profiles by what they are fitted to, 1e-6 of a chord; most designs come out the same to 1e-9."""


def differences(here: Any, there: Any, where: str = "") -> list[str]:
    """Where two values differ by more than rounding."""
    if isinstance(here, dict) and isinstance(there, dict):
        if here.keys() != there.keys():
            return [f"{where}: {sorted(here.keys() ^ there.keys())}"]
        return [text for key in here for text in differences(here[key], there[key], f"{where}/{key}")]
    if isinstance(here, list) and isinstance(there, list) and len(here) == len(there):
        if all(isinstance(x, float | int) for x in (*here, *there)):
            a, b = np.array(here, dtype=float), np.array(there, dtype=float)
            near = 1e-9 + NEAR * float(np.nanmax(np.abs(b), initial=0.0))
            return [] if np.allclose(a, b, rtol=0.0, atol=near, equal_nan=True) else [f"{where}: {a} {b}"]
        pairs = zip(here, there, strict=True)
        return [text for k, (x, y) in enumerate(pairs) for text in differences(x, y, f"{where}/{k}")]
    if isinstance(here, float | int) and isinstance(there, float | int):
        return differences([here], [there], where)
    return [] if here == there else [f"{where}: {here!r} {there!r}"]


MENDED = {405, 425, 429, 454, 470, 483, 506}
"""Designs in which something stands on a part of another body that was not looked for then, and of which something else is said."""


def placeless(made: dict[str, Any]) -> dict[str, Any]:
    """The same without where along the body a finding is: the worst of places that are equally bad but for rounding; and
    whichever thing a circle is said to begin with."""
    findings = [
        [s, re.sub(r"^(.*: )?[\d.,-]+ mm along$", r"\1along", where), _circle_in_order(text)]
        for s, where, text in made["findings"]
    ]
    return {**made, "findings": sorted(findings)}


def _circle_in_order(text: str) -> str:
    found = re.search(r"in a circle: (.*?);", text)
    names = ", ".join(sorted(set(found[1].split(" → ")))) if found else ""
    return f"a circle of {names}" if found else text


def wordless(made: dict[str, Any]) -> dict[str, Any]:
    """The same without what findings say."""
    return {**made, "findings": [[s, where] for s, where, _ in made["findings"]]}


class Corpus(unittest.TestCase):
    """Files of format 2."""

    def test_designs_come_to_what_they_did(self) -> None:
        """Volumes, areas, turns, lasting names, datums, guides, readings and findings."""
        lines = lzma.decompress((CORPUS / "format-2.jsonl.xz").read_bytes()).splitlines()
        self.assertGreater(len(lines), 500)
        for number in range(0, len(lines), EVERY):
            kept = json.loads(lines[number])
            made = figures(rebuild(decode(json.dumps(kept["file"]).encode()), kept["file"]["loft"]["id"]))
            there, here = placeless(kept["figures"]), placeless(json.loads(json.dumps(made)))
            if number in MENDED:
                there, here = wordless(there), wordless(here)
            with self.subTest(number=number, origin=kept["from"]):
                self.assertEqual(differences(here, there), [])


if __name__ == "__main__":
    unittest.main()
