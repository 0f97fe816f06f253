"""Check a page's file: each mistake with its key, and what is allowed there."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

from pydantic import ValidationError

from level_almanac.errors import Mistake, listed, nearest
from level_almanac.files.pages import (
    ExplainRule,
    PageFile,
    Question,
    Tie,
    is_number,
    placeholders,
    plain_value,
    read_rule,
    texts,
)
from level_almanac.files.validation.book_file import checker_of, json_of, shape_mistake

_SECTIONS = {"ask": Question, "explain": ExplainRule, "ties": Tie}
_TEXT_SECTIONS = ("ask", "explain", "ties")
_ANSWER_NAME = re.compile(r"[a-z][a-z0-9_-]*")
_LENGTH = re.compile(r"[1-9][0-9]* (day|week|month|period|quarter|year)s?")
_LIMITED = ("amount", "count", "day", "days", "period", "quarter", "span", "year")


def page_mistakes(plain: Mapping[str, Any], where: str) -> list[Mistake]:
    """Return every mistake in the shape of a parsed page. where: its file, as messages call it."""
    try:
        page = checker_of(PageFile).validate_json(json_of(_as_texts(plain)))
    except ValidationError as error:
        found = [shape_mistake(each, PageFile, _SECTIONS) for each in error.errors(include_url=False)]
        return [replace(mistake, where=f"{where}: {mistake.where}") for mistake in dict.fromkeys(found)]
    checks = (_question_mistakes, _order_mistakes, _value_mistakes, _option_mistakes, _explain_mistakes)
    mistakes = [mistake for check in checks for mistake in check(page)]
    return [replace(mistake, where=f"{where}: {mistake.where}") for mistake in mistakes]


def _as_texts(plain: Mapping[str, Any]) -> dict[str, Any]:
    """Return the page with numbers and days as texts where a text is meant, since TOML has them bare."""
    as_texts = dict(plain)
    if isinstance(as_texts.get("options"), dict):
        as_texts["options"] = {name: plain_value(value) for name, value in as_texts["options"].items()}
    if isinstance(as_texts.get("ask"), dict):
        as_texts["ask"] = {n: texts(each) if isinstance(each, dict) else each for n, each in as_texts["ask"].items()}
    if isinstance(as_texts.get("explain"), dict):
        as_texts["explain"] = texts(as_texts["explain"])
    if isinstance(as_texts.get("ties"), list):
        as_texts["ties"] = [texts(each) if isinstance(each, dict) else each for each in as_texts["ties"]]
    return as_texts


def _question_mistakes(page: PageFile) -> Iterator[Mistake]:
    for name, question in page.ask.items():
        where = f"ask.{name}"
        if not _ANSWER_NAME.fullmatch(name):
            yield Mistake("not a name for an answer", where, repr(name), "small letters, digits, - and _")
        if question.kind == "choice" and not question.choices:
            yield Mistake("a choice needs what can be chosen", f"{where}.choices", allowed="a list of texts")
        if question.choices and question.kind not in ("choice", "list"):
            yield Mistake("only a choice or a list has choices", f"{where}.choices", got=question.kind)
        if question.longest and question.kind != "days":
            yield Mistake("only a pair of days has a length", f"{where}.longest", got=question.kind)
        elif question.longest and not _LENGTH.fullmatch(question.longest):
            yield Mistake("not a length", f"{where}.longest", repr(question.longest), "such as '92 days' or '1 year'")
        for key in ("least", "most"):
            limit = getattr(question, key)
            if limit and question.kind not in _LIMITED:
                yield Mistake("this kind of answer has no limits", f"{where}.{key}", got=question.kind)
            elif limit and question.kind in ("amount", "count") and not (is_number(limit) or any(placeholders(limit))):
                yield Mistake("not a number", f"{where}.{key}", repr(limit), "such as 7500 or -12.50")


def _order_mistakes(page: PageFile) -> Iterator[Mistake]:
    """Yield the limits and rules of questions that go by an answer which is not given before."""
    before: list[str] = []
    for name, question in page.ask.items():
        for key, other in _goes_by(question):
            if other not in before:
                what, allowed = "no question before this one has this name", listed(before) or "none before the first"
                yield Mistake(what, f"ask.{name}.{key}", repr(other), allowed, nearest(other, before))
        before.append(name)


def _goes_by(question: Question) -> Iterator[tuple[str, str]]:
    """Yield the answers that a question's limits and rule take in, each with the key that does."""
    for key in ("least", "most"):
        for name in placeholders(getattr(question, key)):
            yield key, name.partition(".")[0]
    if question.when:
        yield "when", read_rule(question.when).question


def _option_mistakes(page: PageFile) -> Iterator[Mistake]:
    asked = {name for question in page.ask.values() for _, name in _goes_by(question)}
    for where, text in [("report", page.report), *_texts_of(page.options)]:
        for name in placeholders(text):
            question, _, end = name.partition(".")
            asked.add(question)
            if question not in page.ask:
                hint = nearest(question, page.ask) or f"add a section [ask.{question}]"
                yield Mistake("the page asks no such question", where, f"{{{name}}}", next_step=hint)
            elif page.ask[question].kind != "span" and (page.ask[question].kind == "days") != bool(end):
                right = f"{{{question}.first}} or {{{question}.last}}" if not end else f"{{{question}}}"
                yield Mistake("not how this answer is put in", where, f"{{{name}}}", right)
    for where, rule in _rules_of(page.options):
        question = read_rule(rule).question
        asked.add(question)
        if question not in page.ask:
            hint = nearest(question, page.ask) or f"add a section [ask.{question}]"
            yield Mistake("the page asks no such question", where, repr(rule), listed(page.ask), hint)
        elif " is " not in rule and page.ask[question].kind != "yes-no":
            yield Mistake("only a yes or no can be a condition alone", where, repr(rule), f"{question} is VALUE")
    for name in page.ask:
        if name not in asked:
            yield Mistake("no option takes this answer in", f"ask.{name}", next_step=f"write {{{name}}} in an option")


def _texts_of(options: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    for name, value in options.items():
        for each in value if isinstance(value, list) else [value]:
            if isinstance(each, str):
                yield f"options.{name}", each
            elif isinstance(each, dict) and isinstance(each.get("words"), str):
                yield f"options.{name}", each["words"]


def _rules_of(options: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    for name, value in options.items():
        for each in value if isinstance(value, list) else [value]:
            if isinstance(each, dict) and {"words", "if"} == set(each) and isinstance(each["if"], str):
                yield f"options.{name}", each["if"]


def _explain_mistakes(page: PageFile) -> Iterator[Mistake]:
    for key in ("over", "percent"):
        value = getattr(page.explain, key) if page.explain else "0"
        if not is_number(value):
            yield Mistake("not a number", f"explain.{key}", repr(value), "such as 7500 or 12.5")


def _value_mistakes(page: PageFile) -> Iterator[Mistake]:
    """Yield the options whose value has no shape that an option can have."""
    for name, value in page.options.items():
        for each in value if isinstance(value, list) else [value]:
            good = isinstance(each, str | bool) or (isinstance(each, dict) and {"words", "if"} == set(each))
            if not good:
                allowed = "a text, a number, true, false, or { words = ..., if = ... }, or a list of them"
                yield Mistake("an option cannot be this", f"options.{name}", repr(each), allowed)
