"""Exports in a zip or gzip archive, unpacked for one load and never beyond a limit."""

import gzip
import hashlib
import lzma
import zipfile
import zlib
from pathlib import Path
from typing import Protocol

from level_almanac.errors import BookMistake, Mistake, listed, nearest
from level_almanac.files.settings import IntakeBlock

_CHUNK = 1 << 20
_MB = 1 << 20


def unpacked(path: Path, name: str, block: IntakeBlock, work: Path, member: str = "") -> Path:
    """Return the file itself, or what its archive holds, unpacked into the work folder.

    member: which file of an archive. Raises BookMistake for an archive that cannot be read, holds several files of
    which none is named, or unpacks to more than the block allows.
    """
    ending = path.suffix.lower()
    if ending not in (".zip", ".gz"):
        return path
    target = work / f"unpacked-{hashlib.sha256(name.encode()).hexdigest()[:16]}"
    try:
        if ending == ".gz":
            with gzip.open(path) as stream:
                _copy(stream, target, name, block)
        else:
            with zipfile.ZipFile(path) as archive, archive.open(_member(archive, name, member)) as stream:
                _copy(stream, target, name, block)
    except (zipfile.BadZipFile, gzip.BadGzipFile, zlib.error, lzma.LZMAError, EOFError, NotImplementedError) as error:
        raise BookMistake(Mistake("the archive cannot be read", name, str(error))) from None
    except RuntimeError as error:
        # Python tells of an encrypted archive in this way.
        raise BookMistake(Mistake("the archive is locked", name, str(error), next_step="unpack it yourself")) from None
    return target


def members_of(path: Path, name: str) -> list[str]:
    """Return the names of the files in a zip archive; raise BookMistake where it cannot be read."""
    try:
        with zipfile.ZipFile(path) as archive:
            return [entry.filename for entry in archive.infolist() if not entry.is_dir()]
    except (zipfile.BadZipFile, NotImplementedError, OSError) as error:
        raise BookMistake(Mistake("the archive cannot be read", name, str(error))) from None


def _member(archive: zipfile.ZipFile, name: str, member: str) -> zipfile.ZipInfo:
    files = [entry for entry in archive.infolist() if not entry.is_dir()]
    names = [entry.filename for entry in files]
    if member:
        if member not in names:
            what, hint = "the archive holds no such file", nearest(member, names)
            raise BookMistake(Mistake(what, name, repr(member), listed(names), hint))
        return files[names.index(member)]
    if len(files) != 1:
        step = f'say member = "…": {listed(names)}, or member = "*" for all' if files else ""
        raise BookMistake(Mistake(f"the archive holds {len(files)} files", name, allowed="one", next_step=step))
    return files[0]


class _Readable(Protocol):
    def read(self, size: int, /) -> bytes: ...


def _copy(stream: _Readable, target: Path, name: str, block: IntakeBlock) -> None:
    # What an archive says of its size need not be true, so what comes out is counted.
    size, limit = 0, block.unpacked_mb * _MB
    with target.open("wb") as out:
        while chunk := stream.read(_CHUNK):
            size += len(chunk)
            if size > limit:
                what = f"the archive unpacks to more than {block.unpacked_mb:,} MB"
                step = "say unpacked_mb = N in its intake block, if that is right"
                raise BookMistake(Mistake(what, name, next_step=step))
            out.write(chunk)
