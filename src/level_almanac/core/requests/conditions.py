"""The conditions of --only and --except, as they were written."""

from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    pass


class Conditions(NamedTuple):
    """The conditions of --only and --except, as they were written."""

    only: tuple[str, ...] = ()
    besides: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.only or self.besides)

    @property
    def are_texts(self) -> bool:
        """Whether each side is a tuple of texts, as a request needs it."""
        return all(isinstance(side, tuple) and all(isinstance(each, str) for each in side) for side in self)

    @property
    def words(self) -> list[str]:
        """Each in words, for a report's head."""
        return [*(flat(text) for text in self.only), *(f"except {flat(text)}" for text in self.besides)]


def flat(text: str) -> str:
    """Return an expression on one line, with single spaces."""
    return " ".join(text.split())
