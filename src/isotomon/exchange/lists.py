"""Lists of numbers as text: copies, and pairs of shares."""

from __future__ import annotations

from collections.abc import Sequence

from isotomon.errors import DesignError
from isotomon.quantity.record import Pair

MOST = 1000


def numbers(text: str) -> tuple[int, ...]:
    """Numbers of copies, counted from 0, of a text that counts them from 1.

    Raises: DesignError.
    """
    words = text.replace(",", " ").split()
    if not all(w.isdecimal() and 0 < int(w) <= MOST for w in words):
        raise DesignError(f"'{text}' is no list of numbers of copies; write such as 2, 5")
    return tuple(sorted({int(w) - 1 for w in words}))


def said_numbers(copies: Sequence[int]) -> str:
    """The text that says some copies."""
    return ", ".join(str(n + 1) for n in copies)


def pairs(text: str) -> tuple[Pair, ...]:
    """Pairs of shares from 0 to 1.

    Raises: DesignError.
    """
    found = list[Pair]()
    try:
        for word in text.replace(",", " ").split():
            first, second = word.split(":")
            found.append((float(first), float(second)))
    except ValueError:
        raise DesignError(f"'{text}' is no list of pairs of shares; write such as 0.3:0.4, 0.7:0.6") from None
    if len(found) > MOST or not all(0.0 <= share <= 1.0 for pair in found for share in pair):
        raise DesignError(f"'{text}': shares lie between 0 and 1")
    return tuple(found)


def said_pairs(shares: Sequence[Pair]) -> str:
    """The text that says some pairs."""
    return ", ".join(f"{first:g}:{second:g}" for first, second in shares)
