"""Where a line came from: the file and the line of its export."""

from level_almanac.core.lines.selected import ShownField
from level_almanac.store.expressions import Constant, FieldReference, Joined

SOURCE_PLACE = Joined((FieldReference("file"), Constant(":"), FieldReference("file_line")))
"""The place as a value of a line: `exports/ledger.csv:17`."""
EXPORT = ShownField("export", "line of the export", "text", SOURCE_PLACE)
"""Where a line came from: file and line number."""
