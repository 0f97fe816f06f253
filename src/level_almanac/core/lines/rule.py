"""One rule of a report: what its proof calls the lines that it leaves out."""

from typing import TYPE_CHECKING, Literal, NamedTuple

if TYPE_CHECKING:
    from level_almanac.store.predicate import Predicate


RuleCode = Literal["", "entity", "nature", "dates"]


class Rule(NamedTuple):
    """One rule.

    words: the name in a proof of the lines that it leaves out.
    predicate: the condition that all other lines meet.
    exclusion: whether it is one of --except, which takes from what was asked for.
    aside: whether the lines that it leaves out are not among those considered.
    code: the kind of rule.
    asked: the condition of --only or --except in a heading, with the dates of relative days; empty for other rules.
    """

    words: str
    predicate: "Predicate"
    exclusion: bool = False
    aside: bool = False
    code: RuleCode = ""
    asked: str = ""
