"""Commands made from the definitions of reports: each report's own, and the one that traces its figures."""

from collections.abc import Iterable, Mapping
from typing import Any

import click

from level_almanac.cli.commands import OneEach
from level_almanac.cli.options import open_book
from level_almanac.cli.parameters import parameter, told_of
from level_almanac.cli.say import progress_shown, say
from level_almanac.cli.show import OutputRequest, check_lines, check_outputs, output_options, show
from level_almanac.core.reports.definition import Report
from level_almanac.core.reports.making import Asked, make_report, read_asked, trace_figure, trace_options
from level_almanac.core.reports.registry import all_reports
from level_almanac.core.requests.options import options_of, read_options, request_of
from level_almanac.core.trace.request import TraceRequest


def help_of(first: str, about: str, examples: Iterable[str], front: str = "almanac") -> str:
    """Return a command's help: what it does, more of that, and examples that are left as they are."""
    lines = "\n".join(f"  {front} {example}" for example in examples)
    return "\n\n".join(filter(None, (first, about, f"\b\nExamples:\n{lines}")))


def warn(words: Iterable[str]) -> None:
    """Tell of what is done all the same, but not for long."""
    for each in words:
        say(f"warning: {each}")


def _asked(report: Report, values: Mapping[str, Any], output: OutputRequest) -> Asked:
    called = {each.name: each.called for each in report.options}
    told = {**told_of(report.options, values), **output.look}
    return read_asked(report, told, lambda name: called.get(name, f"--{name}"))


def report_command(report: Report) -> click.Command:
    """Return the command that makes a report."""

    @output_options
    @click.pass_context
    def command(ctx: click.Context, /, output: OutputRequest, **values: Any) -> None:
        check_outputs(output)
        asked = _asked(report, values, output)
        check_lines(output, with_lines=asked.with_lines)
        warn(asked.warnings)
        with progress_shown(report.name):
            made = make_report(open_book(ctx), asked)
        if made.keep is not None:
            made.keep()
        show(ctx, made.table, output, of=report)
        if not made.holds:
            ctx.exit(1)

    params = [parameter(each) for each in report.options]
    words = help_of(report.help, report.about, report.examples)
    return click.command(report.name, cls=_of(report), params=params, help=words)(command)


def _of(report: Report) -> type[OneEach]:
    """Return the class of a report's commands, which know what is written in place of other reports' options."""
    return type("ReportCommand", (OneEach,), {"instead": report.instead})


def trace_command(report: Report) -> click.Command:
    """Return the command that shows what lies behind a figure of a report."""
    tracing = report.tracing
    assert tracing is not None  # noqa: S101  asked of reports that can be traced only
    known = {each.name: each for each in options_of(TraceRequest) if each.name in tracing.options}
    if not tracing.whole_rows and "column" in known:
        # One figure at a time is told of here, the usual one where none is named.
        known["column"] = known["column"]._replace(help=known["column"].help.partition("  [default")[0])
    kept = trace_options(report)
    own = [each for each in report.options if each.name in kept]

    @output_options
    @click.pass_context
    def command(ctx: click.Context, /, output: OutputRequest, **values: Any) -> None:
        check_outputs(output)
        asked = _asked(report, {key: value for key, value in values.items() if key not in known_keys}, output)
        figure = request_of(
            TraceRequest, read_options(known, told_of(known.values(), values), lambda name: f"--{name}")
        )
        with progress_shown(f"trace {report.name}"):
            traced = trace_figure(open_book(ctx), asked, figure)
        show(ctx, traced, output)

    known_keys = {each.keyword for each in known.values()}
    params = [parameter(each) for each in (*own, *known.values())]
    words = help_of(tracing.help, "", [tracing.example], "almanac trace")
    return click.command(report.name, cls=_of(report), params=params, help=words)(command)


class Traces(click.Group):
    """A group with a command for each report that can be traced, made only when it is run."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002  click's signature
        """Return the names of the reports."""
        return [name for name, report in all_reports().items() if report.tracing]

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:  # noqa: ARG002  as above
        """Return the command of a report, or None where there is none of this name."""
        report = all_reports().get(cmd_name)
        return trace_command(report) if report and report.tracing else None
