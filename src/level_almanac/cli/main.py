"""The `almanac` command: its sub-commands, and the one place where errors become messages and exit codes."""

import atexit
import errno
import gc
import io
import os
import sys
from functools import cache
from importlib import import_module
from pathlib import Path

import click

from level_almanac.cli.commands import OneEachGroup
from level_almanac.cli.say import say
from level_almanac.cli.session import Session
from level_almanac.core.reports.registry import all_reports
from level_almanac.errors import AlmanacError, BookMistake
from level_almanac.shown_text import visible

_OTHERS = {
    "allow": "Let the book reach for what lies outside its folder.",
    "completion": "Print what makes a shell complete words, names of the book too.",
    "demo": "Write the demo book, load it, and walk through its reports.",
    "edition": "Reports issued together: issue, list, verify, compare.",
    "explain": "Write an explanation of one figure of a page, printed with it.",
    "load": "Take the exports in: all of them, or nothing.",
    "new": "Start a book: a folder with its settings, to go on from.",
    "page": "Saved reports: save, list, run, copy, compare, lock, check them.",
    "propose": "Propose intake blocks for exports.",
    "trace": "The lines behind any figure of a report.",
}
"""The sub-commands beside the reports, with their one-line help, so that `--help` need not import them."""

INTERRUPTED = 130
UNFORESEEN = 5
"""The exit code of a fault of our own."""
_DEBUG = "ALMANAC_DEBUG"
_MADE_BETWEEN_COLLECTIONS = 500_000


@cache
def commands() -> dict[str, str]:
    """Return every sub-command with its one-line help, in the order of their names."""
    found = {**_OTHERS, **{name: report.help for name, report in all_reports().items()}}
    return dict(sorted(found.items()))


class Commands(OneEachGroup):
    """A group whose commands are imported only when they are run."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002  click's signature
        """Return the names of the commands."""
        return list(commands())

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Import a command and return it, or None where there is none of this name."""
        report = all_reports().get(cmd_name)
        if report is not None:
            from level_almanac.cli.reports import report_command

            return report_command(report)
        if cmd_name not in _OTHERS:
            return super().get_command(ctx, cmd_name)
        command = getattr(import_module(f"level_almanac.cli.{cmd_name}"), cmd_name)
        assert isinstance(command, click.Command)  # noqa: S101  holds for every module of this package
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Offer the nearest name for a command that there is not."""
        from level_almanac.errors import nearest

        ctx.ensure_object(Session).words = tuple(args)
        if args and args[0] not in commands() and not args[0].startswith("-"):
            hint = nearest(args[0], commands())
            raise click.UsageError(f"No such command {args[0]!r}." + (f" {hint[0].upper()}{hint[1:]}" if hint else ""))
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:  # noqa: ARG002  as above
        """Write the table of commands."""
        with formatter.section("Commands"):
            formatter.write_dl(list(commands().items()))


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="level-almanac", message="Level Almanac %(version)s")
@click.option(
    "--book",
    type=click.Path(file_okay=False, path_type=Path),
    default=Path(),
    metavar="DIR",
    help="The book's folder, or one within it.  [default: this folder]",
)
@click.option(
    "--engine",
    default="",
    metavar="ADDRESS",
    help="What computes: duckdb, or Spark at local[2], spark://HOST:PORT or sc://HOST:PORT.  [default: duckdb]",
)
@click.pass_context
def almanac(ctx: click.Context, book: Path, engine: str) -> None:
    """Reports over fiscal periods from accounting exports.

    Each report stands on its proof. Start with `almanac demo`.
    """
    session = ctx.ensure_object(Session)
    session.folder, session.engine = book, engine


def run() -> None:
    """Run the command line; end with 0 done, 1 a proof fails, 2 usage, 3 bad book or data, 4 busy, 5 our own fault."""
    # A command is short, and what it makes it needs until its end: looking for garbage often finds none and costs much.
    gc.set_threshold(_MADE_BETWEEN_COLLECTIONS)
    # Nor is any of it looked for at the end, where all of it goes at once: that took a tenth of a report's time.
    atexit.unregister(gc.freeze)
    atexit.register(gc.freeze)
    # Where an output was closed there is none; what is said to nobody is no fault, what cannot be printed is.
    sys.stdout, sys.stderr = sys.stdout or _Closed(), sys.stderr or io.StringIO()
    try:
        code = almanac.main(standalone_mode=False)
    except click.ClickException as error:
        error.message = visible(error.message)  # type: ignore[misc]  # final so that no subclass has another
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
        say(f"almanac: {error.filename or 'the system'}: {error.strerror or error}")
        code = BookMistake.exit_code
    except UnicodeEncodeError as error:
        # The console has fewer letters than the report.
        letters = ascii(error.object[error.start : error.end])
        say(f"almanac: this console cannot show {letters}; set PYTHONUTF8=1, or say -o FILE")
        code = BookMistake.exit_code
    except (click.Abort, KeyboardInterrupt):
        say("almanac: interrupted; the book is whole")
        code = INTERRUPTED
    except Exception as error:
        code = _unforeseen(error)
    sys.exit(code if isinstance(code, int) else 0)


class _Closed(io.TextIOBase):
    """An output that was closed before the command began."""

    def write(self, _words: str) -> int:
        """Refuse what is printed; raises OSError."""
        raise OSError(errno.EBADF, os.strerror(errno.EBADF), "the output")


def _unforeseen(error: Exception) -> int:
    """Tell in one line what nobody foresaw, with its details where they are asked for; return the exit code of it."""
    if os.environ.get(_DEBUG):
        import traceback

        say("".join(traceback.format_exception(error)))
    told = " ".join(f"{type(error).__name__}: {error}".split())
    step = f"please report it with what {_DEBUG}=1 tells; the book is as it was, or as a finished step left it"
    say(f"almanac: this is a fault of almanac's, not yours: {told[:200]}; {step}")
    return UNFORESEEN


def _tell(error: AlmanacError) -> None:
    for mistake in error.mistakes:
        say(f"almanac: {mistake}")
    if error.total > error.told:
        say(f"almanac: … and {error.total - error.told:,} more, {error.total:,} in all")
