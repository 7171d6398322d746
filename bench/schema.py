"""Writes what is made from the records: the JSON Schema of the design file, and the pages of the operations and of the skins."""

from __future__ import annotations

from pathlib import Path

import msgspec

from isotomon.design.disk import write_atomically
from isotomon.design.file import SCHEMA_FILE, schema
from isotomon.exchange.operations import page, skins_page

DOCS = Path(__file__).parent.parent / "docs"
PAGES = {"operations.md": page, "skins.md": skins_page}

if __name__ == "__main__":
    write_atomically(SCHEMA_FILE, msgspec.json.format(msgspec.json.encode(schema()), indent=1) + b"\n")
    for name, written in PAGES.items():
        write_atomically(DOCS / name, written().encode())
    print(SCHEMA_FILE, *PAGES)
