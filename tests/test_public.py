"""The public surface: what is exported, documented, and shipped."""

from __future__ import annotations

import ast
import inspect
import pickle
import re
import shlex
from collections.abc import Iterator
from dataclasses import FrozenInstanceError, fields, is_dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import pennyweight
from pennyweight import Deal, Loan, errors, read_loan_file
from pennyweight.cli.demo import _copy_data
from pennyweight.cli.main import status
from tests.builders import STARTERS
from tests.results import RESULTS, WRITTEN, loan, taxi
from tests.sizes import WHOLE
from tests.test_house import lines_without_docstrings

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
    for path in (path for folder in ("src", "tests", "benchmarks", "docs") for path in (ROOT / folder).rglob("*.py")):
        assert lines_without_docstrings(path) <= 400, path


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


def commands_of(text: str) -> list[str]:
    """The commands shown in the README's console blocks."""
    blocks = re.findall(r"```console\n(.*?)```", text, flags=re.DOTALL)
    return [line[2:] for block in blocks for line in block.split("\n") if line.startswith("$ pennyweight")]


BLOCKS = re.findall(r"```console\n(.*?)```", README, flags=re.DOTALL)


def parts_of(block: str) -> list[tuple[str, list[str]]]:
    """Each command of a block, and the lines shown below it."""
    parts = [part.partition("\n") for part in re.split(r"^\$ ", block, flags=re.MULTILINE)[1:]]
    return [
        (command.removeprefix("pennyweight "), [line for line in shown.split("\n") if line.strip() not in ("", "…")])
        for command, _, shown in parts
        if command.startswith("pennyweight")
    ]


def is_quick(block: str) -> bool:
    """Whether it neither runs the demo nor makes a report, which take seconds."""
    return not re.search(r"^\$ pennyweight demo|--output \w+\.(pdf|png)|weigh \w+\.pdf", block, flags=re.MULTILINE)


@pytest.mark.parametrize(
    "number", [k for k, block in enumerate(BLOCKS) if parts_of(block) and (WHOLE or is_quick(block))]
)
def test_the_readme_says_what_is_so(
    number: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """The commands of a block run in an empty folder, and show each line that the README shows below them."""
    monkeypatch.chdir(tmp_path)
    block = parts_of(BLOCKS[number])
    before = [command for one in BLOCKS[:number] for command, _ in parts_of(one)]
    needed = {word for command, _ in block for word in re.findall(r"(\w+)(?:\.toml|\.pdf|/)", command)}
    for command in before:
        makes = set(re.findall(r"(\w+)\.(?:toml|pdf)", command)) & needed
        if command.startswith("demo") and "demo" in needed:
            _copy_data(tmp_path / "demo")  # the files of the demo; its commands run in their own block
        elif makes and (command.startswith("new ") or "--output" in command):
            assert status(shlex.split(command)) == 0
    for command, shown in block:
        capsys.readouterr()
        code = status(shlex.split(command))
        ran = capsys.readouterr()
        assert code == 0, f"{command}: {ran.err}"
        output = {" ".join(line.split()) for line in ran.out.split("\n")}
        for line in shown:
            assert " ".join(line.split()) in output, f"{command}: {line}"
        if command.startswith("demo"):  # what it leaves is there
            names = {path.name for path in (tmp_path / "demo").iterdir()}
            assert names >= {"weighing.png", "map.png", "boatyard.png", "weighing.json", "taxi.toml"}


def test_the_readme_shows_what_commands_print() -> None:
    shown = [line for block in BLOCKS for _, lines in parts_of(block) for line in lines]
    assert len(shown) >= 15
    assert len(commands_of(README)) >= 8


def test_the_readmes_python_runs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    assert status(["new", "taxi.toml", "--starter", "taxi"]) == 0
    blocks = re.findall(r"```python\n(.*?)```", README, flags=re.DOTALL)
    assert blocks
    for block in blocks:
        scope: dict[str, object] = {}
        exec(compile(block, "README.md", "exec"), scope)


def test_pictures_are_there_and_linked() -> None:
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    for picture in pictures:
        assert f"docs/screenshots/{picture.name}" in README


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
