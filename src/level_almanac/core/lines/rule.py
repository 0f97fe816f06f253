"""One rule of a report: what its proof calls the lines that it leaves out."""

from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from level_almanac.store.predicate import Predicate


class Rule(NamedTuple):
    """One rule: what the proof calls the lines that it leaves out, and the condition that the others meet.

    exclusion: whether it is one of --except, which takes from what was asked for; aside: whether what it leaves out is
    not among the lines considered.
    """

    words: str
    predicate: "Predicate"
    exclusion: bool = False
    aside: bool = False
