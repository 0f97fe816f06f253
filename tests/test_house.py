"""The house: which package may import which, what is imported when, and that the documents keep up."""

import ast
import re
import shlex
import subprocess
import sys
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

from conftest import Almanac, copied, run_almanac
from level_almanac.cli.main import commands

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "level_almanac"
MAY_IMPORT = {
    "cli": {
        "cli",
        "api",
        "core",
        "intake",
        "output",
        "files",
        "demo",
        "errors",
        "immutable",
        "progress",
        "shown_text",
        "whole_file",
    },
    "api": {"api", "core", "intake", "output", "files", "errors", "immutable"},
    "core": {"core", "store", "files", "errors", "immutable", "progress"},
    "intake": {"intake", "store", "files", "errors", "immutable", "progress", "shown_text", "whole_file"},
    "store": {"store", "progress", "files", "errors", "immutable", "whole_file"},
    "output": {"output", "core.table", "errors", "immutable", "progress", "shown_text", "whole_file"},
    "files": {"files", "errors", "immutable", "whole_file"},
    "demo": {"demo", "immutable"},
}
CORE = (
    "table", "calendar", "accounts", "fields", "language", "requests", "selection", "settlements", "void_conditions", "book", "spans", "header", "lines",
    "subledger", "measures", "columns", "trace", "reports", "pages", "editions",
)  # fmt: skip
"""The rooms of core, from the ground up: each may import from itself and from those before it."""
ONLY_IN = {
    "click": {"cli"},
    "rich": {"cli", "output"},
    "lark": {"core"},
    "duckdb": {"store", "output"},
    "jinja2": {"output"},
    "matplotlib": {"output"},
    "reportlab": {"output"},
    "xlsxwriter": {"output"},
    "pydantic": {"files"},
    "filelock": {"files", "store"},
    "platformdirs": {"files"},
    "PIL": {"output"},
    "tomlkit": {"files"},
    "openpyxl": {"intake"},
    "python_calamine": {"intake"},
    "xlrd": {"intake"},
    "numpy": {"intake"},
    "psycopg": {"intake"},
    "sqlite3": {"intake"},
    "pyspark": {"store"},
    "sqlglot": {"store"},
}
SQL = re.compile(r"\b(select|insert|copy|create)\b.+\b(from|into|to|table)\b", re.DOTALL)
DOCUMENTED = ast.Module | ast.ClassDef | ast.FunctionDef


@cache
def nodes_of(path: Path) -> list[ast.AST]:
    return list(ast.walk(ast.parse(path.read_text())))


def imports(path: Path) -> Iterator[str]:
    for node in nodes_of(path):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            yield node.module or ""


def modules() -> Iterator[tuple[str, Path]]:
    for path in sorted(SOURCE.rglob("*.py")):
        if len(path.relative_to(SOURCE).parts) > 1:
            yield path.relative_to(SOURCE).parts[0], path


def names_within(path: Path) -> Iterator[str]:
    """Yield the modules of ours that a file imports, as `core.table.model`."""
    for node in nodes_of(path):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("level_almanac."):
            inner = node.module.removeprefix("level_almanac.")
            folder = SOURCE.joinpath(*inner.split("."))
            yield from (
                f"{inner}.{alias.name}" if (folder / f"{alias.name}.py").is_file() else inner for alias in node.names
            )


def test_imports_point_one_way() -> None:
    wrong = []
    for package, path in modules():
        allowed = MAY_IMPORT[package]
        found = [
            inner
            for inner in names_within(path)
            if not {inner, inner.split(".")[0], ".".join(inner.split(".")[:2])} & allowed
        ]
        found += [
            name
            for name in imports(path)
            if not name.startswith("level_almanac") and package not in ONLY_IN.get(name.split(".")[0], {package})
        ]
        wrong += [f"{path.relative_to(SOURCE)} imports {name}" for name in found]
    assert not wrong


def test_the_rooms_of_core_stand_on_each_other() -> None:
    wrong, rooms = [], set()
    for path in sorted((SOURCE / "core").rglob("*.py")):
        room = path.relative_to(SOURCE / "core").with_suffix("").parts[0]
        if room == "__init__":
            continue
        rooms.add(room)
        wrong += [
            f"{path.relative_to(SOURCE)} imports {inner}"
            for inner in names_within(path)
            if inner.startswith("core.") and CORE.index(inner.split(".")[1]) > CORE.index(room)
        ]
    assert not wrong
    assert rooms == set(CORE), "no room and no flat file of core but those named"


def test_no_module_imports_itself_by_way_of_others() -> None:
    known = {".".join(path.relative_to(SOURCE).with_suffix("").parts): path for _, path in modules()}
    left = {name: {inner for inner in names_within(path) if inner in known} - {name} for name, path in known.items()}
    while free := [name for name, needed in left.items() if not needed & left.keys()]:
        for name in free:
            del left[name]
    assert not left, "these import each other"


