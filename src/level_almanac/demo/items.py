"""The demo's suppliers' and customers' documents, made from the ledger's control accounts so that both agree.

Every posting on a control account becomes invoices, or a run of payments over the oldest open ones, of the same sum on
the same day. What is planted for `almanac check` to find is told in `PLANTED`.
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import date, timedelta

from level_almanac.demo.ledger import Chance, DemoLine, fiscal_period
from level_almanac.demo.parties import party_names
from level_almanac.immutable import immutable

CONTROLS = {"20110": -1, "12110": 1, "12120": 1}
"""The control accounts, and the sign of what raises them in the ledger."""
ITEM_HEADS = (
    "Company", "Party", "Kind", "Number", "Pos", "Date", "Due", "Booked", "Amount", "Settles", "Matched", "Reference",
    "Payee", "Text",
)  # fmt: skip
PLANTED = (
    "an invoice that the ledger has and the sub-ledger lacks",
    "an invoice with two digits changed round",
    "one invoice keyed twice, its number spelt differently",
    "one invoice keyed twice under two numbers",
    "an invoice paid twice",
    "a payment that settles an invoice of another supplier",
    "a payment that settles an invoice that there is not",
    "an invoice of a supplier that is not on the list",
    "a payment number that is missing",
)
_TERMS = (30, 30, 14, 45, 60)
_SPLIT = ("V141", 74_999), ("V142", 75_000), ("V143", 76_000)
"""Suppliers with ten bills in 2025, and the cents of each: just under a total of 7,500, at it, and past it."""
_STORAGE = tuple(f"C{number:03d}" for number in range(101, 107))
_DAY = timedelta(days=1)


@immutable
class DemoItem:
    """One line of a sub-ledger. cents are never negative; the kind tells the sign."""

    entity: str
    party: str
    kind: str
    number: str
    line: int
    dated: date
    due: date | None
    posted: date
    cents: int
    settles: str = ""
    applied: date | None = None
    reference: str = ""
    payee: str = ""
    memo: str = ""


@dataclass(slots=True)
class _Open:
    """An invoice as the payer sees it. rest: cents still to be paid; from_day: when it is paid at the earliest."""

    item: DemoItem
    rest: int
    from_day: date


@dataclass
class _Account:
    """The documents of one company on one control account in the making."""

    entity: str
    code: str
    chance: Chance
    items: list[DemoItem] = field(default_factory=list)
    waiting: list[_Open] = field(default_factory=list)
    numbers: defaultdict[str, int] = field(default_factory=lambda: defaultdict(int))
    used: defaultdict[tuple[str, str, str], int] = field(default_factory=lambda: defaultdict(int))
    to_void: list[tuple[DemoItem, list[_Open]]] = field(default_factory=list)
    to_refund: list[DemoItem] = field(default_factory=list)
    happened: defaultdict[str, int] = field(default_factory=lambda: defaultdict(int))

    @property
    def payable(self) -> bool:
        return self.code == "20110"

    def add(self, item: DemoItem) -> DemoItem:
        """Keep an item, as a further line where its number was used."""
        key = (item.party, item.kind, item.number)
        self.used[key] += 1
        self.items.append(replace(item, line=self.used[key]))
        return self.items[-1]

    def number(self, prefix: str, day: date) -> str:
        """Return the next number of a kind; one payment of 2026 is missing."""
        year = fiscal_period(day)[0] % 100
        key = f"{prefix}{year}"
        self.numbers[key] += 1
        if (self.entity, key, self.numbers[key]) == ("LINE", "PV26", 77):
            self.numbers[key] += 1
        return f"{key}-{self.numbers[key]:05d}"

    # Invoices.

    def invoiced(self, line: DemoLine, cents: int) -> None:
        """Take in a posting that raises the account."""
        if line.source == "CF":
            self._opening(line.posted, cents)
            return
        parts = self._parts(line, cents)
        for number, (party, part) in enumerate(parts, 1):
            name = line.document or f"{line.memo[:3].upper()}-{fiscal_period(line.posted)[0]}"
            if not line.party:
                name = f"{line.journal}/{number}"
            self._invoice(line, party, name, part)

    def _parts(self, line: DemoLine, cents: int) -> list[tuple[str, int]]:
        if line.party:
            return [(line.party, cents)]
        if line.memo == "Winter storage":
            each = cents // len(_STORAGE)
            shares = [(party, each) for party in _STORAGE]
            return [*shares[:-1], (_STORAGE[-1], cents - each * (len(_STORAGE) - 1))]
        if line.memo == "Booking system" and date(2024, 10, 1) <= line.posted <= date(2025, 7, 31):
            return [*_SPLIT, ("V009", cents - sum(part for _, part in _SPLIT))]
        if line.memo == "Booking system" and line.posted == date(2026, 3, 31):
            return [("V152", cents)]
        return [({"Booking system": "V009", "Shore power": "V021"}.get(line.memo, "V034"), cents)]

    def _opening(self, day: date, cents: int) -> None:
        """Make the invoices that were open when the books begin."""
        count = 24 if self.payable or self.code == "12110" else 9
        names = {"20110": ("V", 1, 140), "12110": ("C", 1, 80), "12120": ("C", 81, 110)}[self.code]
        left = cents
        for number in range(count):
            part = left if number == count - 1 else cents // count * self.chance.between(70, 130) // 100
            left -= part
            dated = day - self.chance.between(2, 55) * _DAY
            party = f"{names[0]}{self.chance.between(names[1], names[2]):03d}"
            item = DemoItem(
                self.entity, party, "invoice", f"OB{number + 1:03d}", 1, dated, dated + 30 * _DAY, day, part,
                memo="Open when the books begin",
            )  # fmt: skip
            self.waiting.append(_Open(self.add(item), part, dated + 30 * _DAY))

    def _invoice(self, line: DemoLine, party: str, number: str, cents: int) -> None:
        dated = line.posted - self.chance.between(0, 4 if self.payable else 0) * _DAY
        terms = _TERMS[int(party[1:]) % len(_TERMS)] if self.payable else 30
        memo = line.memo.split("\n")[0]
        item = DemoItem(
            self.entity, party, "invoice", number, 1, dated, dated + terms * _DAY, line.posted, cents, memo=memo
        )
        ready = line.posted + terms * _DAY - 9 * _DAY
        if party in dict(_SPLIT):
            ready = line.posted
        elif self.chance.happens(30):
            # In dispute: it is paid months late, or not yet.
            ready += self.chance.between(60, 200) * _DAY
        for made in self._planted(line, item):
            self.waiting.append(_Open(self.add(made), made.cents, ready))
        if self.chance.happens(35) and cents > 60_000 and line.party:
            self._credit(ready)

    def _planted(self, line: DemoLine, item: DemoItem) -> list[DemoItem]:
        """Return the item, or what was made of it by mistake."""
        day, half = line.posted, item.cents // 2
        if self.payable and self.entity == "LINE" and line.party and item.cents % 2 == 0:
            if day >= date(2026, 4, 7) and self._first("spelt differently"):
                again = f"{item.number[0]}-{item.number[1:]}"
                return [replace(item, cents=half), replace(item, cents=half, number=again)]
            if day >= date(2026, 5, 4) and item.party != "V007" and self._first("two numbers"):
                other = f"{item.number[0]}{int(item.number[1:]) + 7}"
                return [replace(item, cents=half), replace(item, cents=half, number=other, dated=item.dated - _DAY)]
        repair = self.payable and self.entity == "LINE" and line.memo == "Running repairs"
        if repair and day >= date(2026, 5, 11) and self._first("not in the sub-ledger"):
            return []
        if self.code == "12120" and day >= date(2026, 5, 5) and line.source == "YI":
            euros = str(item.cents // 100)
            if euros[1:2] < euros[2:3] and self._first("digits changed"):
                changed = int(euros[0] + euros[2] + euros[1] + euros[3:]) * 100 + item.cents % 100
                return [replace(item, cents=changed)]
        return [item]

    def _first(self, what: str, times: int = 1) -> bool:
        self.happened[what] += 1
        return self.happened[what] <= times

    def _credit(self, ready: date) -> None:
        """Post a credit note with the last invoice, as much as the invoice is more: the ledger has them net."""
        invoice = self.waiting.pop().item
        credited = 5_000 + self.chance.between(0, 20_000)
        self.items.pop()
        more = replace(invoice, cents=invoice.cents + credited)
        self.items.append(more)
        number = self.number("CN", invoice.posted)
        free = self.payable and self.entity == "LINE" and self.chance.happens(220)
        note = DemoItem(
            self.entity, invoice.party, "credit", number, 1, invoice.posted, None, invoice.posted, credited,
            settles="" if free else invoice.number, memo="Returned" if self.payable else "Short shipped",
        )  # fmt: skip
        self.add(note)
        self.waiting.append(_Open(more, more.cents if free else invoice.cents, ready))
        if free:
            self.to_refund.append(note)

    # Payments.

    def paid(self, line: DemoLine, cents: int) -> None:
        """Take in a posting that lowers the account: a run of payments over the oldest open invoices."""
        day = line.posted
        cents += self._voided(day) + self._refunded(day, line.reference)
        cents = self._paid_by_mistake(line, cents)
        due = [each for each in self.waiting if each.from_day <= day]
        due.sort(key=lambda each: (each.item.party not in dict(_SPLIT), each.from_day, each.item.number))
        later = sorted((each for each in self.waiting if each.from_day > day), key=lambda each: each.item.posted)
        by_party: dict[str, list[tuple[_Open, int]]] = {}
        for each in [*due, *later]:
            if not cents:
                break
            part = min(each.rest, cents)
            each.rest -= part
            cents -= part
            by_party.setdefault(each.item.party, []).append((each, part))
        for party, parts in by_party.items():
            self._payment(line, party, parts)
        if cents:
            self._line_of_payment(line, "V007" if self.payable else "C001", self.number(self._prefix, day), cents, "")
        self.waiting = [each for each in self.waiting if each.rest]

    @property
    def _prefix(self) -> str:
        return {"20110": "PV", "12110": "RF", "12120": "RY"}[self.code]

    def _payment(self, line: DemoLine, party: str, parts: list[tuple[_Open, int]]) -> None:
        day = line.posted
        number = self.number(self._prefix, day)
        reference = line.reference
        if reference.isdigit():
            reference = str(int(reference) + self.numbers["cheque"] % 97)
            self.numbers["cheque"] += 1
        if self.payable and self.chance.happens(40):
            reference = ""
        if party == _SPLIT[-1][0]:
            # One of its ten payments lacks its reference, without which it falls short of the total.
            self.happened["split"] += 1
            reference = "" if self.happened["split"] == 3 else line.reference
        payee = party_names().get(party, "")
        if self.chance.happens(25):
            payee = f"{payee.split()[0]} & Co"
        fate = self.chance.between(1, 1000)
        made: list[tuple[DemoItem, _Open]] = []
        for opened, settled in parts:
            part, short = settled, self.chance.between(1, 390)
            if not opened.rest and part > 40_000 and fate > 985 and party not in dict(_SPLIT):
                # Paid a little short, and the rest let go.
                part -= short
                self._settling("write-off", "WO", opened.item, day, short, "Small difference")
            applied = day + self.chance.between(6, 21) * _DAY if fate <= 30 else None
            settles = "" if 30 < fate <= 36 and self.happened["unapplied"] < 7 else opened.item.number
            item = self._line_of_payment(line, party, number, part, settles, applied, reference, payee)
            made.append((item, opened))
            if not settles:
                self.happened["unapplied"] += 1
        if (
            self.payable
            and 36 < fate <= 48
            and party not in dict(_SPLIT)
            and self.happened["void"] < 8
            and all(item.settles for item, _ in made)
        ):
            self.happened["void"] += 1
            self.to_void.append((made[0][0], [replace(opened, rest=item.cents) for item, opened in made]))

    def _line_of_payment(
        self, line: DemoLine, party: str, number: str, cents: int, settles: str, applied: date | None = None,
        reference: str = "", payee: str = "",
    ) -> DemoItem:  # fmt: skip
        day = line.posted
        if applied is not None and applied > date(2026, 6, 17):
            applied = None
        item = DemoItem(
            self.entity, party, "payment", number, 1, day, None, day, cents, settles, applied, reference, payee,
            "" if settles else "On account",
        )  # fmt: skip
        return self.add(item)

    def _settling(
        self, kind: str, prefix: str, of: DemoItem, day: date, cents: int, memo: str, reference: str = ""
    ) -> None:
        """Add a document of the next number that settles another."""
        item = DemoItem(
            self.entity, of.party, kind, self.number(prefix, day), 1, day, None, day, cents, settles=of.number,
            reference=reference, memo=memo,
        )  # fmt: skip
        self.add(item)

    def _voided(self, day: date) -> int:
        """Void what was to be voided by now, and let it be paid once more; return by how much more the run pays."""
        more = 0
        for payment, opened in [each for each in self.to_void if each[0].posted + 12 * _DAY <= day]:
            self.to_void.remove((payment, opened))
            cents = sum(each.rest for each in opened)
            self._settling("void", "VO", payment, day, cents, "Stopped and paid anew")
            self.waiting += [replace(each, from_day=day) for each in opened]
            more += cents
        return more

    def _refunded(self, day: date, reference: str) -> int:
        more = 0
        for note in [each for each in self.to_refund if each.posted + 30 * _DAY <= day]:
            self.to_refund.remove(note)
            self._settling("refund", "RE", note, day, note.cents, "Credit paid back", reference)
            more += note.cents
        return more

    def _paid_by_mistake(self, line: DemoLine, cents: int) -> int:
        """Pay what is planted out of the run, and return what is left of it."""
        day = line.posted
        if not (self.payable and self.entity == "LINE" and day >= date(2026, 4, 10)):
            return cents
        mistake = next(name for name in ("paid twice", "other supplier", "no such", "all") if not self.happened[name])
        if mistake == "all":
            return cents
        settled = {each.settles: each for each in self.items if each.kind == "payment" and each.settles}
        small = [each for each in settled.values() if 30_000 < each.cents < 120_000 and each.posted > day - 60 * _DAY]
        if not small:
            return cents
        self.happened[mistake] += 1
        of = small[min({"paid twice": 0, "other supplier": 2, "no such": 4}[mistake], len(small) - 1)]
        party, settles = of.party, of.settles
        if mistake == "other supplier":
            party = f"V{(int(of.party[1:]) + 9) % 140 + 1:03d}"
        elif mistake == "no such":
            settles = f"{settles}0"
        self._line_of_payment(
            line, party, self.number(self._prefix, day), of.cents, settles, None, line.reference, party_names()[party]
        )
        return cents - of.cents


class DemoItems:
    """Sees the ledger pass by, and makes the documents of its control accounts."""

    def __init__(self) -> None:
        self._accounts: dict[tuple[str, str], _Account] = {}

    def seen(self, lines: Iterable[DemoLine]) -> Iterator[DemoLine]:
        """Yield the lines on, having made documents of those on control accounts."""
        for line in lines:
            sign = CONTROLS.get(line.account)
            # A balance is carried into the first year alone; later ones only repeat what the documents come to.
            if sign and (line.source != "CF" or line.posted.year == 2023):
                key = (line.entity, line.account)
                if key not in self._accounts:
                    self._accounts[key] = _Account(*key, Chance(1703 + len(self._accounts)))
                cents = sign * line.cents
                account = self._accounts[key]
                account.invoiced(line, cents) if cents > 0 else account.paid(line, -cents)
            yield line

    def items(self, *, payable: bool) -> Iterator[DemoItem]:
        """Yield the documents of one side, in the order they were posted in each company."""
        for account in self._accounts.values():
            if account.payable == payable:
                yield from sorted(account.items, key=lambda item: item.posted)
