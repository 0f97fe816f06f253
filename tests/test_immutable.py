"""Values with named fields are told apart by their type and by what is compared of them."""

import copy
import pickle
from dataclasses import field, replace

from level_almanac.immutable import immutable


@immutable
class Debit:
    """An amount, and where it was read, which does not count."""

    amount: int
    place: str = field(default="", compare=False)


@immutable(kw_only=True)
class Credit:
    """The same under another name."""

    amount: int


@immutable
class Nothing:
    """A value without fields."""


def test_values_are_equal_by_type_and_fields() -> None:
    assert Debit(5, "a") == Debit(5, "b") != Debit(6, "a")
    others: tuple[object, ...] = (Credit(amount=5), Nothing(), 5)
    assert Debit(5) not in others
    assert Nothing() == Nothing()
    assert len({Debit(5, "a"), Debit(5, "b"), Credit(amount=5), Nothing(), Nothing()}) == 3
    assert replace(Debit(5, "a"), amount=6) == Debit(6)


def test_values_survive_being_sent_and_tell_what_they_are() -> None:
    for value in (Debit(5, "a"), Credit(amount=5), Nothing()):
        assert pickle.loads(pickle.dumps(value)) == copy.deepcopy(value) == value  # noqa: S301  our own bytes
    assert repr(Debit(5, "a")) == "Debit(amount=5, place='a')"
