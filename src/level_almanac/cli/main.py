"""The `almanac` command: its sub-commands, and the one place where errors become messages and exit codes."""

import gc
import os
import sys
from importlib import import_module
from pathlib import Path

import click

from level_almanac.cli.session import Session
from level_almanac.errors import AlmanacError, BookMistake

COMMANDS = {
    "aging": "Open amounts of suppliers or customers by age, on any day.",
    "billing": "Charges, payments and adjustments, by the date that matters.",
    "calendar": "Fiscal years, quarters and periods, and what data covers them.",
    "check": "What does not add up, in the ledger and in documents.",
    "completion": "Print what makes a shell complete words, names of the book too.",
    "demo": "Write the demo book, load it, and walk through its reports.",
    "detail": "Account detail: opening, each line, running balance, closing.",
    "documents": "Invoices and credits: all, open, overdue, unapplied.",
    "edition": "Reports issued together: issue, list, verify, compare.",
    "explain": "Write an explanation of one figure of a page, printed with it.",
    "fields": "What can be asked for: tables, their fields, and a few values.",
    "growth": "Any measures by year, quarter, period, week or day, with change.",
    "list": "Lines of a table: any fields, conditions, groups and totals.",
    "load": "Take the exports in: all of them, or nothing.",
    "new": "Start a book: a folder with its settings, to go on from.",
    "pace": "Spending against a budget, and where it will end.",
    "page": "Saved reports: save, list, show, run, copy, lock, check them.",
    "parties": "Totals per supplier or customer, past thresholds or not.",
    "propose": "Propose an intake block for an export.",
    "rank": "The largest members and all other, this year and last.",
    "statement": "Statement of a layout: any spans, plans and changes in columns.",
    "trace": "The lines behind any figure of a report.",
    "trial": "Trial balance: opening, debit, credit, closing.",
}
"""The sub-commands with their one-line help, so that `--help` need not import them."""

INTERRUPTED = 130
_MADE_BETWEEN_COLLECTIONS = 500_000


class Commands(click.Group):
    """A group whose commands are imported only when they are run."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002  click's signature
        """Return the names of the commands."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Import a command and return it, or None where there is none of this name."""
        if cmd_name not in COMMANDS:
            return super().get_command(ctx, cmd_name)
        module = import_module(f"level_almanac.cli.{cmd_name}")
        # A name that Python has taken already ends in an underscore.
        command = getattr(module, cmd_name, None) or getattr(module, f"{cmd_name}_")
        assert isinstance(command, click.Command)  # noqa: S101  holds for every module of this package
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Offer the nearest name for a command that there is not."""
        from level_almanac.errors import nearest  # noqa: PLC0415  only for a message

        ctx.ensure_object(Session).words = tuple(args)
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            hint = nearest(args[0], COMMANDS)
            raise click.UsageError(f"No such command {args[0]!r}." + (f" {hint[0].upper()}{hint[1:]}" if hint else ""))
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:  # noqa: ARG002  as above
        """Write the table of commands."""
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="level-almanac", message="Level Almanac %(version)s")
@click.option(
    "--book",
    type=click.Path(file_okay=False, path_type=Path),
    default=Path(),
    metavar="DIR",
    help="The book's folder, or one within it.  [default: this folder]",
)
@click.pass_context
def almanac(ctx: click.Context, book: Path) -> None:
    """Reports over fiscal periods from accounting exports.

    Each report stands on its proof. Start with `almanac demo`.
    """
    session = ctx.ensure_object(Session)
    if session.opened is None:
        session.folder = book


def run() -> None:
    """Run the command line; end with 0 done, 1 a proof does not hold, 2 usage, 3 bad book or data, 4 busy."""
    # A command is short, and what it makes it needs until its end: looking for garbage often finds none and costs much.
    gc.set_threshold(_MADE_BETWEEN_COLLECTIONS)
    try:
        code = almanac.main(standalone_mode=False)
    except click.ClickException as error:
        error.show()
        code = error.exit_code
    except AlmanacError as error:
        _tell(error)
        code = error.exit_code
    except BrokenPipeError:
        # Whoever read the output has closed it, as `head` does; there is nobody left to tell.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        code = 0
    except OSError as error:
        click.echo(f"almanac: {error.filename or 'the system'}: {error.strerror or error}", err=True)
        code = BookMistake.exit_code
    except (click.Abort, KeyboardInterrupt):
        click.echo("almanac: interrupted; the book is whole", err=True)
        code = INTERRUPTED
    sys.exit(code if isinstance(code, int) else 0)


def _tell(error: AlmanacError) -> None:
    for mistake in error.mistakes:
        click.echo(f"almanac: {mistake}", err=True)
    if error.total > len(error.mistakes):
        click.echo(f"almanac: … and {error.total - len(error.mistakes):,} more, {error.total:,} in all", err=True)
