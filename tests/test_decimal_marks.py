"""A file's own style decides its numbers: thousands and decimal signs, signs between cells, cells that tell and do not."""

from __future__ import annotations

from pathlib import Path

import pytest

from pennyweight import CashFlows, InputError

AMOUNTS = [-1_204.0, 350.0, 1_420.0, 90.5]


def _written(value: float, group: str, point: str, places: int) -> str:
    text = f"{value:,.{places}f}"
    return text.replace(",", "~").replace(".", point).replace("~", group)


@pytest.mark.parametrize("cells", ["all", "some", "none"])
@pytest.mark.parametrize("day", ["2027-0{}-01", "01.0{}.2027"])
@pytest.mark.parametrize(("group", "point"), [(".", ","), (",", "."), (" ", ","), ("'", "."), ("", ","), ("", ".")])
@pytest.mark.parametrize("between", [",", ";", "\t"])
def test_every_pair_of_signs_between_every_sign(
    tmp_path: Path, between: str, group: str, point: str, day: str, cells: str
) -> None:
    """All cells with decimals, some, or none: what is read is what was written, or the file is asked about."""
    places = {"all": [2] * 4, "some": [0, 2, 0, 2], "none": [0] * 4}[cells]
    amounts = AMOUNTS if cells != "none" else [-1_204.0, 350.0, 1_420.0, 90.0]
    rows = [["date", "amount"]]
    rows += [
        [day.format(k + 1), _written(value, group, point, own)]
        for k, (value, own) in enumerate(zip(amounts, places, strict=True))
    ]
    quoted = [[f'"{cell}"' if between in cell else cell for cell in row] for row in rows]
    path = tmp_path / "f.csv"
    path.write_text("\n".join(between.join(row) for row in quoted) + "\n", encoding="utf-8")
    order = {"order": "day-first"} if "." in day else {}
    try:
        found = CashFlows.from_csv(path, **order).amounts.tolist()
    except InputError as error:  # asked about
        assert "--decimal" in str(error) or "could be" in str(error)
        assert cells == "none" or (between, point) == (",", ",")
        return
    # Whole thousands with points, in a file that shows nothing else: read as decimals, as everywhere where nobody says.
    silent = cells == "none" and group == "." and between != ";" and "." not in day
    assert silent or found == amounts


def test_a_group_of_thousands_is_read_as_the_file_writes_its_other_numbers(tmp_path: Path) -> None:
    path = tmp_path / "f.csv"
    for other, found in (("7,5", -1_204.0), ("7.5", -1.204)):
        path.write_text(f"date;amount;rate\n2027-01-01;-1.204;{other}\n2027-02-01;1.300;{other}\n", encoding="utf-8")
        assert CashFlows.from_csv(path).amounts[0] == found
    path.write_text("date;amount\n2027-01-01;-1.204\n2027-02-01;1.300\n", encoding="utf-8")
    with pytest.raises(InputError, match=r"'-1.204', which is -1204 where a point groups thousands, as in most files"):
        CashFlows.from_csv(path)
    assert [CashFlows.from_csv(path, decimal=one).amounts[0] for one in (",", ".")] == [-1_204.0, -1.204]
