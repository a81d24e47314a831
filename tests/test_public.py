"""The public surface: what is exported, documented, and shipped."""

from __future__ import annotations

import ast
import inspect
import pickle
import re
from collections.abc import Iterator
from dataclasses import FrozenInstanceError, fields, is_dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import pennyweight
from pennyweight import Deal, Loan, errors, read_loan_file
from tests.builders import STARTERS
from tests.results import RESULTS, WRITTEN, loan, taxi

ROOT = Path(__file__).parent.parent
README = (ROOT / "README.md").read_text(encoding="utf-8")


def test_every_exported_name_is_there_sorted_and_documented() -> None:
    assert pennyweight.__all__ == sorted(pennyweight.__all__)
    for name in pennyweight.__all__:
        assert inspect.getdoc(getattr(pennyweight, name))
    assert set(pennyweight.__all__) < set(dir(pennyweight))
    with pytest.raises(AttributeError, match="no attribute 'nothing'"):
        getattr(pennyweight, "nothing")  # noqa: B009


def public_calls() -> Iterator[tuple[str, Any, str]]:
    """Every public function, class to be written and method: its name, itself, and what its documentation says."""
    for name in pennyweight.__all__:
        thing = getattr(pennyweight, name)
        own = inspect.getdoc(thing) or ""
        if not inspect.isclass(thing):
            yield name, thing, own
            continue
        if name in WRITTEN:
            yield name, thing, own
        for member, value in vars(thing).items():
            bare = getattr(value, "__func__", value)
            if not member.startswith("_") and inspect.isfunction(bare):
                yield f"{name}.{member}", bare, f"{own}\n{inspect.getdoc(bare) or ''}"


@pytest.mark.parametrize(
    ("name", "call", "said"), list(public_calls()), ids=lambda value: value if isinstance(value, str) else ""
)
def test_every_public_call_is_explained(name: str, call: Any, said: str) -> None:
    """An example, every parameter by its name, and nothing by position but the subject."""
    if name.split(".")[-1] not in ("as_dict", "document"):  # every result has these
        assert ">>>" in (inspect.getdoc(call) or ""), name
    parameters = [one for one in inspect.signature(call).parameters.values() if one.name not in ("self", "cls")]
    for one in parameters:
        assert re.search(rf"\b{one.name}\b", said), f"{name}: {one.name}"
    doc = inspect.getdoc(call) or ""
    if parameters and inspect.isfunction(call):  # of results the attributes are told one by one
        assert "\nReturns\n-------\n" in doc or inspect.signature(call).return_annotation == "None", name
        section = doc.partition("Parameters\n----------\n")[2].partition("\n\n")[0]
        told = {
            word
            for line in section.split("\n")
            if line[:1].strip()
            for word in re.findall(r"\w+", line.partition(" : ")[0])
        }
        assert {one.name for one in parameters} <= told, (name, told)
    by_position = [one.name for one in parameters if one.kind is one.POSITIONAL_OR_KEYWORD]
    assert len(by_position) <= (5 if name == "BondReport.of" else 3), (name, by_position)


def test_every_member_says_what_it_is() -> None:
    for name in pennyweight.__all__:
        thing = getattr(pennyweight, name)
        assert inspect.getdoc(thing), name
        for member, value in vars(thing).items() if inspect.isclass(thing) else ():
            bare = getattr(value, "__func__", getattr(value, "func", getattr(value, "fget", value)))
            if not member.startswith("_") and inspect.isfunction(bare):
                assert inspect.getdoc(bare), f"{name}.{member}"


@pytest.mark.parametrize("name", [*RESULTS, *WRITTEN])
def test_an_object_is_a_line_a_page_and_stays_as_it_is(name: str) -> None:
    one: Any = {**RESULTS, **WRITTEN}[name]()
    assert type(one) is getattr(pennyweight, name)
    if name == "Document":  # it is the page
        return
    assert "\n" not in repr(one)
    assert len(repr(one)) <= 120
    text = str(one)
    assert text.strip()
    assert " object at 0x" not in text
    kept = fields(one) if is_dataclass(one) else ()
    for field in kept:
        value = getattr(one, field.name)
        with pytest.raises(AttributeError):
            setattr(one, field.name, value)
        assert not isinstance(value, list), field.name
        if isinstance(value, dict) and field.init:
            with pytest.raises(FrozenInstanceError):
                value.clear()
        if isinstance(value, np.ndarray):
            assert not value.flags.writeable, field.name
    assert str(one) == text
    assert str(pickle.loads(pickle.dumps(one))) == text


