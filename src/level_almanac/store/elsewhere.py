"""Parts that lie where only the engine of a cluster reads and writes: what a store asks of who reaches them."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Protocol

NEW = ".new-"
"""What stands after the name of a part that is being written, ahead of what no other has."""


class Elsewhere(Protocol):
    """Parts that lie in no folder, but at a URI; the folder of a store names them all the same."""

    uri: str

    def check(self) -> None:
        """Raise UsageMistake where what computes is nothing that reaches them."""

    def names(self) -> Mapping[str, float]:
        """Return what lies there, each with the time of its last change, in seconds."""

    def look_anew(self) -> None:
        """Forget what lay there when it was looked at last."""

    def uri_of(self, part: Path) -> str:
        """Return where a part is read, told by its path in the folder; nothing where that is of another folder."""

    def put(self, written: Path, name: str) -> None:
        """Have a copy of a finished file lie there by this name, whole or not at all; one that is there gives way."""

    def fetch(self, name: str, target: Path) -> None:
        """Copy one from there into a file here."""

    def remove(self, name: str) -> None:
        """Let go of one."""

    def digests(self, names: Sequence[str]) -> Mapping[str, str]:
        """Return the SHA-256 of each that is there."""
