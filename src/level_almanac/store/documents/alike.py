"""Invoices that may be one and the same: candidates, which core looks at one by one."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from level_almanac.store.documents.lines import ITEM
from level_almanac.store.engine import Engine, Row
from level_almanac.store.line_query import Asking, LineSource

_BARE = "regexp_replace(regexp_replace(lower(number), '(^|[^0-9])0+([0-9])', '\\1\\2', 'g'), '[^a-z0-9]', '', 'g')"
"""A number without blanks, signs, capitals and leading zeros, as far as it is of ASCII."""


def spelt_twice(engine: Engine, source: LineSource) -> list[Row]:
    """Return the lines, of one entity and party, whose different numbers may be two spellings of one."""
    asking = Asking(source)
    # Letters beyond ASCII have spellings of their own; of a party that uses any, only digits are told apart.
    return engine.rows(
        f"""with lines as ({_lines(source, asking)}),
            beyond as (select distinct entity, party from lines where regexp_matches(number, '[^ -~]')),
            spelt as (select lines.*, case when beyond.party is null then {_BARE}
                    else regexp_replace(number, '[^1-9]', '', 'g') end as bare
                from lines left join beyond on beyond.entity = lines.entity and beyond.party = lines.party),
            several as (select entity, party, bare from spelt group by entity, party, bare
                having min(number) <> max(number))
            select {_columns("spelt")} from spelt join several on several.entity = spelt.entity
                and several.party = spelt.party and several.bare = spelt.bare
            order by file, file_line, number, line""",
        asking.bind.values,
    )


class Near(NamedTuple):
    """Two lines of one entity, party and amount: the earlier one's number, date and place, and those of the other."""

    entity: str
    party: str
    amount: Decimal
    number: str
    dated: date
    place: str
    next_number: str
    next_place: str


def near_days(engine: Engine, source: LineSource, days: int) -> list[Near]:
    """Return each two lines of one entity, party and amount that follow each other by their dates, so few days apart,
    in order of those three.
    """
    asking = Asking(source)
    rows = engine.rows(
        f"""with lines as ({_lines(source, asking, Near._fields[:6])}),
            several as (select entity, party, amount from lines group by entity, party, amount having count(*) > 1),
            pairs as (
                select lines.*, lead(dated) over in_order as next_dated, lead(number) over in_order as next_number,
                    lead(place) over in_order as next_place
                from lines semi join several using (entity, party, amount)
                window in_order as (partition by entity, party, amount order by dated, number, file, file_line))
            select {", ".join(Near._fields)} from pairs
            where date_diff('day', dated, next_dated) <= {asking.bind(days)}
            order by entity, party, amount, dated, number, file, file_line""",
        asking.bind.values,
    )
    return list(map(Near._make, rows))


def _lines(source: LineSource, asking: Asking, names: Sequence[str] = ITEM) -> str:
    named = [(name, asking.field(name)) for name in names]
    return asking.met(named, [source.places[name] for name in names])


def _columns(of: str) -> str:
    return ", ".join(f"{of}.{name}" for name in ITEM)
