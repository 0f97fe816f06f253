"""One sheet of a workbook that is there already, made anew: all else of the file stays byte for byte as it was.

The workbook's parts are changed as text where they must be: the sheet itself, the styles, to which those of the report
are added at their end, and what says that formulas are to be computed again. What cannot be changed safely is refused.
"""

import io
import posixpath
import re
import zipfile
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from xml.etree import ElementTree
from xml.sax.saxutils import escape, quoteattr

from level_almanac.core.table.model import ReportTable
from level_almanac.errors import Mistake, UsageMistake, listed
from level_almanac.output.xlsx import sheet_alone

_TYPES = "[Content_Types].xml"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_SHEET_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"
_KEPT = ("drawing", "printerSettings", "hyperlink")
"""What may belong to the sheet: its charts and pictures stay; the rest goes with the sheet's old content."""
_WORDS = {
    "table": "a table", "pivotTable": "a pivot table", "comments": "comments", "oleObject": "an embedded object",
    "control": "a control", "ctrlProp": "a control", "vmlDrawing": "comments or controls",
    "threadedComment": "comments", "customProperty": "properties of its own", "slicer": "slicers",
}  # fmt: skip
_LISTS = ("fonts", "fills", "borders", "cellXfs")
_FIRST_OWN_FORMAT = 164
"""Number formats from here on are a workbook's own."""
_NOT_TAKEN = re.compile(r"<(legacyDrawing|legacyDrawingHF|autoFilter|drawing)\b[^>]*/>")


def refreshed(existing: bytes, name: str, table: ReportTable) -> bytes:
    """Return a workbook with the report on the sheet of this name, which is added at the end where there is none.

    Raises UsageMistake for a file that is no workbook, and for one whose sheet holds what cannot be kept.
    """
    own = sheet_alone(table._replace(look=replace(table.look, logo=None)), name)
    try:
        with zipfile.ZipFile(io.BytesIO(existing)) as archive:
            return _Refreshing(archive, name).made(own)
    # What a part should lead to may be missing, and what is packed unreadable: by a password, or an unknown method.
    except (zipfile.BadZipFile, KeyError, StopIteration, RuntimeError, ElementTree.ParseError, ValueError) as error:
        raise _refused(name, f"the file is no workbook that can be read: {str(error)[:80] or 'damaged'}") from None


def _refused(name: str, why: str) -> UsageMistake:
    step = "it is as it was; write to another sheet or file"
    return UsageMistake(Mistake("this sheet cannot be refreshed safely", "--into", f"{name!r}: {why}", next_step=step))


