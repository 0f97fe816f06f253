"""The errors that a person can cause, each with the exit code of the command that meets it."""

import difflib
from collections.abc import Iterable

from level_almanac.immutable import immutable

_MOST_TOLD, _MOST_LISTED = 400, 2000
"""How many letters a message tells of a place or a value, and of what would be right."""


@immutable
class Mistake:
    """One thing that is wrong, in five parts, each of which may be empty but the first.

    what: what is wrong; where: `file:line: field`, a key's path or an option; got: the value found;
    allowed: what would be right; next_step: what to do about it; shown: the expression with carets under the words
    meant, to be printed beneath; alike: how many further ones it stands for, through the line `last`.
    """

    what: str
    where: str = ""
    got: str = ""
    allowed: str = ""
    next_step: str = ""
    shown: str = ""
    alike: int = 0
    last: str = ""

    def __str__(self) -> str:
        parts = [f"{_cut(self.where)}: {self.what}" if self.where else self.what]
        if self.got:
            parts[0] += f": {_cut(self.got)}"
        if self.allowed:
            parts.append(f"expected {_cut(self.allowed, _MOST_LISTED)}")
        if self.next_step:
            parts.append(_cut(self.next_step, _MOST_LISTED))
        if self.alike:
            parts.append(f"and {self.alike:,} more like it, through {self.last}")
        words = "; ".join(parts)
        return f"{words}\n{self.shown}" if self.shown else words


class AlmanacError(Exception):
    """The base of all errors that are told in words and never as a traceback.

    exit_code: what the command ends with; mistakes: what is wrong, at least one; total: how many mistakes there
    were, where only the first ones are kept.
    """

    exit_code = 1

    def __init__(self, *mistakes: Mistake, total: int | None = None) -> None:
        super().__init__("\n".join(str(mistake) for mistake in mistakes))
        self.mistakes = mistakes
        self.total = self.told if total is None else total

    @property
    def told(self) -> int:
        """How many mistakes the ones that are kept stand for."""
        return sum(1 + mistake.alike for mistake in self.mistakes)


class UsageMistake(AlmanacError):
    """An option or expression on the command line cannot be taken as it is."""

    exit_code = 2


class BookMistake(AlmanacError):
    """The book's files or its exports hold something that cannot be taken as it is."""

    exit_code = 3


class FoundMistake(AlmanacError):
    """A check or a proof found something, as a command would end with 1 for."""

    exit_code = 1


class BookBusy(AlmanacError):
    """Another load is writing to the book."""

    exit_code = 4


def _cut(words: str, most: int = _MOST_TOLD) -> str:
    """Return words as they are told: a value may be as long as a file is."""
    more = len(words) - most
    return words if more <= 0 else f"{words[:most]}… ({more:,} more letters)"


def nearest(word: str, known: Iterable[str]) -> str:
    """Return the known word closest to `word`, ready to be put in a message, or an empty string."""
    close = close_to(word, known)
    return f"did you mean {close!r}?" if close else ""


def close_to(word: str, known: Iterable[str]) -> str:
    """Return the known word closest to `word`, or an empty string where none is close."""
    folded = {name.casefold(): name for name in known}
    sought = word.casefold()
    close = difflib.get_close_matches(sought, folded, n=8, cutoff=0.6)
    if not close:
        return ""
    # Codes are mistyped at their end rather than at their start.
    best = max(
        close, key=lambda name: (difflib.SequenceMatcher(None, sought, name).ratio(), _shared_start(sought, name))
    )
    return folded[best]


def _shared_start(one: str, other: str) -> int:
    return next((at for at, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))


def how_many(number: int, what: str, plural: str = "") -> str:
    """Return `1 page` or `1,204 pages`. plural: of what does not only take an s."""
    return f"{number:,} {what if number == 1 else plural or f'{what}s'}"


def listed(words: Iterable[str]) -> str:
    """Return the words as `a, b or c`."""
    *front, last = list(words) or [""]
    return f"{', '.join(front)} or {last}" if front else last
