"""Short walks with fixed seeds; `make walk` takes an hour of others."""

from __future__ import annotations

import logging
import tempfile
import unittest
from pathlib import Path

from tests import walk_files, walk_session, walks
from tests.helpers import full_vessel, trials
from tests.walk_session import starts

STEPS = trials(60, 9)
"""Of a walk through a session."""


class Walks(unittest.TestCase):
    """Nothing that is done at random breaks anything; what is refused is refused in words."""

    def setUp(self) -> None:
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.folder = Path(scratch.name)

    def test_through_a_session(self) -> None:
        """Edits of every kind of record on an empty design and a demo, undone to the first bytes."""
        for seed, design in ((7, starts()[0]), (8, full_vessel())):
            self.assertEqual(len(walk_session.walk(design, seed, STEPS, self.folder).done), STEPS)

    def test_through_the_window(self) -> None:
        """Commands, keys, clicks, drags and fields: no exception, logged error or warning, every view on the newest design."""
        self.assertEqual(walks.one_window(14, 40, self.folder), 40)

    def test_damaged_files(self) -> None:
        """Every reader refuses most of what is damaged, in words and in time, and changes nothing."""
        logging.getLogger("ezdxf").setLevel(logging.CRITICAL)
        for reader in walk_files.sources():
            with self.subTest(reader):
                refused = walk_files.walk(reader, 3, 60, self.folder)
                self.assertGreater(refused, 0 if reader != "body" else -1)
