"""Writes what is proposed as TOML, with what was unsure beside it."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from level_almanac.shown_text import visible

_NOT_IN_TEXT = re.compile(r'[\\"\x00-\x1f\x7f-\x9f\ud800-\udfff]')


@dataclass(slots=True)
class ProposedBlock:
    """One block in the writing.

    keys: its plain keys in order; fields: by field the head, or what else it is made of; remarks: behind a field;
    values: by field the export's words and ours, nothing for those that are not known; left: heads that are not taken;
    missing: fields that are needed; choices: of fields with few words; unsure: what was unsure of the block; blank:
    columns that hold nothing; section: what the book is to say of its table.
    """

    keys: dict[str, Any]
    fields: dict[str, Any] = field(default_factory=dict)
    remarks: dict[str, str] = field(default_factory=dict)
    values: dict[str, dict[str, str]] = field(default_factory=dict)
    left: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    choices: dict[str, Sequence[str]] = field(default_factory=dict)
    unsure: list[str] = field(default_factory=list)
    blank: list[str] = field(default_factory=list)
    section: dict[str, Any] = field(default_factory=dict)

    def lines(self) -> Iterator[str]:
        """Yield the lines of the block."""
        yield "[[intake]]"
        for key, value in self.keys.items():
            if key != "totals":
                yield f"{key} = {toml(value)}"
        if self.keys.get("totals"):
            yield f"totals = {toml(self.keys['totals'])}"
        yield ""
        yield "[intake.fields]"
        for name, told in self.fields.items():
            remark = f"  {comment(self.remarks[name])}" if name in self.remarks else ""
            yield f"{name} = {toml(told)}{remark}"
        yield from (f'# {name} = "…"  needed, and no head looks like it' for name in self.missing)
        if self.blank:
            yield comment(f"Blank in every row: {', '.join(self.blank)}.")
        if self.left:
            yield comment(f"Not taken: {', '.join(self.left)}.")
            yield f"# To have one, declare it in [tables.{self.keys['table']}.fields] of almanac.toml and map it here."
        yield from self._values_lines()

    def _values_lines(self) -> Iterator[str]:
        for name, words in self.values.items():
            yield ""
            yield f"[intake.values.{name}]"
            for word, ours in words.items():
                if ours:
                    yield f"{_key(word)} = {toml(ours)}"
                else:
                    yield comment(f'{_key(word)} = "…"  one of {" or ".join(self.choices.get(name, ()))}')


def merged_sections(blocks: Sequence[ProposedBlock]) -> dict[str, dict[str, Any]]:
    """Return by table what the book is to say of it, for several blocks in one."""
    found: dict[str, dict[str, Any]] = {}
    for block in blocks:
        if block.section:
            before = found.get(block.keys["table"], {})
            fields = {**before.get("fields", {}), **block.section.get("fields", {})}
            found[block.keys["table"]] = {**before, **block.section, "fields": fields}
    return found


def text_of(blocks: Sequence[ProposedBlock], name: str, records: int, sections: Mapping[str, Mapping[str, Any]]) -> str:
    """Return blocks as commented TOML, with what was unsure first.

    records: how many were looked at; sections: of tables, that are to stand before the blocks.
    """
    head = [comment(f"Proposed from the first {records:,} records of {name}. Read it before you load.")]
    unsure = list(dict.fromkeys(words for block in blocks for words in block.unsure))
    head += [comment(f"UNSURE of {words}.") for words in unsure] or ["# Nothing was unsure."]
    body = []
    for table, section in sections.items():
        body += [f"[tables.{table}]", *(f"{key} = {toml(value)}" for key, value in section.items()), ""]
    for block in blocks:
        body += [*block.lines(), ""]
    return "\n".join([*head, *body])


def toml(value: Any) -> str:
    """Return a value as TOML on one line."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int):
        return str(value)
    if isinstance(value, Mapping):
        return f"{{ {', '.join(f'{_key(str(key))} = {toml(each)}' for key, each in value.items())} }}"
    if isinstance(value, list | tuple):
        return f"[{', '.join(toml(each) for each in value)}]"
    return f'"{_NOT_IN_TEXT.sub(_escaped, str(value))}"'


def _key(word: str) -> str:
    return word if re.fullmatch(r"[A-Za-z0-9_-]+", word) else toml(word)


def _escaped(match: re.Match[str]) -> str:
    letter = match[0]
    if "\ud800" <= letter <= "\udfff":
        return "\ufffd"
    return f"\\{letter}" if letter in '\\"' else f"\\u{ord(letter):04x}"


def comment(words: str) -> str:
    """Return a line of remarks, on which whatever stands in an export stays, and is seen."""
    return f"# {visible(words)}".replace("\n", "\\n")
