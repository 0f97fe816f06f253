"""Values on their way into a statement: each gets a name, so that none is ever part of the SQL's text."""

from collections.abc import Iterable, Mapping, Sequence

_FEW = 50


class Binding:
    """Collects values and hands out the names that stand for them."""

    def __init__(self, **named: object) -> None:
        self.values: dict[str, object] = dict(named)

    def __call__(self, value: object) -> str:
        """Keep the value and return its name as it is written in SQL; the same value gets the same name."""
        for name, known in self.values.items():
            if type(known) is type(value) and known == value:
                return f"${name}"
        name = f"v{len(self.values)}"
        self.values[name] = value
        return f"${name}"

    def many(self, values: Iterable[object]) -> str:
        """Keep several values and return the SQL of their list, to stand after `in`."""
        listed = list(values)
        # A few are held against each line as they are; more of them are met as a set.
        if 0 < len(listed) <= _FEW:
            return f"({', '.join(map(self, listed))})"
        return f"(select unnest({self(listed)}))"

    def table(self, kinds: Mapping[str, str], rows: Iterable[Sequence[object]]) -> str:
        """Keep rows of values and return the SQL of a table of them. kinds: the type of each column by its name."""
        # One list of rows, and not one of each column: side by side, engines take those for different things.
        named = [dict(zip(kinds, row, strict=True)) for row in rows]
        columns = ", ".join(f"{name} {kind}" for name, kind in kinds.items())
        names = ", ".join(f"each.{name}" for name in kinds)
        return f"(select {names} from (select unnest({self(named)}::struct({columns})[]) as each))"
