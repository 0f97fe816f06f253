"""Write pages and their locks: comments and the order of what a person wrote are kept."""

import tomllib
from collections.abc import Iterator, Mapping
from datetime import date
from pathlib import Path
from types import MappingProxyType
from typing import Any

from level_almanac.errors import BookMistake, Mistake, UsageMistake
from level_almanac.files.explanations import explanations_path
from level_almanac.files.pages import FOLDER, LOCKS, Page, page_path, placeholders, read_rule
from level_almanac.immutable import immutable
from level_almanac.whole_file import write_whole

LOCK_BROKEN = "LOCKED, BUT CHANGED SINCE"
_LOCKS_HEAD = "# Pages that almanac does not write over, with the hash that each had when it was locked."


@immutable
class Lock:
    """A page's lock: the hash of its file when it was locked, and the day of that."""

    sha256: str
    locked: str


def page_text(
    before: str,
    report: str,
    options: Mapping[str, Any],
    ask: Mapping[str, Mapping[str, Any]],
    words: Mapping[str, str],
    answers: Mapping[str, str] = MappingProxyType({}),
) -> str:
    """Return the text of a page. before: its text until now, or empty; words: its title and what it is about; answers:
    the new defaults of questions that it has.

    Questions that the page has already stay where an option still takes their answer in; so do comments and the order
    of keys.
    """
    import tomlkit

    document = tomlkit.parse(before)
    for key, value in words.items():
        if value:
            document[key] = value
    document["report"] = report
    if "options" not in document:
        document["options"] = tomlkit.table()
    _set_options(document["options"], options)
    if ask:
        if "ask" not in document:
            document["ask"] = tomlkit.table(is_super_table=True)
        asked: Any = document["ask"]
        for name, question in ask.items():
            section = tomlkit.table()
            section.update(question)
            asked[name] = section
    _drop_unasked(document)
    for name, answer in answers.items():
        if name in document.get("ask", {}):
            document["ask"][name]["default"] = answer
    return tomlkit.dumps(document)


def _drop_unasked(document: Any) -> None:
    """Drop the questions whose answer nothing takes in: a page is not right with them."""
    asked = document.get("ask", {})
    texts = [document["report"], *_texts_of(document["options"])]
    for name in reversed([*asked]):
        # A later question may go by an earlier one's answer, so the last is looked at first.
        if name in {each.partition(".")[0] for text in texts for each in placeholders(text)}:
            limits = (str(asked[name].get(key, "")) for key in ("least", "most"))
            texts += [*limits, f"{{{read_rule(str(asked[name].get('when', ''))).question}}}"]
        else:
            del asked[name]


def _texts_of(options: Mapping[str, Any]) -> Iterator[str]:
    """Yield the texts of options: their values, and those of lists."""
    for value in options.values():
        yield from map(str, value if isinstance(value, list) else [value])


def _set_options(table: Any, options: Mapping[str, Any]) -> None:
    """Have a table hold these options: what stays keeps its place and its comments."""
    for key in [key for key in table if key not in options]:
        del table[key]
    # What stands after the last option is about what comes next, so new options go before it.
    body, after = table.value.body, list[Any]()
    while body and body[-1][0] is None:
        after.insert(0, body.pop())
    for key, value in options.items():
        if key not in table or table[key] != value:
            table[key] = value
    body.extend(after)


def write_page(root: Path, name: str, text: str, *, replace: bool = False) -> Path:
    """Write a page's file in one step and return its path. Like check_writable, it raises UsageMistake."""
    check_writable(root, name, replace=replace)
    path = page_path(root, name)
    path.parent.mkdir(parents=True, exist_ok=True)
    write_whole(path, text)
    return path


def check_writable(root: Path, name: str, *, replace: bool = False) -> None:
    """Raise UsageMistake where a page is locked, or is there already. replace: whether it may be."""
    if name in read_locks(root):
        step = f"run `almanac page unlock {name}` first"
        raise UsageMistake(Mistake("this page is locked", f"{FOLDER}/{name}.toml", next_step=step))
    if page_path(root, name).exists() and not replace:
        step = "take another name, or --replace to write it anew"
        raise UsageMistake(Mistake("a page has this name already", f"{FOLDER}/{name}.toml", next_step=step))


def rename_page(root: Path, page: Page, name: str) -> Path:
    """Give a page of the book another name, its explanations too; raise UsageMistake where it is locked or the name is
    taken.
    """
    if page.path is None:
        step = f"copy it: `almanac page copy {page.name} NAME`"
        raise UsageMistake(Mistake("a built-in page keeps its name", "PAGE", repr(page.name), next_step=step))
    if page.name in read_locks(root):
        step = f"run `almanac page unlock {page.name}` first"
        raise UsageMistake(Mistake("this page is locked", page.where, next_step=step))
    path = write_page(root, name, page.text)
    page.path.unlink()
    source, target = explanations_path(root, page.name), explanations_path(root, name)
    if source.is_file():
        target.parent.mkdir(parents=True, exist_ok=True)
        source.replace(target)
    return path


def read_locks(root: Path) -> dict[str, Lock]:
    """Return the locks by page; raises BookMistake where their file cannot be read."""
    path = root / FOLDER / LOCKS
    try:
        plain = tomllib.loads(path.read_text(encoding="utf-8"))
        return {name: Lock(str(section["sha256"]), str(section["locked"])) for name, section in plain.items()}
    except FileNotFoundError:
        return {}
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, KeyError, TypeError) as error:
        step = "mend it, or delete it and lock the pages again"
        raise BookMistake(
            Mistake("the locks cannot be read", f"{FOLDER}/{LOCKS}", str(error), next_step=step)
        ) from None


def keep_locks(root: Path, locks: Mapping[str, Lock]) -> None:
    """Write the locks, or let their file go where there are none."""
    path = root / FOLDER / LOCKS
    if not locks:
        path.unlink(missing_ok=True)
        return
    lines = [
        f'"{name}" = {{ sha256 = "{lock.sha256}", locked = {lock.locked} }}' for name, lock in sorted(locks.items())
    ]
    path.parent.mkdir(exist_ok=True)
    write_whole(path, "\n".join([_LOCKS_HEAD, *lines, ""]))


def lock_words(locks: Mapping[str, Lock], page: Page) -> str:
    """Return `locked`, LOCK_BROKEN, or nothing."""
    lock = locks.get(page.name)
    if lock is None:
        return ""
    return "locked" if lock.sha256 == page.sha256 else LOCK_BROKEN


def locked_on(page: Page, day: date) -> Lock:
    """Return the lock of a page as it is now."""
    return Lock(page.sha256, day.isoformat())