@pytest.mark.parametrize("name", WRITTEN)
def test_what_says_the_same_is_equal(name: str) -> None:
    loan.cache_clear()
    taxi.cache_clear()
    one: Any = WRITTEN[name]()
    loan.cache_clear()
    taxi.cache_clear()
    other: Any = WRITTEN[name]()
    by_value = name not in ("Benchmark", "CashFlows", "Deal", "Portfolio")
    assert (one == other) is by_value
    assert (hash(one) == hash(other)) is by_value
    if by_value:
        assert replace(one) == one


def test_a_loan_made_with_other_terms_is_worked_out_anew() -> None:
    """As if it were written so: the same as a loan of these terms alone."""
    known = {"amount": 86_000.0, "rate": "4.2%", "years": 15, "payment": 644.79}
    for left_out in ("amount", "rate", "payment"):
        given: dict[str, Any] = {name: value for name, value in known.items() if name != left_out}
        for changed, value in (("rate", "5%"), ("years", 14), ("amount", 86_500), ("payment", 651)):
            if changed == left_out:
                continue
            assert replace(Loan(**given), **{changed: value}) == Loan(**{**given, changed: value})


def test_every_module_says_what_it_is_and_sorts_what_it_offers() -> None:
    for path in (ROOT / "src").rglob("*.py"):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        assert ast.get_docstring(tree), path
        public = [
            node for node in tree.body
            if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_")
        ]  # fmt: skip
        for node in public:
            assert ast.get_docstring(node) or node.name == "command", f"{path}: {node.name}"
        offered = [n for n in tree.body if isinstance(n, ast.Assign) and ast.unparse(n.targets[0]) == "__all__"]
        for assignment in offered:
            names = ast.literal_eval(assignment.value)
            assert len(set(names)) == len(names)


def test_errors_are_one_family() -> None:
    assert issubclass(errors.InputError, errors.PennyweightError)
    assert issubclass(errors.InputError, ValueError)
    assert issubclass(errors.SeveralAnswers, errors.NoAnswer)
    assert issubclass(errors.NoAnswer, errors.PennyweightError)
    raised = {"InputError", "KeyError", "NoAnswer", "SeveralAnswers", "AttributeError", "AssertionError"}
    raised |= {"FrozenInstanceError"}
    for path in (ROOT / "src").rglob("*.py"):
        for name in re.findall(r"raise (\w+)\(", path.read_text(encoding="utf-8")):
            # click's own usage errors and refusals built by a helper beside
            assert name in raised | {"_refused", "_misfit", "_explain", "_of_report", "all_of"}, f"{path}: {name}"


@pytest.mark.parametrize("path", sorted((STARTERS / "loans").glob("*.toml")), ids=lambda path: path.stem)
def test_every_loan_file_is_sound(path: Path) -> None:
    data = read_loan_file(path).as_dict()
    checks = [check for loan in data.get("loans", {"": data}).values() for check in loan["checks"]]
    assert len(checks) >= 4
    assert all(check["passed"] for check in checks)
    assert not data.get("contradictions")


@pytest.mark.parametrize(
    "path", sorted(set(STARTERS.rglob("*.toml")) - set((STARTERS / "loans").glob("*"))), ids=lambda path: path.stem
)
def test_every_starter_weighs_cleanly(path: Path) -> None:
    weighing = Deal.read(path).weigh()
    assert weighing.verdict in ("pays off", "nearly")
    assert all(passed for passed, _ in weighing.checks)


def test_pictures_are_there_and_linked() -> None:
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    linked = README + "".join(path.read_text(encoding="utf-8") for path in (ROOT / "docs").rglob("*.md"))
    for picture in pictures:
        assert f"screenshots/{picture.name}" in linked


def test_the_loan_files_of_the_docs_are_read(tmp_path: Path) -> None:
    """The examples of docs/loans.md, put together as the text says, in a file and in a deal."""
    blocks = re.findall(r"```toml\n(.*?)```", (ROOT / "docs" / "loans.md").read_text(encoding="utf-8"), flags=re.DOTALL)
    *loan, in_deal = blocks
    assert len(loan) == 3
    (tmp_path / "loan.toml").write_text("\n".join(loan), encoding="utf-8")
    (tmp_path / "events.csv").write_text(
        "date,what,amount\n2024-06-30,extra,500\n2025-01-31,rate,4.5%\n", encoding="utf-8"
    )
    data = read_loan_file(tmp_path / "loan.toml").as_dict()
    assert data.keys() >= {"extras", "extra_needed", "offers", "refinancing", "bill"}
    assert all(check["passed"] for check in data["checks"])
    deal = (
        'deal = "D"\n[timeline]\nperiods = 9\n[inputs]\nhull = 9_000\n[measures]\ntotal_paid = "total(bank.payment)"\n'
    )
    (tmp_path / "deal.toml").write_text(deal + in_deal, encoding="utf-8")
    assert (Deal.read(tmp_path / "deal.toml").weigh().measures["total_paid"].value or 0) > 4_500
