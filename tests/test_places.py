"""Every error says where, as data: each line of the files that come with the library is broken in turn."""

from __future__ import annotations

import pickle
import re
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path

import pytest

from pennyweight import CashFlows, Deal, InputError, Loan, read_loan_file
from pennyweight.cli.main import status

STARTERS = Path(str(files("pennyweight.starters")))
FILES: list[tuple[str, Callable[[Path], object]]] = [
    ("taxi/taxi.toml", Deal.read),
    ("first/first.toml", Deal.read),
    ("loans/studio.toml", read_loan_file),
    ("loans/four-flats.toml", read_loan_file),
    ("loans/four-flats-takeover.toml", read_loan_file),
]
BROKEN = '"(("'  # no number, no date, no formula, no word of any list


@pytest.mark.parametrize(("name", "read"), FILES, ids=[name for name, _ in FILES])
def test_a_broken_line_is_named(name: str, read: Callable[[Path], object], tmp_path: Path) -> None:
    source = STARTERS / name
    for beside in source.parent.glob("*.csv"):
        (tmp_path / beside.name).write_text(beside.read_text())
    lines = source.read_text().splitlines()
    told = free = 0
    for number, line in enumerate(lines, 1):
        key = re.match(r"(?:(\w[\w.]*) += )?[^#]*?(?<!\w)(\w+) += ([^,{}\"#[]+|\"[^\"]*\")", line)
        if not key:
            continue
        broken = [*lines]
        broken[number - 1] = line[: key.start(3)] + BROKEN + line[key.end(3) :]
        path = tmp_path / source.name
        path.write_text("\n".join(broken))
        try:
            read(path)
        except InputError as error:
            told += 1
            assert error.place is not None, error
            assert (error.place.file, error.place.line) == (source.name, number), (line, str(error))
            assert str(error).startswith(f"{error.place}"), error
            assert not str(error).removeprefix(error.place)[:1].isalnum(), error
            assert set(error.place.keys) & {key[1], key[2]}, (line, error.place.keys)
        else:
            free += 1  # a title, a label, a note
            assert key[2] in ("deal", "loan", "note", "label", "undefined"), line
    assert told > 2 * free, (told, free)


def test_a_broken_field_is_named(tmp_path: Path) -> None:
    rows = [[f"2027-0{month}-01", f"{month * 100}"] for month in range(1, 8)]
    for row in range(len(rows)):
        for column, word in enumerate(("date", "amount")):
            broken = [[*fields] for fields in rows]
            broken[row][column] = "((" if row % 2 else ""
            path = tmp_path / "flows.csv"
            path.write_text("\n".join(["date,amount", *map(",".join, broken)]))
            with pytest.raises(InputError) as caught:
                CashFlows.from_csv(path)
            place = caught.value.place
            assert place is not None
            assert (place.file, place.row, place.column) == (str(path), row + 2, word), str(caught.value)


@pytest.mark.parametrize("name", ["amount", "years", "payment", "residual", "fee_each", "start", "rounding", "repaid"])
def test_a_parameter_is_named_and_so_is_its_option(name: str, capsys: pytest.CaptureFixture[str]) -> None:
    terms = {"amount": "86k", "rate": "4%", "years": "15", name: "(("}
    with pytest.raises(InputError) as caught:
        Loan(**terms)  # type: ignore[arg-type]
    assert caught.value.place is not None
    assert caught.value.place.keys == (name,)
    assert pickle.loads(pickle.dumps(caught.value)).place == caught.value.place
    words = {"amount": "--owed", "residual": "--still-owed"}
    option = words.get(name, f"--{name.replace('_', '-')}")
    given = [part for key, value in terms.items() for part in (words.get(key, f"--{key.replace('_', '-')}"), value)]
    assert status(["loan", *given]) == 2
    assert capsys.readouterr().err.startswith(f"pennyweight: {option} is '(('")
