"""The tables that were made ahead say what the grammar says."""

import lark
import pytest

from level_almanac.core.language import tables
from level_almanac.core.language.build_tables import STARTS, built
from level_almanac.core.language.parsing import _parser

TEXTS = {
    "columns": "a = budget ytd last year; each 2 weeks qtd prior; change % of a over b; share of 4011 in a; -(a - 2) * b / 3; last 3 periods; 2026-01-01 through today - 2 days",
    "condition": 'source is not CF or (account from 1 through 2 and not memo contains "x y")',
    "day": "3 months from end of last period - 1 day",
    "computed": 'give "small" if amount under 100 and memo contains dock; else "large"',
    "fields": '"How many" = count, - amount, average of amount, quarter of posted, memo if wide',
    "sorts": "amount descending, posted",
    "formula": "income - direct-cost - (a + 2) / b",
}


@pytest.mark.skipif(lark.__version__ != tables.LARK, reason="with another lark the grammar itself is used")
@pytest.mark.parametrize("start", STARTS)
def test_both_read_the_same(start: str) -> None:
    ahead, anew = _parser(), built()
    assert ahead.parse(TEXTS[start], start=start) == anew.parse(TEXTS[start], start=start)
    for wrong in (TEXTS[start][: len(TEXTS[start]) // 2], TEXTS[start] + " ) ;"):
        told: list[object] = []
        for parser in (ahead, anew):
            try:
                told.append(parser.parse(wrong, start=start))
            except lark.UnexpectedInput as error:
                told.append(
                    f"{type(error).__name__} {error.pos_in_stream} {sorted(getattr(error, 'accepts', None) or [])}"
                )
        assert told[0] == told[1]