def test_sql_stands_in_the_store_only() -> None:
    wrong = []
    for package, path in modules():
        nodes = nodes_of(path)
        docs = {ast.get_docstring(node, clean=False) for node in nodes if isinstance(node, DOCUMENTED)}
        texts = [node.value for node in nodes if isinstance(node, ast.Constant) and isinstance(node.value, str)]
        if package != "store":
            wrong += [f"{path.name}: {text[:60]}" for text in texts if SQL.search(text) and text not in docs]
    assert not wrong


@pytest.mark.parametrize(
    ("command", "unwanted"),
    [
        ("from level_almanac.cli.main import almanac; almanac(['--help'], standalone_mode=False)",
         {"duckdb", "_duckdb", "rich", "lark", "pydantic", "filelock", "level_almanac.core.book"}),
        ("import level_almanac.core.reports.statement.report, level_almanac.core.reports.trial.report, level_almanac.core.reports.list.report, level_almanac.output.terminal",
         {"click", "duckdb", "_duckdb", "rich", "lark", "pydantic", "filelock"}),
        ("import level_almanac.cli.load, level_almanac.cli.propose", {"duckdb", "_duckdb", "lark", "openpyxl", "psycopg", "pydantic", "sqlite3"}),
    ],
)  # fmt: skip
def test_what_is_heavy_is_imported_where_it_is_used(command: str, unwanted: set[str]) -> None:
    code = f"import sys; {command}; print('|'.join(sys.modules))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert not unwanted & set(done.stdout.splitlines()[-1].split("|"))


@pytest.mark.parametrize("command", commands())
def test_every_command_has_help_with_examples_that_parse_and_a_page(command: str, almanac: Almanac) -> None:
    shown = almanac(command, "--help")
    assert shown.code == 0
    assert "Examples:" in shown.out
    assert commands()[command] in almanac("--help").out
    assert commands()[command].rstrip(".") in " ".join(shown.out.split()), "both helps say the same"
    pages = "\n".join(path.read_text() for path in (ROOT / "docs").glob("*.md"))
    assert f"almanac {command}" in pages


def blocks() -> Iterator[tuple[str, str, str]]:
    """Yield (page, command, expected output) of each console example of the docs, or (page, file, its text)."""
    for page in sorted([*(ROOT / "docs").glob("*.md"), ROOT / "README.md"]):
        for kind, block in re.findall(r"```(console|(?:csv|toml) \S+)\n(.*?)```", page.read_text(), re.DOTALL):
            if kind != "console":
                yield page.name, kind.partition(" ")[2], block
                continue
            for part in re.split(r"^\$ ", block, flags=re.MULTILINE)[1:]:
                command, _, output = part.partition("\n")
                yield page.name, command, output


ENDS = {
    1: ("almanac check", "almanac aging receivable --period 2026-P08 --top 4", "almanac check control",
        'almanac page run month-end --members vessel --spans "2026-P07, 2026-P08" -o board.html',
    ),
    2: (
        'almanac statement income --columns "ptd; ytdd"', "almanac edition issue 2026-P08 --period 2026-P08 --pages month-end",
        "almanac page run quarter/paid --answer over=few --answer yaer=2025",
        'almanac trace statement income --row "Total income" --column 4',
    ),
}  # fmt: skip
"""The examples that end with another code than 0: those that find something, and those that show what is refused."""
WRITTEN_ON = ("editions.md", "month-end.md", "pages.md")
"""Pages whose examples change the book: each has one of its own, in which they are run in their order."""


@pytest.fixture(scope="session")
def books(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    return {
        page: copied(demo, tmp_path_factory.mktemp("docs") / "book") if page in WRITTEN_ON else demo
        for page in {page for page, _, _ in blocks()}
    }


def timeless(line: str) -> str:
    return re.sub(r"(loaded|issued|seal|run) [0-9].*", r"\1", re.sub(r"loaded .*", "loaded", line))


@pytest.mark.parametrize(
    ("page", "command", "output"), list(blocks()), ids=[f"{page}: {command}" for page, command, _ in blocks()]
)
def test_the_examples_of_the_docs_run_and_print_what_they_say(
    books: dict[str, Path], page: str, command: str, output: str
) -> None:
    words = shlex.split(command)
    if words[0] != "almanac":
        path = books[page] / words[0]
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(output)
        return
    ran = run_almanac(*words[1:], cwd=books[page])
    assert ran.code == next((code for code, shown in ENDS.items() if command in shown), 0), ran.err
    printed = (ran.out + ran.err).splitlines()
    at = 0
    for line in output.splitlines():
        if line.strip() in ("", "…"):
            continue
        # The time of loading or issue differs each time; lines may be left out, but not change their order.
        wanted = timeless(line.rstrip())
        at = next((n for n in range(at, len(printed)) if timeless(printed[n]) == wanted), -1) + 1
        assert at, f"{page}: {line!r} is not printed by {command}"
