"""Between the words of a command line and options by name: what a page keeps, and what it comes to."""

from collections.abc import Mapping, Sequence
from typing import Any

from level_almanac.core.requests.options import Option
from level_almanac.errors import Mistake, UsageMistake, listed, nearest


def options_in(known: Sequence[Option], words: Sequence[str], where: str) -> dict[str, Any]:
    """Return what words give each option, in their order: a text, a list of texts, or true.

    Raises UsageMistake for an option that is not known, one without its value, and an argument too few or too many.
    """
    named = {each.name: each for each in known if not each.argument}
    values: dict[str, Any] = {}
    plain, left = list[str](), list(words)
    while left:
        word = left.pop(0)
        if word.startswith("-o") and "output" in named:
            # The one option that has a short name too.
            word = f"--output={word[2:]}" if word[2:] else "--output"
        if not word.startswith("--") or word == "--":
            plain += left if word == "--" else [word]
            left = [] if word == "--" else left
            continue
        name, equals, value = word[2:].partition("=")
        if name not in named:
            hint = nearest(name, named)
            raise UsageMistake(Mistake("there is no such option", where, f"--{name}", listed(sorted(named)), hint))
        _give(values, named[name], [value] if equals else [], left, where)
    return {**_arguments([each for each in known if each.argument], plain, where), **values}


def _give(found: dict[str, Any], option: Option, told: list[str], left: list[str], where: str) -> None:
    if option.kind == "flag":
        found[option.name] = True
        return
    wanted = 2 if option.kind == "amounts" else 1
    while len(told) < wanted and left:
        told.append(left.pop(0))
    if len(told) < wanted:
        raise UsageMistake(Mistake("an option without its value", where, f"--{option.name}", option.allowed))
    if option.name in found and not option.several:
        if not option.listed:
            raise UsageMistake(Mistake("given more than once, and takes one value", where, f"--{option.name}"))
        told = [option.joint.join([found[option.name], *told])]
    found[option.name] = [*found.get(option.name, []), *told] if option.several else told if wanted > 1 else told[0]


def _arguments(known: Sequence[Option], words: Sequence[str], where: str) -> dict[str, Any]:
    values: dict[str, Any] = {}
    left = list(words)
    for option in known:
        if option.several:
            told, left = left, []
        else:
            told, left = left[:1], left[1:]
        if told:
            values[option.name] = told if option.several else told[0]
        elif option.required:
            raise UsageMistake(Mistake("an argument is missing", where, allowed=option.called))
    if left:
        raise UsageMistake(Mistake("more arguments than it takes", where, repr(left[0])))
    return values


def words_of(known: Mapping[str, Option], told: Mapping[str, Any]) -> list[str]:
    """Return the words that give options these values. told: texts, lists of them, truth values."""
    words = []
    for name, value in told.items():
        option = known[name]
        parts = value if isinstance(value, list) else [value]
        if option.kind == "flag":
            words += [f"--{name}"] if value in (True, "yes") else []
        elif option.kind == "amounts":
            words += [f"--{name}", *map(str, parts)]
        else:
            shown = parts if option.several else [option.joint.join(map(str, parts))] if parts else []
            words += [f"--{name}={part}" for part in shown]
    return words
