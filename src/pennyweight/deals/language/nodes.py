"""The parts of a formula: a small tree of plain values, and what can be asked of it."""

from __future__ import annotations

import ast
from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass
from typing import TypeAlias

__all__ = [
    "Binary",
    "Call",
    "Choose",
    "Compare",
    "Logic",
    "Name",
    "Node",
    "Number",
    "Sum",
    "Unary",
    "children",
    "names_in",
    "rebuilt",
    "renamed",
    "show",
    "walk",
    "with_parts",
    "written",
]


@dataclass(frozen=True, slots=True)
class Number:
    """A literal; `percent` when it was written with a percent sign or read as a rate's text.

    `unit` is said when the literal is neither number nor percentage: "date" (days since 1970), "choice" (its place).
    """

    value: float
    text: str
    percent: bool = False
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Name:
    """An input, value, line, level, measure or built-in."""

    name: str


@dataclass(frozen=True, slots=True)
class Unary:
    """`-x` or `not x`."""

    operator: str
    operand: Node


@dataclass(frozen=True, slots=True)
class Binary:
    """`+ - * / **`."""

    operator: str
    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class Compare:
    """`< <= > >= == !=`."""

    operator: str
    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class Logic:
    """`and`, `or`, three-valued."""

    operator: str
    parts: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Choose:
    """`yes if condition else no`."""

    condition: Node
    yes: Node
    no: Node


@dataclass(frozen=True, slots=True)
class Call:
    """A function by name; arguments are (parameter or None, node), in the order written."""

    function: str
    arguments: tuple[tuple[str | None, Node], ...]


@dataclass(frozen=True, slots=True)
class Sum:
    """The sum of names; how `money_in` and its kin are worked out."""

    parts: tuple[Node, ...]


Node: TypeAlias = Number | Name | Unary | Binary | Compare | Logic | Choose | Call | Sum


def written(value: float) -> str:
    """A number as formulas show it.

    >>> written(420_000), written(0.5)
    ('420_000', '0.5')
    """
    return f"{value:_}" if isinstance(value, int) else repr(value)


def children(node: Node) -> tuple[Node, ...]:
    """The nodes directly below a node."""
    match node:
        case Unary():
            return (node.operand,)
        case Binary() | Compare():
            return (node.left, node.right)
        case Logic() | Sum():
            return node.parts
        case Choose():
            return (node.condition, node.yes, node.no)
        case Call():
            return tuple(argument for _, argument in node.arguments)
        case _:
            return ()


def walk(node: Node) -> Iterator[Node]:
    """The node and all below it."""
    yield node
    for child in children(node):
        yield from walk(child)


def names_in(node: Node) -> set[str]:
    """Every name the formula reads."""
    return {part.name for part in walk(node) if isinstance(part, Name)}


def renamed(node: Node, names: Mapping[str, str]) -> Node:
    """The formula with other names in the place of some.

    >>> show(renamed(Binary("+", Name("a"), Name("b")), {"a": "c"}))
    'c + b'
    """
    return rebuilt(node, lambda part: Name(names.get(part.name, part.name)) if isinstance(part, Name) else part)


def rebuilt(node: Node, change: Callable[[Node], Node]) -> Node:
    """The formula with every part replaced by what `change` makes of it, the smallest parts first."""
    return change(with_parts(node, lambda part: rebuilt(part, change)))


def with_parts(node: Node, again: Callable[[Node], Node]) -> Node:
    """The same node over what `again` makes of each part just below it."""
    match node:
        case Unary():
            return Unary(node.operator, again(node.operand))
        case Binary():
            return Binary(node.operator, again(node.left), again(node.right))
        case Compare():
            return Compare(node.operator, again(node.left), again(node.right))
        case Logic():
            return Logic(node.operator, tuple(map(again, node.parts)))
        case Choose():
            return Choose(again(node.condition), again(node.yes), again(node.no))
        case Call():
            return Call(node.function, tuple((key, again(part)) for key, part in node.arguments))
        case Sum():
            return Sum(tuple(map(again, node.parts)))
    return node


def counted(node: Node, until: Name, per_year: int, ends: Mapping[str, Collection[str]]) -> Node:
    """The formula with functions over time that are told no window looking until a period alone.

    `ends` are the arguments of each such function; it stops by its `years` where it has any, else by `where`.
    """

    def change(part: Node) -> Node:
        if not isinstance(part, Call) or part.function not in ends:
            return part
        names = list(ends[part.function])
        said = {names[k] if key is None and k < len(names) else key for k, (key, _) in enumerate(part.arguments)}
        if said & {"first", "last", "years"}:
            return part
        if "years" in names:
            span = Binary("/", until, Number(float(per_year), str(per_year)))
            return Call(part.function, (*part.arguments, ("years", span)))
        inside: Node = Compare("<=", Name("t"), until)
        rest = [(key, one) for k, (key, one) in enumerate(part.arguments) if (key or names[k]) != "where"]
        own = [one for k, (key, one) in enumerate(part.arguments) if (key or names[k]) == "where"]
        inside = Logic("and", (*own, inside)) if own else inside
        return Call(part.function, (*rest, ("where", inside)))

    return rebuilt(node, change)


def show(node: Node) -> str:
    """The formula as text again.

    >>> show(Binary("*", Name("a"), Binary("+", Name("b"), Number(1.0, "1"))))
    'a * (b + 1)'
    """
    match node:
        case Number():
            return node.text
        case Name():
            return node.name.rpartition(".")[2] if node.name.startswith("?") else node.name
        case Unary():
            gap = " " if node.operator == "not" else ""
            bare = isinstance(node.operand, Number | Name | Call)
            return f"{node.operator}{gap}{show(node.operand) if bare else f'({show(node.operand)})'}"
        case Binary() | Compare():
            left, right = _side(node.left, node.operator, False), _side(node.right, node.operator, True)
            return f"{left} {node.operator} {right}"
        case Logic():
            return f" {node.operator} ".join(_inner(part) for part in node.parts)
        case Choose():
            return f"{_inner(node.yes)} if {_inner(node.condition)} else {_inner(node.no)}"
        case Call():
            parts = [f"{key}={show(value)}" if key else show(value) for key, value in node.arguments]
            return f"{node.function}({', '.join(parts)})"
        case Sum():
            return " + ".join(show(part) for part in node.parts)


_RANK = {"+": 1, "-": 1, "*": 2, "/": 2}


def _side(node: Node, operator: str, right: bool) -> str:
    """One side of an operator, in parentheses where it would be read otherwise without."""
    if isinstance(node, Binary) and node.operator in _RANK and operator != "**":
        gap = _RANK[node.operator] - _RANK.get(operator, 0)
        if gap > 0 or (gap == 0 and not right):
            return show(node)
    return _inner(node)


def _inner(node: Node) -> str:
    return show(node) if isinstance(node, Number | Name | Call) else f"({show(node)})"


def word_for(node: ast.AST) -> str:
    """How something that Python's grammar has, and ours has not, is written."""
    kind = type(node).__name__
    return _WORDS.get(kind, kind)


_SIGNS = (
    "Mod=%;FloorDiv=//;MatMult=@;BitAnd=&;BitOr=|;BitXor=^;LShift=<<;RShift=>>;In=in;NotIn=not in;Is=is;IsNot=is not;"
    "NamedExpr=:=;ListComp=for;GeneratorExp=for;JoinedStr=f'';List=[ ];Dict={ };Set={ };Tuple=,"
)
_WORDS = dict(pair.split("=", 1) for pair in _SIGNS.split(";"))
"""The signs of what is refused, by the name of its node."""
