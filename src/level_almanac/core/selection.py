"""The entities that a report is of, and what they have in common."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from level_almanac.core.calendar.fiscal import FiscalCalendar
from level_almanac.errors import listed
from level_almanac.files.currencies import decimals_of
from level_almanac.files.settings import Entity
from level_almanac.immutable import immutable

if TYPE_CHECKING:
    pass


@immutable
class Selection:
    """The entities that a report is of, by code, and the one currency and the one calendar they have.

    comparable: the codes of all entities of that currency; unlike: those of others, whose amounts are never added to
    these, not even in a proof; having: the codes of those that the report's table has lines of, where that is known.
    """

    entities: Mapping[str, Entity]
    currency: str
    calendar: FiscalCalendar
    comparable: tuple[str, ...]
    unlike: tuple[str, ...] = ()
    having: frozenset[str] = frozenset()

    @property
    def named(self) -> dict[str, Entity]:
        """The entities that the report's table has lines of, by code; all where it has none of any."""
        found = {code: entity for code, entity in self.entities.items() if code in self.having}
        return found or dict(self.entities)

    @property
    def notes(self) -> list[str]:
        """Say which entities the proof leaves aside, if any."""
        if not self.unlike:
            return []
        return [f"Lines of {listed(self.unlike)} are in another currency and so not among those considered"]

    @property
    def decimals(self) -> int:
        """How many decimals the currency has."""
        return decimals_of(self.currency)

    @property
    def words(self) -> str:
        """The entities as a report's head names them."""
        names = " + ".join(entity.name for entity in self.named.values())
        return names if len(self.named) == 1 else f"{names}, combined, nothing eliminated"
