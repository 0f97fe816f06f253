"""Names of files that every system takes, since a book is copied from one to another."""

import re

_DEVICE = re.compile(r"(?:con|prn|aux|nul|com\d|lpt\d)(?:\..*)?", re.IGNORECASE)
_NOT_IN_A_NAME = re.compile(r'[<>:"|?*\\%\x00-\x1f]|[. ]$')


def is_device(path: str) -> bool:
    """Tell whether a part of a path is what some systems call a device, as `con` or `aux.toml`."""
    return any(_DEVICE.fullmatch(part) for part in path.split("/"))


def portable(path: str) -> str:
    """Return a path in which each letter that some system refuses in a name is written as its number, `%3A` for `:`."""
    return "/".join(map(_portable, path.split("/")))


def _portable(name: str) -> str:
    written = _NOT_IN_A_NAME.sub(lambda match: f"%{ord(match[0]):02X}", name)
    return f"%{ord(written[0]):02X}{written[1:]}" if is_device(written) else written
