"""The form that datums, guides and measures share: made from what their kind declares it is made of, asks for and offers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TypeVar

from isotomon.app.forms.form import Form, Offer, given
from isotomon.app.state.desk import Desk
from isotomon.design import edits
from isotomon.design.datums import Datum
from isotomon.design.gauges import Gauge
from isotomon.design.guides import Guide
from isotomon.design.recipe import Field
from isotomon.design.records import Design

T = TypeVar("T")
Made = Datum | Guide | Gauge


class DeclaredForm(Form):
    """Edits one record of a kind that declares itself; forms of datums, guides and measures add what only they have."""

    WHAT = ""
    """What it is called in the titles of edits."""
    SLOTS: Mapping[str, str] = {}
    """Letter → the title of a row for it."""

    def __init__(self, desk: Desk, key: str) -> None:
        super().__init__(desk)
        self.key = key
        recipe = self.record().recipe
        self.text(recipe.title, head=True)
        self.name(lambda: self.record().name, lambda text: self.change(name=text), self.WHAT)
        self.begin()
        letters = self.letters()
        for k, letter in enumerate(letters):
            self._slot(k, letter, len(letters))
        for k, (title, allowed) in enumerate(recipe.choices):
            self._choice(k, title, allowed)
        self.middle()
        for k, field in enumerate(recipe.fields):
            self._value(k, field)
        self.finish()
        self.refresh()

    # What each of them says

    def records(self) -> tuple[Made, ...]:
        """All of the design's records of this kind."""
        raise NotImplementedError

    def edit(self, design: Design, **changes: object) -> Design:
        """The design with fields of this record changed."""
        raise NotImplementedError

    def offers(self, letter: str) -> list[Offer]:
        """What can stand where the kind asks for a letter."""
        raise NotImplementedError

    def begin(self) -> None:
        """Rows after the name."""

    def middle(self) -> None:
        """Rows before the numbers."""

    def finish(self) -> None:
        """Rows at the end."""

    def letters(self) -> list[str]:
        """The letters of what it is made of."""
        return list(self.record().recipe.on)

    def slot_title(self, k: int, letter: str, many: int) -> str:
        """The title of what stands in a place."""
        return self.SLOTS[letter] if many < 3 else f"{self.SLOTS[letter]} {k + 1}"

    def lost(self, ref: str) -> str:
        """What is chosen, and not offered, in words."""
        return f"✕ {ref or 'nothing'}: pick again"

    def tip(self, field: Field) -> str:
        """What a number is."""
        return field.title

    def wanted(self, field: Field) -> bool:
        """Whether a number has any effect now."""
        return True

    # What they share

    def there(self) -> bool:
        """Whether the record is there still."""
        return self.desk.design is not None and any(r.id == self.key for r in self.records())

    def record(self) -> Made:
        """The record as it is now."""
        return edits.find(self.records(), self.key)

    def change(self, **changes: object) -> Callable[[Design], Design]:
        """An edit of this record's fields."""
        return lambda d: self.edit(d, **changes)

    def _slot(self, k: int, letter: str, many: int) -> None:
        title = self.slot_title(k, letter, many)
        self.pick(
            title,
            lambda: [offer for offer in self.offers(letter) if offer[0] != self.key],
            lambda: self.record().on[k],
            lambda ref: self.do("pick again", self.change(on=_with(self.record().on, k, ref))),
            lost=self.lost,
            name=f"{title} {k + 1}" if many < 3 else title,
        )

    def _choice(self, k: int, title: str, allowed: tuple[str, ...]) -> None:
        self.pick(
            title,
            {word: word.capitalize() for word in allowed},
            lambda: self.record().choices[k],
            lambda word: self.do(f"change {title.lower()}", self.change(choices=_with(self.record().choices, k, word))),
        )

    def _value(self, k: int, field: Field) -> None:
        self.number(
            self.number_key(k, field),
            field.title,
            field.kind,
            lambda: self.record().values[k],
            lambda value: self.change(values=_with(self.record().values, k, given(value))),
            self.tip(field),
            does=f"change {self.record().name}",
            shown=lambda: self.wanted(field),
        )

    def number_key(self, k: int, field: Field) -> str:
        """By what the number's field is found."""
        return str(k)


def _with(values: tuple[T, ...], k: int, value: T) -> tuple[T, ...]:
    return (*values[:k], value, *values[k + 1 :])
