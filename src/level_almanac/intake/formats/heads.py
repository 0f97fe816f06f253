"""The heads of an export's columns, from the rows that they stand in."""

from collections.abc import Sequence

SEPARATOR_TOLD = "sep="
"""What a first line begins with that tells the delimiter and is no head."""


def heads_over(rows: Sequence[Sequence[str]]) -> list[str]:
    """Return the heads that stand over one row or several, one text for each column; a blank one is `column N`.

    Where an upper row is blank, what stands to its left there reaches over the column, as merged cells do.
    """
    width = max(map(len, rows), default=0)
    parts: list[list[str]] = [[] for _ in range(width)]
    for at, row in enumerate(rows):
        reaching = ""
        for number in range(width):
            text = " ".join(row[number].split()) if number < len(row) else ""
            below = any(number < len(each) and each[number].strip() for each in rows[at + 1 :])
            reaching = text or (reaching if below and at < len(rows) - 1 else "")
            if reaching:
                parts[number].append(reaching)
    if len(rows) == 1:
        return [text.strip() or f"column {number}" for number, text in enumerate(rows[0], 1)]
    return [" ".join(part) or f"column {number}" for number, part in enumerate(parts, 1)]


def numbered_heads(width: int) -> list[str]:
    """Return the heads of columns that have none: their numbers."""
    return [str(number) for number in range(1, width + 1)]
