"""What `propose` makes of an export's texts: never a reading that some text does not bear, and every other told of."""

from datetime import date, datetime
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from level_almanac.files.patterns import strptime_pattern
from level_almanac.files.settings import IntakeBlock
from level_almanac.intake.formats.records import TextForm
from level_almanac.intake.proposing.guesses import (
    DATE_PATTERNS,
    date_guess,
    number_guess,
    period_guess,
)
from level_almanac.intake.proposing.words import heads_for

SIGNS = [(".", ""), (".", ","), (",", ""), (",", "."), (",", " "), (".", "'")]


def written(number: Decimal, decimal: str, thousands: str, negative: str) -> str:
    """Return a number as an export may have it."""
    whole, _, rest = f"{abs(number):,.2f}".partition(".")
    body = f"{whole.replace(',', thousands)}{decimal}{rest}"
    if number >= 0:
        return body
    return {"minus": f"-{body}", "trailing-minus": f"{body}-", "parentheses": f"({body})", "crdr": f"{body} CR"}[
        negative
    ]


@given(
    st.lists(st.decimals(-10_000_000, 10_000_000, places=2), min_size=1, max_size=20),
    st.sampled_from(SIGNS),
    st.sampled_from(["minus", "trailing-minus", "parentheses", "crdr"]),
)
def test_numbers_are_read_as_they_were_written_or_the_other_reading_is_told(
    numbers: list[Decimal], signs: tuple[str, str], negative: str
) -> None:
    texts = [written(number, *signs, negative) for number in numbers]
    found = number_guess(texts)
    assert found is not None
    if any(number < 0 for number in numbers):
        assert found.negatives == (negative,)
    readings = [(found.decimal, found.thousands), *found.others]

    def read(text: str, decimal: str, thousands: str) -> str:
        return (text.replace(thousands, "") if thousands else text).replace(decimal, ".")

    right = [read(text, *signs) for text in texts]
    # Two cents after the sign leave no doubt where the decimals are.
    assert any([read(text, *each) for text in texts] == right for each in readings)
    assert found.decimal == signs[0]


@given(
    st.lists(st.dates(date(1990, 1, 1), date(2099, 12, 31)), min_size=1, max_size=15), st.sampled_from(DATE_PATTERNS)
)
def test_dates_are_read_as_they_were_written_or_the_other_order_is_told(days: list[date], pattern: str) -> None:
    code = str(strptime_pattern(pattern))
    texts = [datetime(day.year, day.month, day.day).strftime(code.replace("%z", "Z")) for day in days]  # noqa: DTZ001  a day has no zone
    found = date_guess(texts)
    assert found is not None
    assert pattern in (found.pattern, *found.others)
    for other in (found.pattern, *found.others):
        for text in texts:
            datetime.strptime(text, str(strptime_pattern(other)))  # noqa: DTZ007  as above


@pytest.mark.parametrize(
    ("texts", "pattern", "others"),
    [
        (["2026-06-17"], "YYYY-MM-DD", ()),
        (["13/04/2026", "01/02/2026"], "DD/MM/YYYY", ()),
        (["04/13/2026"], "MM/DD/YYYY", ()),
        (["03/04/2026"], "DD/MM/YYYY", ("MM/DD/YYYY",)),
        (["20260617"], "YYYYMMDD", ()),
        (["17.06.26"], "DD.MM.YY", ()),
        (["5. März 2026", "31. Dezember 2026"], "D. Month YYYY", ()),
        (["6/17/2026", "6/1/2026"], "M/D/YYYY", ()),
        (["6/7/2026"], "D/M/YYYY", ("M/D/YYYY",)),
        (["5 de enero de 2026"], "D 'de' Month 'de' YYYY", ()),
        (["2026-06-17T23:59:59Z", "2026-06-17T23:59:59+0200"], None, ()),
    ],
)
def test_dates_of_exports(texts: list[str], pattern: str | None, others: tuple[str, ...]) -> None:
    found = date_guess(texts)
    assert (found.pattern, found.others) == (pattern, others) if found else pattern is None


@pytest.mark.parametrize(
    "texts", [["17 Juno 2026"], ["2026-06-31"], ["17/6/20261"], ["2026-06-17", "17.06.2026"], ["0001-01-01"], []]
)
def test_what_is_no_date_is_not_made_one(texts: list[str]) -> None:
    assert date_guess(texts) is None


@pytest.mark.parametrize("texts", [["1e3"], ["1.2.3"], ["12,34,56"], ["--5"], ["(5"], ["5 EUR"], ["$5"], [""], []])
def test_what_is_no_number_is_not_made_one(texts: list[str]) -> None:
    assert number_guess(texts) is None


@pytest.mark.parametrize(
    ("texts", "pattern"),
    [
        (["2026-P01", "2025-P13"], "YYYY-PPP"), (["2026-01", "2026-13"], "YYYY-PP"), (["01/2026"], "PP/YYYY"),
        (["202601"], "YYYYPP"), (["1", "12"], "PP"), (["P01"], "PPP"), (["January"], "Mon"), (["Johnary"], ""), (["2026-45"], ""), ([], ""),
    ],
)  # fmt: skip
def test_periods_of_exports(texts: list[str], pattern: str) -> None:
    assert period_guess(texts) == pattern


def test_heads_are_found_by_their_names_and_tables_by_their_heads() -> None:
    heads = ["Posting Date", "Date", "Acct.", "Debit amount", "CR", "Voucher no", "Journal", "Text"]
    assert heads_for("posted", heads) == ["Posting Date", "Date"]
    assert heads_for("account", heads) == ["Acct."]
    assert (heads_for("debit", heads), heads_for("credit", heads)) == (["Debit amount"], ["CR"])
    assert heads_for("party", heads) == []


@given(st.decimals(-(10**11), 10**11, places=2))
def test_a_number_of_a_spreadsheet_comes_back_as_it_was_written(number: Decimal) -> None:
    form = TextForm(IntakeBlock(table="ledger", files="x", decimal=","))
    # A workbook's cells are binary floats; fifteen figures of them are what was typed.
    assert Decimal(form.text(float(number)).replace(",", ".")) == number
    assert Decimal(form.text(number).replace(",", ".")) == number


def test_values_of_every_kind_become_the_texts_of_the_block() -> None:
    form = TextForm(IntakeBlock(table="ledger", files="x", decimal=",", dates=["DD.MM.YYYY"]))
    values = [None, True, False, 7, -7, 0.1 + 0.2, 1e15, date(2026, 6, 17), datetime(2026, 6, 17, 23, 59, 59), "a b"]  # noqa: DTZ001  cells of a workbook have no zone
    assert [form.text(value) for value in values] == [
        "", "true", "false", "7", "-7", "0,3", "1000000000000000", "17.06.2026", "17.06.2026", "a b"
    ]  # fmt: skip
