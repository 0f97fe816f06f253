"""Requests check themselves, whoever makes them: nothing of a wrong kind gets as far as a figure."""

# mypy: disable-error-code="arg-type"
# What is of a wrong kind here is meant to be.
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import Any

import pytest

from level_almanac.core.measures.table_measures import MeasuredRequest
from level_almanac.core.reports.aging.report import AgingRequest
from level_almanac.core.reports.billing.report import BillingRequest
from level_almanac.core.reports.check.report import CheckRequest
from level_almanac.core.reports.documents.report import DocumentsRequest
from level_almanac.core.reports.growth.figures import GrowthRequest
from level_almanac.core.reports.list.request import ListRequest
from level_almanac.core.reports.pace.figures import PaceRequest
from level_almanac.core.reports.parties.report import PartiesRequest
from level_almanac.core.reports.rank.figures import RankRequest
from level_almanac.core.reports.statement.report import StatementRequest
from level_almanac.core.reports.trial.report import TrialRequest
from level_almanac.core.requests.conditions import Conditions
from level_almanac.core.requests.options import options_of, read_options, request_of
from level_almanac.core.spans.as_of import AsOfRequest
from level_almanac.core.subledger.subledger import SubledgerRequest
from level_almanac.core.table.threshold import Threshold
from level_almanac.errors import UsageMistake

SALES = MeasuredRequest(table="sales")


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: StatementRequest(basis="accrual"), "StatementRequest.basis: not allowed here: 'accrual'; expected booked or cash"),
        (lambda: StatementRequest(signs="plain"), "StatementRequest.signs: not allowed here: 'plain'; expected natural or stored"),
        (lambda: StatementRequest(level=0), "StatementRequest.level: not allowed here: 0; expected a whole number, 1 or more"),
        (lambda: StatementRequest(level="2"), "StatementRequest.level: not allowed here: '2'; expected a whole number, 1 or more"),
        (lambda: StatementRequest(level=True), "StatementRequest.level: not allowed here: True; expected a whole number, 1 or more"),
        (lambda: TrialRequest(entities="LINE"), "TrialRequest.entities: not allowed here: 'LINE'; expected a tuple of texts"),
        (lambda: TrialRequest(first="2026-01-01"), "TrialRequest.first: not allowed here: '2026-01-01'; expected a day such as 2026-06-17, or what `read_day` makes of words"),
        (lambda: TrialRequest(after_closing="no"), "TrialRequest.after_closing: not allowed here: 'no'; expected true or false"),
        (lambda: TrialRequest(when="2026-P08"), "TrialRequest.when: not allowed here: '2026-P08'; expected AsOfRequest"),
        (lambda: TrialRequest(conditions=Conditions("account is 1")), "TrialRequest.conditions: not allowed here: Conditions(only='account is 1', besides=()); expected Conditions((\"account begins 61\",))"),
        (lambda: AsOfRequest(as_of="2026-06-17"), "AsOfRequest.as_of: not allowed here: '2026-06-17'; expected a day such as 2026-06-17, or what `read_day` makes of words"),
        (lambda: AsOfRequest(compare="same days"), "AsOfRequest.compare: not allowed here: 'same days'; expected same-days, whole or weekday"),
        (lambda: AsOfRequest(period=202608), "AsOfRequest.period: not allowed here: 202608; expected a text"),
        (lambda: SubledgerRequest(side="payables"), "SubledgerRequest.side: not allowed here: 'payables'; expected payable or receivable"),
        (lambda: AgingRequest(of=SubledgerRequest(side="payable"), age_by="posted"), "AgingRequest.age_by: not allowed here: 'posted'; expected due or date"),
        (lambda: AgingRequest(of=SubledgerRequest(side="payable"), buckets=(60, 30)), "AgingRequest.buckets: not allowed here: (60, 30); expected the last day late of each bucket, rising, as 30,60,90"),
        (lambda: DocumentsRequest(of=SubledgerRequest(side="payable"), which="late"), "DocumentsRequest.which: not allowed here: 'late'; expected all, open, overdue or unapplied"),
        (lambda: PartiesRequest(of=SubledgerRequest(side="payable"), thresholds=(7500,)), "PartiesRequest.thresholds: not allowed here: (7500,); expected a tuple of Threshold(\"over\", (Decimal(7500),))"),
        (lambda: Threshold("over", (7500.0,)), "Threshold: not a limit: 'over', (7500.0,); expected over, at-least, under, at-most or between, with one Decimal, or two for between"),
        (lambda: BillingRequest(view="lines"), "BillingRequest.view: not allowed here: 'lines'; expected figures, unposted or in-transit"),
        (lambda: GrowthRequest(of=SALES, each=("fortnight",)), "GrowthRequest.each: not allowed here: ('fortnight',); expected a tuple of year, quarter, period, month, week or day"),
        (lambda: RankRequest(of=SALES, show="others"), "RankRequest.show: not allowed here: 'others'; expected all, members or all-other"),
        (lambda: PaceRequest(of=SALES, limit=5e6), "PaceRequest.limit: not allowed here: 5000000.0; expected a number such as 7500 or -12.50"),
        (lambda: ListRequest(yes="memo"), "ListRequest.yes: not allowed here: 'memo'; expected a tuple of texts"),
        (lambda: CheckRequest(kinds="gaps", most_lines=None), "CheckRequest.kinds: not allowed here: 'gaps'; expected a tuple of texts"),
    ],
)  # fmt: skip
def test_a_request_of_wrong_kinds_cannot_be_made(make: Callable[[], Any], said: str) -> None:
    with pytest.raises(UsageMistake) as told:
        make()
    assert str(told.value).splitlines()[0] == said


