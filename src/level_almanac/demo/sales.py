"""The demo's ticket and shop sales, made from the ledger's daily takings so that both agree to the cent each day."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from datetime import date
from typing import NamedTuple

from level_almanac.demo.ledger import Chance, DemoLine, fiscal_period
from level_almanac.immutable import immutable

SALES_HEADS = (
    "Company", "Till", "Pos", "Day", "Terminal", "Route", "Vessel", "Item", "Sold", "Takings", "Cost of goods",
)  # fmt: skip
TARGET_HEADS = ("Plan", "Company", "Year", "Route", "Percent", "Of")


class Item(NamedTuple):
    """What is sold. price: cents; cost: of what is taken for it, in per cent; first, last: years that it is sold in."""

    code: str
    name: str
    range: str
    price: int
    cost: int = 0
    first: int = 2024
    last: int = 9999


ITEMS = (
    Item("ADULT", "Adult single", "Foot tickets", 890),
    Item("DAYRET", "Day return", "Foot tickets", 1_490),
    Item("CHILD", "Child single", "Foot tickets", 420),
    Item("TENTRIP", "Ten-trip card", "Foot tickets", 6_900, last=2025),
    Item("ISLAND", "Islander fare", "Foot tickets", 610),
    Item("BIKE", "Bicycle", "Foot tickets", 350, first=2026),
    Item("CAR", "Car with driver", "Vehicles", 3_450),
    Item("VAN", "Van", "Vehicles", 4_980),
    Item("CAMPER", "Camper", "Vehicles", 6_250),
    Item("MOTO", "Motorcycle", "Vehicles", 1_820),
    Item("CHARTS", "Charts and maps", "Shop", 1_150, 58),
    Item("WOOL", "Island wool", "Shop", 4_400, 64),
    Item("MUGS", "Mugs", "Shop", 980, 41),
    Item("BOOKS", "Books", "Shop", 1_380, 67),
    Item("CARDS", "Postcards", "Shop", 140, 30),
    Item("RAINCAPE", "Rain capes", "Shop", 1_290, 52),
    Item("PAPERS", "Newspapers", "Shop", 240, 79, last=2025),
    Item("SWEETS", "Sweets", "Shop", 310, 46),
    Item("SOUP", "Soup and bread", "Galley", 720, 34),
    Item("FISH", "Fish supper", "Galley", 1_340, 43),
    Item("TEA", "Tea and coffee", "Galley", 290, 19),
    Item("CAKE", "Cakes", "Galley", 380, 31),
    Item("ALE", "Island ale", "Galley", 560, 47, first=2025),
)
ITEM_HEADS = ("Item", "Name", "Range")
_RANGE_OF = {
    "40111": "Foot tickets", "40121": "Foot tickets", "40112": "Vehicles", "40122": "Vehicles", "40310": "Shop",
    "40320": "Galley",
}  # fmt: skip
PLACES = {"Kelsay": (("Kelsay", "Sound"), ("Ardholm", "Round Skell")),
          "Norwick": (("Norwick", "Isles"), ("Quenvey", "Night Isles"))}  # fmt: skip
"""Where what a terminal takes for both was sold, and on which route."""
_TARGETS = (("Sound", "41"), ("Round Skell", "20"), ("Isles", "24.5"), ("Night Isles", "13"))
"""The routes' shares of what is aimed at, in percent; the rest is given to none."""


@immutable
class Sale:
    """What was sold of one item at one till on one day."""

    number: str
    line: int
    day: date
    terminal: str
    route: str
    vessel: str
    item: Item
    quantity: int
    cents: int

    @property
    def cost(self) -> int | None:
        """What the goods had cost, in cents; a ticket has no such cost."""
        return self.cents * self.item.cost // 100 if self.item.cost else None


@dataclass
class DemoSales:
    """Shares the takings out among tills and items as the ledger passes by."""

    chance: Chance = field(default_factory=lambda: Chance(1711))
    sales: list[Sale] = field(default_factory=list)
    lines: dict[str, int] = field(default_factory=dict)

    def seen(self, lines: Iterable[DemoLine]) -> Iterator[DemoLine]:
        """Yield the lines on, having made sales of those that are takings."""
        for line in lines:
            if line.source == "TK" and line.memo.startswith("Takings") and line.account in _RANGE_OF:
                self._sold(line)
            yield line

    def _sold(self, line: DemoLine) -> None:
        places = PLACES[line.memo.removeprefix("Takings ")]
        range_ = _RANGE_OF[line.account]
        split = range_ in ("Foot tickets", "Vehicles")
        cents = -line.cents
        there = cents * self.chance.between(24, 41) // 100 if split else 0
        one = places[self.chance.between(0, 1)] if not split else places[0]
        self._at(line, one, range_, cents - there)
        if there:
            self._at(line, places[1], range_, there)

    def _at(self, line: DemoLine, place: tuple[str, str], range_: str, cents: int) -> None:
        year = fiscal_period(line.posted)[0]
        choice = [item for item in ITEMS if item.range == range_ and item.first <= year <= item.last]
        parts = 2 if range_ == "Foot tickets" else 1
        for number in range(parts):
            item = choice[min(self.chance.between(0, len(choice) - 1), self.chance.between(0, len(choice) - 1))]
            part = cents * self.chance.between(45, 62) // 100 if number < parts - 1 else cents
            cents -= part
            if part:
                self._add(line, place, item, part)

    def _add(self, line: DemoLine, place: tuple[str, str], item: Item, cents: int) -> None:
        terminal, route = place
        # A journal of many small ones has a document of its own name but not of its own till.
        number = f"{line.document}{'' if terminal == line.memo.split()[-1] else '/' + terminal[0]}"
        self.lines[number] = self.lines.get(number, 0) + 1
        year = fiscal_period(line.posted)[0]
        price = item.price * (100 + 3 * (year - 2024)) // 100
        quantity = max(cents // price, 1)
        self.sales.append(
            Sale(number, self.lines[number], line.posted, terminal, route, line.vessel, item, quantity, cents)
        )

    def rows(self, year: int) -> Iterator[tuple[object, ...]]:
        """Yield the export of a fiscal year."""
        for sale in self.sales:
            if fiscal_period(sale.day)[0] == year:
                cost = "" if sale.cost is None else f"{sale.cost // 100}.{sale.cost % 100:02d}"
                yield (
                    "LINE", sale.number, sale.line, sale.day, sale.terminal, sale.route, sale.vessel, sale.item.code,
                    sale.quantity, f"{sale.cents // 100}.{sale.cents % 100:02d}", cost,
                )  # fmt: skip


def item_rows() -> Iterator[tuple[object, ...]]:
    """Yield the list of what is sold."""
    for item in ITEMS:
        yield item.code, item.name, item.range


def target_rows(year: int) -> Iterator[tuple[object, ...]]:
    """Yield what is aimed at on each route, as shares of one amount that the book names."""
    for route, percent in _TARGETS:
        yield "target", "LINE", year, route, percent, "takings"
