"""One file of definitions, a layout or a page: read, and checked where it was not yet found right."""

import tomllib
from collections.abc import Callable, Sequence
from decimal import Decimal
from importlib import import_module
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.stamps import is_stamped, stamp


def read_definition(root: Path, where: str, checks: str) -> tuple[str, dict[str, Any]]:
    """Return the text of a file of the book and the TOML in it, numbers as Decimal.

    where: its path within the book; checks: `module:function` of files/validation, imported where the file has to be
    checked. Raises BookMistake with every mistake in it.
    """
    raw = (root / where).read_bytes()
    try:
        text = raw.decode("utf-8")
        plain = tomllib.loads(text, parse_float=Decimal)
    except UnicodeDecodeError:
        raise BookMistake(Mistake("not UTF-8 text", where)) from None
    except tomllib.TOMLDecodeError as error:
        raise BookMistake(Mistake("not TOML", where, str(error))) from None
    if not is_stamped(root, where, raw):
        module, _, name = checks.partition(":")
        found: Callable[[dict[str, Any], str], Sequence[Mistake]] = getattr(
            import_module(f"level_almanac.files.validation.{module}"), name
        )
        if mistakes := found(plain, where):
            raise BookMistake(*mistakes)
        stamp(root, where, raw)
    return text, plain
