"""A line beneath a report's title, in which places stand for what is the report's own; and the sizes of its type."""

import re

PLACES = ("{entity}", "{days}", "{as-of}")
"""What can stand in such a line: whose report it is, which days it covers, and the day that it is made for."""
LEAST_SIZE, MOST_SIZE = 6, 14
_PLACE = re.compile(r"\{([^{}]*)\}")


def wrong_place(line: str) -> str:
    """Return the first place in a line that stands for nothing, or an empty string."""
    return next((found[0] for found in _PLACE.finditer(line) if found[0] not in PLACES), "")


def filled_line(line: str, words: dict[str, str]) -> str:
    """Return a line with the words of each place in it."""
    return _PLACE.sub(lambda found: words.get(found[1], found[0]), line)
