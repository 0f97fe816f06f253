"""Markdown: the report as a table that mail and wikis show, its proof and notes as a list."""

from level_almanac.core.table.model import ReportTable
from level_almanac.output.terminal import page_lines
from level_almanac.output.text import cell_words, notes, proof_lines


def markdown(table: ReportTable) -> str:
    """Return the report as Markdown; totals are bold, and what Markdown would read as marks is escaped."""
    return "\n".join(_markdown(each) for each in table.all_sheets)


def _markdown(table: ReportTable) -> str:
    lines = [f"# {_plain(table.title)}", "", *(f"{_plain(line)}  " for line in page_lines(table)), ""]
    heads = [_plain(table.key_label)]
    told = [(column.group, column.label, column.covers, column.extent) for column in table.columns]
    heads += ["<br>".join(_plain(part) for part in parts if part) for parts in told]
    if table.show_keys:
        heads.insert(0, "")
    aligned = ["---:" if column.kind != "text" else ":---" for column in table.columns]
    lines.append(f"| {' | '.join(heads)} |")
    lines.append(f"| {' | '.join([':---'] * (len(heads) - len(table.columns)) + aligned)} |")
    for row in table.rows:
        cells = [_plain(cell_words(row.cells.get(column.key), column, row, table).strip()) for column in table.columns]
        label = f"{'&emsp;' * row.level}{_bold(_plain(row.label), row.kind)}"
        front = [_plain(row.key) if row.kind == "line" else "", label] if table.show_keys else [label]
        lines.append(f"| {' | '.join([*front, *(_bold(cell, row.kind) for cell in cells)])} |")
    lines.append("")
    lines += [f"- proof: {_plain(line.words)}" for line in proof_lines(table)]
    lines += [f"- note: {_plain(line)}" for line in notes(table)]
    return "\n".join(lines).rstrip() + "\n"


def _bold(text: str, kind: str) -> str:
    return f"**{text}**" if text and kind in ("group", "heading", "subtotal", "total") else text


def _plain(text: str) -> str:
    for mark in "\\`*_[]<>|#":
        text = text.replace(mark, f"\\{mark}")
    return " ".join(text.split())
