"""Writes what is made from the records: the JSON Schema of the design file, and the page of the operations."""

from __future__ import annotations

from pathlib import Path

import msgspec

from isotomon.design.disk import write_atomically
from isotomon.design.file import SCHEMA_FILE, schema
from isotomon.exchange.operations import page

PAGE = Path(__file__).parent.parent / "docs" / "operations.md"

if __name__ == "__main__":
    write_atomically(SCHEMA_FILE, msgspec.json.format(msgspec.json.encode(schema()), indent=1) + b"\n")
    write_atomically(PAGE, page().encode())
    print(SCHEMA_FILE, PAGE)
