"""How a text that others wrote reaches a person: in a terminal or a page visibly, in a spreadsheet as no formula."""

import re
import unicodedata

_BEGINS_ONE = "=+-@\t\r"
"""What a text begins with that runs as a formula."""
_HIDDEN = ("Cc", "Cf", "Cs", "Co", "Zl", "Zp")
"""The kinds of letters that are seen as nothing, move others about or steer a terminal."""
_PLAIN = re.compile(r"[\n\x20-\x7e\xa0-\xac\xae-\u02ff\u2010-\u2027\u2030-\u205f\u20a0-\u22ff]*")
_JOINERS = "\u200c\u200d"
_NAMED = {"\t": "\\t", "\r": "\\r"}


def visible(text: str) -> str:
    """Return a text in which each letter that would act or hide is shown as its number, as `\\x1b` or `\\u202e`.

    Line ends stay; so do joiners in the scripts that write with them.
    """
    if _PLAIN.fullmatch(text):
        return text
    plain = text.replace("\r\n", "\n")
    before = ["", *plain[:-1]]
    return "".join(_shown(letter, last) for letter, last in zip(plain, before, strict=True))


def _shown(letter: str, before: str) -> str:
    if letter == "\n" or unicodedata.category(letter) not in _HIDDEN or (letter in _JOINERS and before > "\u02ff"):
        return letter
    code = ord(letter)
    number = f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}" if code < 65536 else f"\\U{code:08x}"
    return _NAMED.get(letter, number)


def inert(text: str) -> str:
    """Return a text for a CSV that a spreadsheet may open: what would run there as a formula begins with `'`."""
    if not text or (text[0] not in _BEGINS_ONE and "\r" not in text):
        return text
    # A bare carriage return would end the record for some readers.
    plain = text.replace("\r\n", "\n").replace("\r", "\n")
    return f"'{plain}" if text[0] in _BEGINS_ONE else plain
