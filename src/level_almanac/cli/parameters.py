"""Options as core declares them, as parameters of the command line."""

from collections.abc import Iterable, Mapping
from typing import Any

import click

from level_almanac.cli.names import OFFERED
from level_almanac.core.requests.options import Option


def parameter(option: Option) -> click.Parameter:
    """Return an option as one of the command line; what its text means is for core to say."""
    kind: click.ParamType[Any] = OFFERED.get(option.offers, click.STRING)
    if option.kind == "choice":
        kind = click.Choice(option.choices)
    elif option.kind == "count":
        kind = click.IntRange(option.least, option.most)
    metavar = option.metavar or None
    # A default of None would count as told, and so nothing would be missing.
    told = option.default is not None and not option.required and not option.several
    default = {"default": option.default} if told and (option.argument or option.show_default) else {}
    if option.argument:
        nargs = -1 if option.several else 1
        return click.Argument(
            [option.keyword], type=kind, metavar=metavar, required=option.required, nargs=nargs, **default
        )
    return click.Option(
        [f"--{option.name}", option.keyword],
        type=None if option.kind == "flag" else kind,
        is_flag=True if option.kind == "flag" else None,
        multiple=option.several or option.listed,
        nargs=2 if option.kind == "amounts" else 1,
        show_default=option.show_default,
        metavar=metavar,
        help=option.help,
        hidden=bool(option.replaced_by),
        required=option.required,
        **default,
    )


def told_of(options: Iterable[Option], values: Mapping[str, Any]) -> dict[str, Any]:
    """Return what was given to options, by name."""
    found = {each.name: _joined(each, values[each.keyword]) for each in options if each.keyword in values}
    return {name: value for name, value in found.items() if value is not None and value != () and value is not False}


def _joined(option: Option, value: Any) -> Any:
    """Return what was told; of a list that was told in several options, all of it."""
    return option.joint.join(value) if option.listed and isinstance(value, tuple) and value else value
