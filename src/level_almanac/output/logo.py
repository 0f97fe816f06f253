"""The logo of a book: read once, whole, before it goes into a document, so that a broken one is told of in one way."""

import io
import struct
from pathlib import Path

from level_almanac.errors import BookMistake, Mistake


def png_of(path: Path) -> bytes:
    """Return a logo as a PNG that every format takes; raise BookMistake where it is no image that can be read."""
    from PIL import Image

    stream = io.BytesIO()
    try:
        with Image.open(path, formats=("PNG", "JPEG")) as image:
            image.load()
            picture = image if image.mode in ("RGB", "RGBA", "L") else image.convert("RGBA")
            picture.save(stream, "PNG")
    except (OSError, ValueError, SyntaxError, OverflowError, struct.error, Image.DecompressionBombError) as error:
        what, allowed = "this image cannot be read", "a PNG or JPEG"
        raise BookMistake(Mistake(what, "page.logo", f"{path.name}: {str(error)[:100]}", allowed)) from None
    return stream.getvalue()