class _Refreshing:
    """One workbook that is changed. Parts are named as in its archive."""

    def __init__(self, archive: zipfile.ZipFile, name: str) -> None:
        self.archive, self.name = archive, name
        self.changed: dict[str, bytes | None] = {}
        self.workbook = next(path for kind, path, _ in self._related("") if kind == "officeDocument")
        if any(each.startswith("_xmlsignatures/") for each in archive.namelist()):
            raise _refused(name, "the workbook is signed, and would not be any more")
        self.related = list(self._related(self.workbook))
        self.styles = next(path for kind, path, _ in self.related if kind == "styles")

    def _text(self, part: str) -> str:
        content = self.changed.get(part)
        return (self.archive.read(part) if content is None else content).decode("utf-8-sig")

    def _put(self, part: str, text: str) -> None:
        self.changed[part] = text.encode("utf-8")

    def _related(self, part: str) -> Iterator[tuple[str, str, str]]:
        """Yield (kind, part, id) of what a part leads to; those outside the file without a part."""
        folder, file = posixpath.split(part)
        where = posixpath.join(folder, "_rels", f"{file}.rels")
        if where not in self.archive.namelist():
            return
        for each in ElementTree.fromstring(self.archive.read(where)):  # noqa: S314  the person's own workbook
            path = each.get("Target", "")
            whole = path.lstrip("/") if path.startswith("/") else posixpath.normpath(posixpath.join(folder, path))
            outside = each.get("TargetMode") == "External"
            yield each.get("Type", "").rpartition("/")[2], "" if outside else whole, each.get("Id", "")

    def made(self, own: bytes) -> bytes:
        """Return the changed file. own: a workbook of the report's sheet alone."""
        with zipfile.ZipFile(io.BytesIO(own)) as report:
            sheet = report.read("xl/worksheets/sheet1.xml").decode("utf-8")
            strings = re.findall(r"<si>(.*?)</si>", report.read("xl/sharedStrings.xml").decode("utf-8"), re.DOTALL)
            styles = report.read("xl/styles.xml").decode("utf-8")
        part, tail, selected = self._sheet()
        number = self._with_styles(styles)
        self._put(part, _sheet_text(sheet, strings, number, tail, selected=selected))
        self._compute_again()
        return self._written()

    # The sheet.

    def _sheet(self) -> tuple[str, str, bool]:
        """Return the sheet's part, what of its old content stays, and whether it is the one that is looked at."""
        parts = {ident: path for kind, path, ident in self.related if kind in ("worksheet", "chartsheet")}
        found = None
        for sheet in ElementTree.fromstring(self.archive.read(self.workbook)).iter():  # noqa: S314  as above
            if sheet.tag.endswith("}sheet") and sheet.get("name", "").casefold() == self.name.casefold():
                found = parts.get(sheet.get(f"{{{_OFFICE}}}id", ""))
        if found is None:
            return self._added(), "", False
        if "worksheets/" not in found:
            raise _refused(self.name, "it is a sheet of a chart")
        text = self._text(found)
        if re.search(r"<(\w+:)?sheetProtection\b", text):
            raise _refused(self.name, "it is protected")
        others = [kind for kind, _, _ in self._related(found) if kind not in _KEPT]
        if others:
            raise _refused(self.name, f"it has {listed(dict.fromkeys(_WORDS.get(kind, kind) for kind in others))}")
        drawing = re.search(r"<drawing\b[^>]*/>", text)
        return found, drawing[0] if drawing else "", bool(re.search(r'<sheetView\b[^>]*tabSelected="(1|true)"', text))

    def _added(self) -> str:
        """Add a sheet at the end, and return its part."""
        taken = set(self.archive.namelist())
        number = next(each for each in range(1, len(taken) + 2) if f"xl/worksheets/sheet{each}.xml" not in taken)
        part = f"xl/worksheets/sheet{number}.xml"
        text = self._text(self.workbook)
        sheets = re.findall(r'<sheet\b[^>]*\bsheetId="(\d+)"', text)
        ids = {ident for _, _, ident in self.related}
        ident = next(f"rId{each}" for each in range(1, len(ids) + 2) if f"rId{each}" not in ids)
        prefix = re.search(r'xmlns:(\w+)="' + re.escape(_OFFICE) + '"', text)
        if prefix is None or "</sheets>" not in text:
            raise _refused(self.name, "the workbook is written in a form that is not known here")
        own = max(map(int, sheets), default=0) + 1
        entry = f'<sheet name={quoteattr(self.name)} sheetId="{own}" {prefix[1]}:id="{ident}"/>'
        self._put(self.workbook, text.replace("</sheets>", f"{entry}</sheets>"))
        folder, file = posixpath.split(self.workbook)
        target = posixpath.relpath(part, folder)
        relation = f'<Relationship Id="{ident}" Type="{_OFFICE}/worksheet" Target="{target}"/>'
        self._insert(posixpath.join(folder, "_rels", f"{file}.rels"), relation, "</Relationships>")
        self._insert(_TYPES, f'<Override PartName="/{part}" ContentType="{_SHEET_TYPE}"/>', "</Types>")
        return part

    def _insert(self, part: str, what: str, before: str) -> None:
        text = self._text(part)
        if before not in text:
            raise _refused(self.name, f"{part} is written in a form that is not known here")
        self._put(part, text.replace(before, f"{what}{before}"))

    # Styles.

    def _with_styles(self, own: str) -> Callable[[str], str]:
        """Add the report's styles to the workbook's, and return what gives one its number there."""
        text = self._text(self.styles)
        counts: dict[str, int] = {}
        formats, text = self._with_formats(own, text)
        for name in _LISTS:
            found = re.search(rf"<{name}\b([^>]*)>(.*?)</{name}>", text, re.DOTALL)
            if found is None:
                raise _refused(self.name, "the workbook's styles are written in a form that is not known here")
            counts[name] = len(_children(found[0]))
            added = _children(_list_of(own, name))
            if name == "cellXfs":
                added = [_moved(each, counts, formats) for each in added]
            head = re.sub(r'count="\d+"', f'count="{counts[name] + len(added)}"', found[1])
            text = text.replace(found[0], f"<{name}{head}>{found[2]}{''.join(added)}</{name}>", 1)
        self._put(self.styles, text)
        return lambda number: str(int(number) + counts["cellXfs"])

    def _with_formats(self, own: str, text: str) -> tuple[Mapping[str, str], str]:
        """Return the numbers that the report's number formats have in the workbook, and its styles with them."""
        # A list of none may be told, and is told no more.
        text = re.sub(r"<numFmts\b[^>]*/>", "", text)
        told = re.findall(r'<numFmt numFmtId="(\d+)" formatCode="([^"]*)"/>', own)
        taken = [int(each) for each in re.findall(r'<numFmt\b[^>]*numFmtId="(\d+)"', text)]
        first = max([_FIRST_OWN_FORMAT - 1, *taken]) + 1
        numbers = {number: str(first + at) for at, (number, _) in enumerate(told)}
        added = "".join(f'<numFmt numFmtId="{numbers[number]}" formatCode="{code}"/>' for number, code in told)
        found = re.search(r"<numFmts\b[^>]*>(.*?)</numFmts>", text, re.DOTALL)
        if found is not None:
            whole = f'<numFmts count="{len(taken) + len(told)}">{found[1]}{added}</numFmts>'
            return numbers, text.replace(found[0], whole, 1)
        head = re.search(r"<styleSheet\b[^>]*>", text)
        if head is None:
            raise _refused(self.name, "the workbook's styles are written in a form that is not known here")
        listed_formats = f'<numFmts count="{len(told)}">{added}</numFmts>' if told else ""
        return numbers, text.replace(head[0], f"{head[0]}{listed_formats}", 1)

    # The rest.

    def _compute_again(self) -> None:
        """Have formulas on other sheets computed from the new figures, by whoever opens the file."""
        text = self._text(self.workbook)
        if found := re.search(r"<calcPr\b[^>]*?(/?)>", text):
            calc = re.sub(r'\s*fullCalcOnLoad="[^"]*"', "", found[0])
            self._put(self.workbook, text.replace(found[0], calc.replace("<calcPr", '<calcPr fullCalcOnLoad="1"'), 1))
        else:
            after = next(each for each in ("</definedNames>", "</externalReferences>", "</sheets>") if each in text)
            self._put(self.workbook, text.replace(after, f'{after}<calcPr fullCalcOnLoad="1"/>', 1))
        chain = next((path for kind, path, _ in self.related if kind == "calcChain"), "")
        if chain:
            # It lists the cells of formulas, and is made anew where it is missing.
            self.changed[chain] = None
            folder, file = posixpath.split(self.workbook)
            for part, tag in ((posixpath.join(folder, "_rels", f"{file}.rels"), "Relationship"), (_TYPES, "Override")):
                gone = re.compile(rf"<{tag}\b[^>]*calcChain[^>]*/>")
                self._put(part, gone.sub("", self._text(part)))

    def _written(self) -> bytes:
        stream = io.BytesIO()
        with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as target:
            for entry in self.archive.infolist():
                if entry.filename not in self.changed:
                    target.writestr(entry, self.archive.read(entry), entry.compress_type)
                elif (content := self.changed.pop(entry.filename)) is not None:
                    target.writestr(entry, content, zipfile.ZIP_DEFLATED)
            for name, content in self.changed.items():
                if content is not None:
                    target.writestr(name, content)
        return stream.getvalue()


