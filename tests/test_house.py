"""How the house is built: each result has its page where it is looked for, and nothing decides by words made for people."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

import pennyweight
from pennyweight.documents.shown import Shown

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "pennyweight"
MODULES = sorted(SOURCE.rglob("*.py"))

TOLD = {
    "caption", "formula", "heading", "label", "note", "reason", "remark", "said", "sentence", "shown", "summary",
    "symbols", "title", "told", "verdict_word",
}  # fmt: skip
"""What things for people to read are called, as attributes and as variables."""
READING = {"endswith", "fullmatch", "match", "partition", "removeprefix", "removesuffix", "rpartition", "search", "split",
           "startswith"}  # fmt: skip


def decided_by_words(tree: ast.AST) -> Iterator[int]:
    """The lines that compare or take apart what people read: `title == "Goals"`, `" passes " in said`."""

    def is_told(node: ast.expr) -> bool:
        return (isinstance(node, ast.Attribute) and node.attr in TOLD) or (
            isinstance(node, ast.Name) and node.id in TOLD
        )

    def is_words(node: ast.expr) -> bool:
        return isinstance(node, ast.Constant) and isinstance(node.value, str) and bool(node.value.strip(" -–…"))

    for node in ast.walk(tree):
        if isinstance(node, ast.Compare):
            sides = [node.left, *node.comparators]
            if any(map(is_told, sides)) and any(map(is_words, sides)):
                yield node.lineno
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in READING:
            subjects = [node.func.value, *node.args]
            if any(map(is_told, subjects)) and (
                any(map(is_words, node.args)) or node.func.attr in ("fullmatch", "match")
            ):
                yield node.lineno


def test_nothing_decides_by_words_that_people_read() -> None:
    found = {
        f"{path.relative_to(SOURCE)}:{line}"
        for path in MODULES
        for line in decided_by_words(ast.parse(path.read_text(encoding="utf-8")))
    }
    assert found == set()


@pytest.mark.parametrize(
    "line", ['title == "Goals"', '" passes " in one.said', 'label.startswith("By year")', 'x.reason != "met"']
)
def test_what_decides_by_words_is_seen(line: str) -> None:
    assert list(decided_by_words(ast.parse(line)))


def test_every_result_has_its_page_where_it_is_looked_for() -> None:
    from pennyweight.documents.paging import page_of

    results = [
        kind
        for kind in map(pennyweight.__getattr__, pennyweight.__all__)
        if isinstance(kind, type) and issubclass(kind, Shown)
    ]
    assert len(results) >= 19
    for kind in results:
        assert callable(page_of(object.__new__(kind)).document), kind
