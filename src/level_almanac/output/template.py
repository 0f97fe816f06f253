"""The templates of HTML pages, each read once however many pages are made of it."""

from functools import cache
from typing import Any


@cache
def template(name: str) -> Any:
    """Return the template of this file in `templates`; what is put in is escaped."""
    return _environment().get_template(name)


@cache
def _environment() -> Any:
    from jinja2 import Environment, PackageLoader

    return Environment(loader=PackageLoader("level_almanac.output"), autoescape=True)