def _list_of(styles: str, name: str) -> str:
    found = re.search(rf"<{name}\b[^>]*>.*?</{name}>", styles, re.DOTALL)
    return found[0] if found else ""


def _children(whole: str) -> list[str]:
    """Return the elements within an element, each as its text."""
    inner = re.sub(r"^<[^>]*>|</[^>]*>$", "", whole.strip())
    found, at = [], 0
    while match := re.compile(r"<([\w:]+)\b[^>]*?(/?)>").search(inner, at):
        end = match.end()
        if not match[2]:
            end = inner.index(f"</{match[1]}>", end) + len(match[1]) + 3
        found.append(inner[match.start() : end])
        at = end
    return found


def _moved(form: str, counts: Mapping[str, int], formats: Mapping[str, str]) -> str:
    """Return a cell format of the report's that leads to its own fonts, fills, borders and number formats."""
    for key, name in (("fontId", "fonts"), ("fillId", "fills"), ("borderId", "borders")):
        form = re.sub(rf'{key}="(\d+)"', lambda found, n=name, k=key: f'{k}="{int(found[1]) + counts[n]}"', form)  # type: ignore[misc]  # bound at once
    form = re.sub(r'numFmtId="(\d+)"', lambda found: f'numFmtId="{formats.get(found[1], found[1])}"', form)
    return re.sub(r'xfId="\d+"', 'xfId="0"', form)


def _sheet_text(sheet: str, strings: list[str], number: Callable[[str], str], tail: str, *, selected: bool) -> str:
    """Return the report's sheet as it stands in the workbook. tail: what of the old one stays."""
    sheet = re.sub(
        r'(<c\b[^>]*?) t="s"><v>(\d+)</v></c>',
        lambda found: f'{found[1]} t="inlineStr"><is>{strings[int(found[2])]}</is></c>',
        sheet,
    )
    sheet = re.sub(r'(<(?:c|row)\b[^>]*? s=")(\d+)(")', lambda found: f"{found[1]}{number(found[2])}{found[3]}", sheet)
    sheet = re.sub(r'(<col\b[^>]*? style=")(\d+)(")', lambda found: f"{found[1]}{number(found[2])}{found[3]}", sheet)
    sheet = _NOT_TAKEN.sub("", sheet).replace("&amp;G", "")
    if not selected:
        sheet = sheet.replace(' tabSelected="1"', "", 1)
    return sheet.replace("</worksheet>", f"{tail}</worksheet>")


def check_sheet(name: str) -> None:
    """Raise UsageMistake for what no sheet can be called."""
    wrong = [letter for letter in name if letter in "[]:*?/\\"]
    if not name.strip() or len(name) > 31 or wrong or name.startswith("'") or name.endswith("'"):
        allowed = "a name of 31 letters at the most, without [ ] : * ? / \\"
        raise UsageMistake(Mistake("no sheet can be called this", "--into", repr(escape(name)), allowed))
