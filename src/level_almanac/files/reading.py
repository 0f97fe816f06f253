"""Find a book and read its `almanac.toml`."""

import tomllib
from pathlib import Path
from typing import Any

from level_almanac.errors import BookMistake, Mistake
from level_almanac.files.outside import BOOK_FILE, check_allowed, links_out
from level_almanac.files.settings import (
    Across,
    AgingSettings,
    AgreeSettings,
    AgreeSide,
    BillingSettings,
    BookFile,
    BookHead,
    BookSettings,
    CalendarSettings,
    ChartSettings,
    Entity,
    EntryClassRules,
    FieldSource,
    IntakeBlock,
    NumberingSettings,
    PageSettings,
    Parents,
    PartiesSettings,
    PlanSettings,
    ProfileSettings,
    Sides,
    StyleSettings,
    TableSettings,
    TotalRows,
)
from level_almanac.files.stamps import is_stamped, stamp


def find_book(start: Path) -> Path:
    """Return the folder at or above `start` that holds a book, as an absolute path.

    Raises BookMistake where there is none.
    """
    start = start.resolve()
    if not start.exists():
        raise BookMistake(Mistake("there is no such folder", "--book", str(start)))
    for folder in (start, *start.parents):
        if (folder / BOOK_FILE).is_file():
            return folder
    raise BookMistake(
        Mistake(
            f"no {BOOK_FILE} here or in any folder above",
            where=str(start),
            next_step="name the book's folder with --book, or write a demo book with `almanac demo`",
        )
    )


def read_book(root: Path) -> BookFile:
    """Return the checked settings of the book in this folder; raise BookMistake with every mistake it has, and where
    a file or folder of its own is a link that leads out of it, which the person has not allowed.
    """
    check_allowed(root, links_out(root))
    path = root / BOOK_FILE
    try:
        raw = path.read_bytes()
        plain = tomllib.loads(raw.decode("utf-8"))
    except FileNotFoundError:
        raise BookMistake(Mistake("there is no such file", where=str(path))) from None
    except UnicodeDecodeError as error:
        line = raw.count(b"\n", 0, error.start) + 1
        raise BookMistake(Mistake("not UTF-8 text", where=f"{BOOK_FILE}:{line}")) from None
    except tomllib.TOMLDecodeError as error:
        raise BookMistake(Mistake("not TOML", where=BOOK_FILE, got=str(error))) from None
    if not is_stamped(root, BOOK_FILE, raw):
        from level_almanac.files.validation.book_file import mistakes_in

        mistakes = mistakes_in(plain)
        if mistakes:
            raise BookMistake(*mistakes)
        stamp(root, BOOK_FILE, raw)
    return BookFile(root, _settings(plain), plain)


def _settings(plain: dict[str, Any]) -> BookSettings:
    return BookSettings(
        book=BookHead(**plain["book"]),
        entities={code: Entity(**section) for code, section in plain["entities"].items()},
        calendar=CalendarSettings(**plain["calendar"]),
        calendars={name: CalendarSettings(**section) for name, section in plain.get("calendars", {}).items()},
        entry_classes=EntryClassRules(**plain.get("entry_classes", {})),
        tables={name: TableSettings(**section) for name, section in plain.get("tables", {}).items()},
        plans={name: PlanSettings(**section) for name, section in plain.get("plans", {}).items()},
        profiles={name: ProfileSettings(**section) for name, section in plain.get("profiles", {}).items()},
        styles={name: StyleSettings(**section) for name, section in plain.get("styles", {}).items()},
        page=PageSettings(**plain.get("page", {})),
        parties=PartiesSettings(**plain.get("parties", {})),
        aging=AgingSettings(**plain.get("aging", {})),
        billing=BillingSettings(**plain.get("billing", {})),
        numbering=[NumberingSettings(**block) for block in plain.get("numbering", [])],
        agree=[_agreement(block) for block in plain.get("agree", [])],
        chart=ChartSettings(**plain.get("chart", {})),
        intake=[intake_block(block) for block in plain.get("intake", [])],
    )


def intake_block(plain: dict[str, Any]) -> IntakeBlock:
    """Return one `[[intake]]` block that was found right."""
    parts = {"across": Across, "sides": Sides, "parents": Parents}
    fields = {
        name: FieldSource(**told) if isinstance(told, dict) else told for name, told in plain.get("fields", {}).items()
    }
    return IntakeBlock(
        **{key: parts[key](**told) if key in parts else told for key, told in plain.items() if key != "totals"}
        | {"fields": fields, "totals": [TotalRows(**each) for each in plain.get("totals", [])]}
    )


def _agreement(plain: dict[str, Any]) -> AgreeSettings:
    sides = {name: AgreeSide(**plain[name]) for name in ("left", "right")}
    return AgreeSettings(**{**plain, **sides})
