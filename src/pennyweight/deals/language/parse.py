"""The text of a formula becomes a small tree, checked against a whitelist; nothing else ever runs.

Length and nesting are bounded before anything is parsed, percents are read as literals, then Python's own
parser does the grammar and every node it yields is either translated or refused.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Mapping
from dataclasses import dataclass
from keyword import iskeyword
from math import isfinite, isnan
from typing import TypeAlias

import numpy as np

from pennyweight.deals.language.nodes import (
    Binary,
    Call,
    Choose,
    Compare,
    Logic,
    Name,
    Node,
    Number,
    Unary,
    show,
    word_for,
    written,
)
from pennyweight.deals.language.translation import folded
from pennyweight.errors import InputError, nearest
from pennyweight.quantities.dates import is_date, read_date
from pennyweight.quantities.numbers import LARGEST
from pennyweight.quantities.rates import read_rate

__all__ = ["Things", "parse"]

Choices: TypeAlias = Mapping[str, tuple[str, ...]]
"""The words of each input that takes one of several."""

LONGEST = 2_000
DEEPEST = 60
LARGEST_POWER = 1_000


_BINARY = {ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.Pow: "**"}
_COMPARE = {ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!="}
_PERCENT = re.compile(
    r"'[^']*'|\"[^\"]*\"|(?<![\w.])(?P<number>(?:[0-9][0-9_]*\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]{1,4})?)\s*%(?P<rest>\s*(?P<next>\S?))"
)
_NAME = re.compile(r"[A-Za-z][A-Za-z0-9_]*(\.[A-Za-z][A-Za-z0-9_]*)?")
_RUN_ON = re.compile(
    r"(?<![\w.])(?P<number>(?:[0-9][0-9_]*+\.?+[0-9]*+|\.[0-9]++)(?:[eE][+-]?[0-9]++)?+)(?<!_)(?P<word>[^\W\d_]\w*)"
)
_MARK = re.compile(r"(?<!\w)_percent\w*")
_OPENING, _CLOSING = "([{", ")]}"


@dataclass(frozen=True, slots=True)
class Things:
    """The names of the things of each set, and the set of every name that is worked out for each of its things."""

    names: Mapping[str, tuple[str, ...]]
    sets: Mapping[str, str]


def parse(text: str, *, where: str, choices: Choices | None = None, things: Things | None = None) -> Node:
    """Parse a formula; `where` (file, line, key) opens the message of every error.

    `choices` are the inputs that take one of several words: such a name can only be compared with one of its words.
    `things` are what one_of(x, 'Bakery') may name.

    >>> parse("fare * trips * (1 + 4.6%)", where="taxi.toml, line 3")  # doctest: +ELLIPSIS
    Binary(operator='*', left=Binary(...
    """
    if len(text) <= 2 * LONGEST:
        text = " ".join(text.split())
    stripped = text
    _check_bounds(stripped, where)
    _check_words(stripped, where)
    percents: list[Number] = []

    def literal(match: re.Match[str]) -> str:
        if match["number"] is None:
            return match[0]
        following = match["next"]
        if following and (following.isalnum() or following in "(_.'\"") and not _is_word(match):
            raise _refused(
                where,
                stripped,
                f"'{match[0].strip()}…' reads as a percentage followed by a value; "
                "there is no modulo, and a product needs a *",
            )
        digits = match["number"].replace("_", "")
        value = float(digits) / 100 if "e" in digits.lower() else float(digits + "e-2")
        percents.append(Number(value, match["number"] + "%", True))
        return f"_percent{len(percents) - 1}_" + match["rest"]

    prepared = _PERCENT.sub(literal, stripped)
    try:
        tree = ast.parse(prepared, mode="eval")
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        raise _refused(where, stripped, _syntax(error, prepared)) from None
    return _Translator(stripped, where, percents, choices or {}, things or Things({}, {})).translate(tree.body, 0)


def _is_word(match: re.Match[str]) -> bool:
    """Whether what follows a percentage is one of the words that may: if, else, and, or."""
    return re.match(r"\s*(if|else|and|or)\b", match.string[match.start("rest") :]) is not None


def _check_bounds(text: str, where: str) -> None:
    if not text:
        raise InputError(f"{where}: the formula is empty.", at=where)
    if len(text) > LONGEST:
        raise InputError(
            f"{where}: the formula has {len(text):,} characters; the most is {LONGEST:,}. Split it into lines.",
            at=where,
        )
    depth = deepest = signs = most_signs = 0
    for mark in text:
        if mark in _OPENING:
            depth += 1
            deepest = max(deepest, depth)
        elif mark in _CLOSING:
            depth -= 1
        if mark in "+-~":
            signs += 1
            most_signs = max(most_signs, signs)
        elif mark != " ":
            signs = 0
    if deepest > DEEPEST or most_signs > DEEPEST:
        raise InputError(f"{where}: the formula is nested more than {DEEPEST} deep. Split it into lines.", at=where)


def _check_words(text: str, where: str) -> None:
    """What Python would read with a shrug: a number that runs into a word, a backslash, our own marks."""
    if run_on := _RUN_ON.search(text):
        number, word = run_on["number"], run_on["word"]
        if word in ("k", "m", "mn", "bn"):
            reason = f"amounts in formulas are written out, as 430_000, not with '{word}'"
        else:
            reason = f"it cannot be read near '{number}{word[:20]}'; put a blank or an operator between"
        raise _refused(where, text, reason)
    if "\\" in text or "\0" in text:
        raise _refused(where, text, "a backslash or a control character is not part of the formula language")
    if mark := _MARK.search(text):
        raise _refused(where, text, f"'{mark[0]}' is not a name; names begin with a letter")


def _syntax(error: Exception, prepared: str) -> str:
    if match := re.match(r"\s*if\s*\(", prepared):
        return f"'{match[0].strip()}…' is written the other way round, as in b if a else c"
    if "&&" in prepared or "||" in prepared:
        return "conditions are joined by the words and, or"
    if re.search(r"<>", prepared):
        return "unequal is written !="
    if re.search(r"(?<![\w.])!(?!=)", prepared):
        return "the opposite of a condition is written with the word not"
    if _single_equals(prepared):
        return "to compare two figures write =="
    for word in re.findall(r"\b[A-Za-z]+\b", prepared):
        if iskeyword(word) and word not in ("if", "else", "and", "or", "not"):
            return f"a formula cannot read a name such as '{word}'; give it another one, as in {word}_"
    if isinstance(error, SyntaxError) and error.offset:
        rest = prepared[error.offset - 1 :].strip()
        near = re.sub(r"_percent\d+_", "…%", rest)[:20]
        return f"it cannot be read near '{near}'" if near else "it ends too early"
    return "it cannot be read"


def _single_equals(text: str) -> bool:
    """Whether a lone = stands outside of every call, where it names no argument."""
    depth = 0
    for place, mark in enumerate(text):
        depth += (mark in _OPENING) - (mark in _CLOSING)
        around = text[place - 1 : place] + text[place + 1 : place + 2]
        if mark == "=" and depth == 0 and not set(around) & set("=<>!:"):
            return True
    return False


def _refused(where: str, text: str, reason: str) -> InputError:
    shown = text if len(text) <= 80 else text[:77] + "…"
    return InputError(f"{where}: {reason} (formula: {shown}).", at=where)


class _Translator:
    def __init__(self, text: str, where: str, percents: list[Number], choices: Choices, things: Things) -> None:
        self.text, self.where, self.percents, self.choices, self.things = text, where, percents, choices, things
        self.figures: dict[int, float | None] = {}

    def refuse(self, reason: str) -> InputError:
        return _refused(self.where, self.text, reason)

    def translate(self, node: ast.expr, depth: int) -> Node:
        if depth > DEEPEST * 4:
            raise self.refuse(f"it is nested more than {DEEPEST * 4} deep; split it into lines")
        match node:
            case ast.Constant():
                return self.constant(node.value)
            case ast.Name():
                return self.name(node.id)
            case ast.UnaryOp():
                return self.unary(node, depth)
            case ast.BinOp():
                return self.binary(node, depth)
            case ast.BoolOp():
                word = "and" if isinstance(node.op, ast.And) else "or"
                return Logic(word, tuple(self.translate(part, depth + 1) for part in node.values))
            case ast.Compare():
                return self.compare(node, depth)
            case ast.IfExp():
                return Choose(
                    self.translate(node.test, depth + 1),
                    self.translate(node.body, depth + 1),
                    self.translate(node.orelse, depth + 1),
                )
            case ast.Call():
                return self.call(node, depth)
            case ast.Attribute(value=ast.Name(id=head), attr=part) if not part.startswith("_"):
                # A part of a loan or a column of a set; whether there is one is checked with all names.
                return self.name(f"{head}.{part}")
            case ast.Attribute():
                raise self.refuse(
                    f"'…{node.attr[:40]}' asks for a part of something; only loans have parts, and sets have columns: "
                    "a thing's own value is one_of(tenants.rent, 'its name')"
                )
            case ast.Subscript():
                raise self.refuse("there are no square brackets; one period of a line is at(line, period)")
            case ast.Lambda():
                raise self.refuse("a formula cannot define a function")
            case _:
                raise self.refuse(f"'{word_for(node)}' is not part of the formula language")

    def constant(self, value: object) -> Number:
        if isinstance(value, bool) or not isinstance(value, int | float | str):
            raise self.refuse(f"'{value}' is not part of the formula language")
        if isinstance(value, str):
            if is_date(value):
                day = read_date(value, what=self.where)
                return Number(float(day.astype(np.int64)), f"'{value}'", unit="date")
            try:
                return Number(read_rate(value).effective(), f"'{value}'", True)
            except InputError:
                raise self.refuse(
                    f"the text '{value[:30]}' is not a rate or a date; a choice is compared with its input, "
                    "as in mooring == 'rented'"
                ) from None
        try:
            number = float(value)
        except OverflowError:
            number = float("inf")
        if not abs(number) <= LARGEST:
            raise self.refuse(f"a number in it is too large; they go up to {LARGEST:g}")
        return Number(number, written(value))

    def name(self, name: str) -> Node:
        if match := re.fullmatch(r"_percent(\d+)_", name):
            return self.percents[int(match[1])]
        if not _NAME.fullmatch(name):
            raise self.refuse(f"'{name}' is not a name; names begin with a letter")
        if name == "undefined":
            return Number(float("nan"), name)
        if name in self.choices:
            words = self.choices[name]
            raise self.refuse(f"'{name}' is one of {_listed(words)}; compare it, as in {name} == '{words[0]}'")
        return Name(name)

    def unary(self, node: ast.UnaryOp, depth: int) -> Node:
        operand = self.translate(node.operand, depth + 1)
        match node.op:
            case ast.USub():
                return Unary("-", operand)
            case ast.UAdd():
                return operand
            case ast.Not():
                return Unary("not", operand)
            case _:
                raise self.refuse("'~' is not part of the formula language")

    def binary(self, node: ast.BinOp, depth: int) -> Node:
        symbol = _BINARY.get(type(node.op))
        if symbol is None:
            if isinstance(node.op, ast.BitXor):
                raise self.refuse("a power is written **, as in 2 ** 3; there is no ^")
            if isinstance(node.op, ast.BitAnd | ast.BitOr):
                raise self.refuse("conditions are joined by the words and, or")
            if isinstance(node.op, ast.Mod):
                raise self.refuse("there is no modulo; a percentage is a number and its sign, as in 4.6%")
            raise self.refuse(f"'{word_for(node.op)}' is not part of the formula language")
        left, right = self.translate(node.left, depth + 1), self.translate(node.right, depth + 1)
        base, exponent = self.figure(left), self.figure(right)
        if symbol == "**" and exponent is not None and abs(exponent) > LARGEST_POWER:
            raise self.refuse(f"the power {show(right)} is too large; the most is {LARGEST_POWER:,}")
        result = Binary(symbol, left, right)
        if base is None or exponent is None or isnan(base) or isnan(exponent):
            self.figures[id(result)] = None
            return result
        value = folded(Binary(symbol, Number(base, ""), Number(exponent, ""))) or 0.0
        if not isfinite(value):
            if symbol == "/" and exponent == 0:
                raise self.refuse(f"'{show(result)}' divides by zero")
            if symbol == "**" and base < 0 and exponent != round(exponent):
                raise self.refuse(f"'{show(result)}' has no real value")
            raise self.refuse(f"'{show(result)[:40]}' is too large a number")
        self.figures[id(result)] = value
        return result

    def figure(self, node: Node) -> float | None:
        """The value of a part made of numbers alone; those of operations were worked out when they were made."""
        return self.figures[id(node)] if isinstance(node, Binary) else folded(node)

    def compare(self, node: ast.Compare, depth: int) -> Node:
        if any(_dotted(part) in self.choices for part in (node.left, *node.comparators)):
            return self.chosen(node)
        sides = [self.translate(part, depth + 1) for part in (node.left, *node.comparators)]
        parts: list[Node] = []
        for sign, left, right in zip(node.ops, sides[:-1], sides[1:], strict=True):
            word = _COMPARE.get(type(sign))
            if word is None:
                raise self.refuse(f"'{word_for(sign)}' is not part of the formula language")
            parts.append(Compare(word, left, right))
        return parts[0] if len(parts) == 1 else Logic("and", tuple(parts))

    def chosen(self, node: ast.Compare) -> Node:
        """`mooring == 'rented'`, or `!=`, in either order: the choice by its place among the choices."""
        sides = [node.left, *node.comparators]
        name = next(dotted for part in sides if (dotted := _dotted(part)) in self.choices)
        texts = [part.value for part in sides if isinstance(part, ast.Constant) and isinstance(part.value, str)]
        if len(sides) != 2 or len(texts) != 1 or not isinstance(node.ops[0], ast.Eq | ast.NotEq):
            listed = _listed(self.choices[name])
            raise self.refuse(f"'{name}' is one of {listed}; compare it with == or != and one of these in quotes")
        word = texts[0]
        words = self.choices[name]
        if word not in words:
            hint = nearest(word, words)
            raise self.refuse(f"'{word[:40]}' is no choice of {name}; {hint[2:] or f'choose one of {_listed(words)}'}")
        sign = "==" if isinstance(node.ops[0], ast.Eq) else "!="
        return Compare(sign, Name(name), Number(float(words.index(word)), f"'{word}'", unit="choice"))

    def call(self, node: ast.Call, depth: int) -> Node:
        if not isinstance(node.func, ast.Name):
            raise self.refuse("only functions called by their name are allowed")
        if node.func.id == "one_of" and (node.args or node.keywords):
            if len(node.args) != 2 or node.keywords:
                raise self.refuse(_ONE_OF)
            return Call("one_of", ((None, self.translate(node.args[0], depth + 1)), (None, self.thing(node))))
        arguments: list[tuple[str | None, Node]] = []
        for argument in node.args:
            if isinstance(argument, ast.Starred):
                raise self.refuse("'*' before an argument is not part of the formula language")
            arguments.append((None, self.translate(argument, depth + 1)))
        for keyword in node.keywords:
            if keyword.arg is None:
                raise self.refuse("'**' before an argument is not part of the formula language")
            arguments.append((keyword.arg, self.way(keyword) or self.translate(keyword.value, depth + 1)))
        return Call(node.func.id, tuple(arguments))

    def way(self, keyword: ast.keyword) -> Number | None:
        """The word that says how something is counted, as in paid = 'middle'; None of any other argument."""
        word = _WAYS.get(str(keyword.arg))
        if word is None:
            return None
        text = keyword.value.value if isinstance(keyword.value, ast.Constant) else None
        if text != word:
            raise self.refuse(f"{keyword.arg} is written {keyword.arg} = '{word}', or left out")
        return Number(1.0, f"'{word}'", unit="choice")

    def thing(self, call: ast.Call) -> Number:
        """The thing that one_of names, by its place in the set of what it looks at."""
        text = call.args[1].value if isinstance(call.args[1], ast.Constant) else None
        dotted = [_dotted(part) for part in ast.walk(call.args[0])]
        heads = [self.things.sets.get(name) or name.partition(".")[0] for name in dotted if name]
        known = next((self.things.names[head] for head in heads if head in self.things.names), None)
        if not isinstance(text, str) or known is None:
            raise self.refuse(_ONE_OF)
        if text not in known:
            raise self.refuse(f"there is no '{text[:40]}'{nearest(text, known) or f'; there is {_listed(known)}'}")
        return Number(float(known.index(text)), f"'{text}'", unit="choice")


def _dotted(node: ast.AST) -> str:
    """A name, or a part of one, as it is written; empty for anything else."""
    match node:
        case ast.Name(id=name):
            return name
        case ast.Attribute(value=ast.Name(id=head), attr=part):
            return f"{head}.{part}"
    return ""


def _listed(words: tuple[str, ...]) -> str:
    more = f" and {len(words) - _MOST_WORDS} more" if len(words) > _MOST_WORDS else ""
    return ", ".join(f"'{word}'" for word in words[:_MOST_WORDS]) + more


_MOST_WORDS = 12
_WAYS = {"paid": "middle", "counted": "days"}
"""Arguments that are a word, the only one they take."""
_ONE_OF = "one_of takes the value of one thing, by its name, as in one_of(tenants.rent, 'Bakery')"
