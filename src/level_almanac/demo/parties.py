"""The demo's suppliers and customers: codes, and names that belong to nobody."""

from functools import cache

SUPPLIERS = 150
CUSTOMERS = 110
"""Freight customers of the line are the first 80; the others have their boats at the yard."""
_FIRST = (
    "Halvorn", "Brunnick", "Tessamy", "Corvath", "Ellisk", "Dunmarra", "Fennold", "Garrish", "Hestral", "Ivelmoor",
    "Jorvane", "Kestrin", "Lormack", "Mellarn", "Norrick", "Ostrand", "Pellarn", "Quorrel", "Rithmoor", "Selkarn",
    "Torvane", "Ulmarsk", "Vessdal", "Wrennoch", "Yarrick", "Zellmar", "Addrick", "Bolvane", "Crissom", "Drennoch",
)  # fmt: skip
_SUPPLY = ("Marine Stores", "Engineering", "Provisions", "Ropes", "Electrics", "Paints", "Haulage", "Print", "Valves")
_FREIGHT = ("Freight", "Livestock", "Fish", "Builders", "Farms", "Timber")
_BOATS = ("Charters", "Sailing", "Boats")
MERGED = ("V149", "V012")
"""One supplier under two codes: the insurer's agent took its place, and old codes were never put right."""


def party_rows() -> list[tuple[str, str, str]]:
    """Return (code, name, side as the demo's export calls it) of each supplier and customer."""
    rows = [(f"V{number:03d}", _name(number, _SUPPLY), "S") for number in range(1, SUPPLIERS + 1)]
    rows += [
        (f"C{number:03d}", _name(number + 7, _FREIGHT if number <= 80 else _BOATS), "C")
        for number in range(1, CUSTOMERS + 1)
    ]
    return rows


@cache
def party_names() -> dict[str, str]:
    """Return the name of each party by its code."""
    return {code: name for code, name, _ in party_rows()}


def _name(number: int, trades: tuple[str, ...]) -> str:
    return f"{_FIRST[number % len(_FIRST)]} {trades[number // len(_FIRST) % len(trades)]}"
