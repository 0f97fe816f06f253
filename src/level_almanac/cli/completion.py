"""`almanac completion`."""

import click

from level_almanac.cli.commands import OneEach


@click.command(cls=OneEach)
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
@click.pass_context
def completion(ctx: click.Context, shell: str) -> None:
    """Print what makes a shell complete words, names of the book too.

    Commands and options are completed, and of the book's own: pages,
    editions, layouts, tables, fields, accounts, entities, plans, styles and
    the ids of years, quarters and periods.

    \b
    Examples:
      almanac completion bash >> ~/.bashrc
      almanac completion zsh >> ~/.zshrc
      almanac completion fish > ~/.config/fish/completions/almanac.fish
    """
    from click.shell_completion import get_completion_class

    completer = get_completion_class(shell)
    assert completer is not None  # noqa: S101  the choices are those that there are
    click.echo(completer(ctx.find_root().command, {}, "almanac", "_ALMANAC_COMPLETE").source())
