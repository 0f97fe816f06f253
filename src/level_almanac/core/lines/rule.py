"""One rule of a report: what its proof calls the lines that it leaves out."""

from typing import TYPE_CHECKING, Literal, NamedTuple

if TYPE_CHECKING:
    from level_almanac.store.predicate import Predicate


RuleCode = Literal["", "entity", "nature", "dates"]


class Rule(NamedTuple):
    """One rule: what the proof calls the lines that it leaves out, and the condition that the others meet.

    exclusion: whether it is one of --except, which takes from what was asked for; aside: whether what it leaves out is
    not among the lines considered; code: what kind of rule it is, for what has to tell.
    """

    words: str
    predicate: "Predicate"
    exclusion: bool = False
    aside: bool = False
    code: RuleCode = ""
