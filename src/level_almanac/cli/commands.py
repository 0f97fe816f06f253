"""Commands and groups whose options take one value each, where they are not told to take several."""

from collections import Counter
from collections.abc import Mapping

import click

from level_almanac.errors import Mistake, UsageMistake

_STEPS = dict.fromkeys(
    ("on", "over", "at_least", "under", "at_most", "between"),
    'several limits are one option each, such as --limit "amount over 7500" --limit "count over 2"',
)
"""What to do about options that are given more than once, by name."""


class OneEach(click.Command):
    """A command that refuses an option given twice which takes one value: the first would be lost in silence.

    instead: for options of other commands, by name, what is written here in their place.
    """

    instead: Mapping[str, str] = {}

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Parse the words of the command line; raise UsageMistake for what is given twice or written otherwise here."""
        if not ctx.resilient_parsing:
            self._check(ctx, args)
        return super().parse_args(ctx, args)

    def _check(self, ctx: click.Context, args: list[str]) -> None:
        try:
            _, _, order = self.make_parser(ctx).parse_args(list(args))
        except click.NoSuchOption as error:
            step = self.instead.get(error.option_name.lstrip("-"), "")
            if not step:
                raise
            what = "not an option of this report"
            raise UsageMistake(Mistake(what, error.option_name, next_step=step)) from error
        check_once(order)


class OneEachGroup(click.Group):
    """A group of such commands."""

    command_class = OneEach

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Parse the words before the command's name; raise UsageMistake for an option given twice."""
        if not ctx.resilient_parsing:
            parser = self.make_parser(ctx)
            parser.allow_interspersed_args = False
            check_once(parser.parse_args(list(args))[2])
        return super().parse_args(ctx, args)


def check_once(order: list[click.Parameter]) -> None:
    """Raise UsageMistake for an option that takes one value and is there more than once."""
    counts = Counter(each for each in order if isinstance(each, click.Option) and not (each.multiple or each.is_flag))
    mistakes = [
        Mistake(
            "given more than once, and takes one value",
            max(option.opts, key=len),
            f"{count} times",
            next_step=_STEPS.get(str(option.name), ""),
        )
        for option, count in counts.items()
        if count > 1
    ]
    if mistakes:
        raise UsageMistake(*mistakes)
