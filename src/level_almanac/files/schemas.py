"""Schemas of the book's text files and of reports as JSON, for editors and for programs that read them.

`python -m level_almanac.files.schemas docs/schemas` writes them anew.
"""

import json
import sys
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from level_almanac.files.editions import Edition
from level_almanac.files.explanations import WrittenExplanation
from level_almanac.files.layouts import Layout
from level_almanac.files.pages import PageFile
from level_almanac.files.settings import BookSettings

_DRAFT = "https://json-schema.org/draft/2020-12/schema"
_NUMBERS = {"default", "least", "most", "over", "percent"}
"""Keys of pages that are texts to us, and may be written bare in the file."""
_DECIMAL = {"type": "string", "pattern": "^-?[0-9]+(\\.[0-9]+)?$", "description": "an exact decimal"}
_DAY = {"type": ["string", "null"], "format": "date"}


def schemas() -> dict[str, dict[str, Any]]:
    """Return each schema by the name of its file."""
    named = {
        "book": ("almanac.toml", _of(BookSettings)),
        "layout": ("a statement layout: layouts/*.toml", _of(Layout)),
        "page": ("a page: pages/**/*.toml", _page()),
        "explanations": ("explanations of a page's figures: explanations/**/*.toml", _explanations()),
        "edition": ("an edition's record: editions/*/edition.json", _of(Edition)),
        "report": ("a report as JSON", _report()),
    }
    return {
        f"{name}.schema.json": {"$schema": _DRAFT, "title": f"Level Almanac: {title}", **schema}
        for name, (title, schema) in named.items()
    }


def _of(kind: type) -> dict[str, Any]:
    made = TypeAdapter(kind).json_schema()
    made.pop("title", None)
    return made


def _page() -> dict[str, Any]:
    schema = _of(PageFile)
    for section in (schema, *schema["$defs"].values()):
        for name, value in section.get("properties", {}).items():
            if name in _NUMBERS and value.get("type") == "string":
                value["type"] = ["string", "number"]
    part = {
        "type": "object",
        "properties": {"words": {"type": "string"}, "if": {"type": "string"}},
        "required": ["words", "if"],
        "additionalProperties": False,
    }
    one = {"anyOf": [{"type": ["string", "number", "boolean"]}, part]}
    schema["properties"]["options"] = {
        "type": "object",
        "additionalProperties": {"anyOf": [one, {"type": "array", "items": one}]},
    }
    return schema


def _explanations() -> dict[str, Any]:
    one = _of(WrittenExplanation)
    return {"type": "object", "properties": {"explanation": {"type": "array", "items": one}}}


def _report() -> dict[str, Any]:
    # Where only lines are counted there is no amount.
    counted = _object({"lines": {"type": "integer"}}, amount=_DECIMAL)
    part = _object({"rule": {"type": "string"}, "lines": {"type": "integer"}}, amount=_DECIMAL)
    proof = _object(
        {
            "measure": {"type": "string"},
            "considered": counted,
            "shown": counted,
            "shown_as": {"type": "array", "items": part},
            "left_out": {"type": "array", "items": part},
            "checks": {"type": "array", "items": _object({"words": {"type": "string"}, "holds": {"type": "boolean"}})},
            "balances": {"type": "boolean"},
        },
        table={"type": "string"},
        further={"type": "array", "items": {"$ref": "#/$defs/proof"}},
    )
    column = _object(
        {
            "key": {"type": "string"},
            "label": {"type": "string"},
            "type": {"enum": ["amount", "percent", "number", "count", "date", "text"]},
            "from": _DAY,
            "through": _DAY,
            "complete": {"type": ["boolean", "null"]},
            "whole": {"type": ["boolean", "null"]},
        },
        scenario={"type": "string"},
        group={"type": "string"},
        change=_object({"of": {"type": "string"}, "over": {"type": "string"}}),
    )
    row = _object(
        {
            "key": {"type": "string"},
            "label": {"type": "string"},
            "level": {"type": "integer"},
            "kind": {"enum": ["group", "heading", "line", "all-other", "percent", "subtotal", "total", "blank"]},
            "cells": {"type": "object", "additionalProperties": {"type": ["string", "integer", "null"]}},
        },
        unit={"enum": ["percent", "number"]},
        **{"from": _DAY, "through": _DAY},
        complete={"type": ["boolean", "null"]},
        whole={"type": ["boolean", "null"]},
    )
    explanation = _object(
        {
            "number": {"type": "integer"},
            "row": {"type": "string"},
            "column": {"type": "string"},
            "text": {"type": "string"},
            "by": {"type": "string"},
            "written_for": {"anyOf": [_DECIMAL, {"type": "null"}]},
        }
    )
    made = _object(
        {
            "title": {"type": "string"},
            "facts": {"type": "object", "additionalProperties": {"type": "string"}},
            "columns": {"type": "array", "items": column},
            "rows": {"type": "array", "items": row},
            "proof": {"anyOf": [{"$ref": "#/$defs/proof"}, {"type": "null"}]},
            "notes": {"type": "array", "items": {"type": "string"}},
        },
        sheets={"type": "array", "items": {"$ref": "#"}},
        behind={"type": "array", "items": {"$ref": "#"}},
        explanations={"type": "array", "items": explanation},
    )
    return {**made, "$defs": {"proof": proof}}


def _object(needed: dict[str, Any], **further: Any) -> dict[str, Any]:
    return {
        "type": "object",
        "properties": {**needed, **further},
        "required": list(needed),
        "additionalProperties": False,
    }


def schema_text(schema: dict[str, Any]) -> str:
    """Return a schema as its file holds it."""
    return json.dumps(schema, ensure_ascii=False, indent=1) + "\n"


if __name__ == "__main__":
    for file, made in schemas().items():
        (Path(sys.argv[1]) / file).write_text(schema_text(made), encoding="utf-8")