def test_options_by_name_make_the_request_that_they_say() -> None:
    known = {each.name: each for each in options_of(PartiesRequest)}
    told = {
        "side": "payable", "year": "2025", "on": "paid", "over": "7500", "between": [1, "2.50"], "only": "party is V007",
        "except": ["reference is blank"], "from": "2026-01-01", "before": date(2026, 2, 1), "top": "8", "everyone": "yes",
        "show": ["paid", "open"],
    }  # fmt: skip
    made = request_of(PartiesRequest, read_options(known, told, lambda name: f"--{name}"))
    assert made.of == SubledgerRequest(
        side="payable",
        when=AsOfRequest(year="2025"),
        conditions=Conditions(("party is V007",), ("reference is blank",)),
    )
    assert made.thresholds == (
        Threshold("over", (Decimal(7500),), "paid"), Threshold("between", (Decimal(1), Decimal("2.50")), "paid"),
    )  # fmt: skip
    assert (made.first, made.top, made.everyone, made.show) == (date(2026, 1, 1), 8, True, ("paid", "open"))


def test_every_option_that_is_wrong_is_told_of_by_its_name() -> None:
    known = {each.name: each for each in options_of(AgingRequest)}
    told = {
        "sides": "payable", "top": "many", "age-by": "dew", "buckets": "30,x", "period": True, "as-of": "someday", "sort": 1.5
    }  # fmt: skip
    with pytest.raises(UsageMistake) as error:
        read_options(known, told, lambda name: f"--{name}")
    said = [str(each).splitlines()[0].replace(", ".join(sorted(known)[:-1]), "…") for each in error.value.mistakes]
    assert said[:5] == [
        "--sides: there is no such option; expected … or year; did you mean 'side'?",
        "--top: not allowed here: 'many'; expected a whole number, 1 or more",
        "--age-by: not allowed here: 'dew'; expected due or date; did you mean 'due'?",
        "--buckets: not allowed here: '30,x'; expected the last day late of each bucket, rising, as 30,60,90",
        "--period: not allowed here: True; expected a text",
    ]
    assert said[5].startswith("--as-of: ")
    assert said[6] == "--sort: not allowed here: 1.5; expected a text"
