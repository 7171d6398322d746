"""Writes the JSON Schema of the design file into the package."""

from __future__ import annotations

import msgspec

from isotomon.design.file import SCHEMA_FILE, schema, write_atomically

if __name__ == "__main__":
    write_atomically(SCHEMA_FILE, msgspec.json.format(msgspec.json.encode(schema()), indent=1) + b"\n")
    print(SCHEMA_FILE)
