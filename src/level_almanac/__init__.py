"""Level Almanac: period reports from accounting exports that prove themselves, to the cent."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from level_almanac.api.book import Book

__version__ = "0.1.0"
__all__ = ["Book", "__version__"]


def __getattr__(name: str) -> object:
    # The command's help must not wait for all that an open book needs.
    if name == "Book":
        from level_almanac.api.book import Book

        return Book
    raise AttributeError(name)
