"""The typeface and the colours of the PDF, and how wide words are in it."""

from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

QUIET, INK, RULE, RED = "#5d6875", "#1d2733", "#9aa4af", "#a3262a"
REGULAR, BOLD = "report", "report-bold"


def known_fonts() -> None:
    """Make known a typeface that has every sign in use, a true minus among them; it comes with the charts' library."""
    from reportlab import rl_config
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    # Pictures as they are: to write them in letters takes as long as all else, and a quarter more room.
    rl_config.useA85 = 0
    spec = find_spec("matplotlib")
    if spec is None or spec.origin is None:
        raise ImportError("matplotlib")
    folder = Path(spec.origin).parent / "mpl-data" / "fonts" / "ttf"
    if REGULAR not in pdfmetrics.getRegisteredFontNames():
        pdfmetrics.registerFont(TTFont(REGULAR, str(folder / "DejaVuSans.ttf")))
        pdfmetrics.registerFont(TTFont(BOLD, str(folder / "DejaVuSans-Bold.ttf")))


@lru_cache(maxsize=50_000)
def known_width(words: str, font: str = REGULAR) -> float:
    """Return how wide words are at a size of one. A report measures the same ones at several sizes."""
    from reportlab.pdfbase.pdfmetrics import stringWidth

    return float(stringWidth(words, font, 1))


@lru_cache
def colour_of(code: str) -> Any:
    """Return a colour as the document has it; cells are told theirs one by one."""
    from reportlab.lib.colors import HexColor

    return HexColor(code)
