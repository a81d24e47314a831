"""A skeptic breaks the input in every way that comes to mind: an answer or a sentence, never a traceback."""

from __future__ import annotations

import json
import random
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pennyweight import CashFlows, Deal, InputError, NoAnswer, read_loan_file
from pennyweight.cli.main import status
from tests.builders import TAXI, deal
from tests.refusals import few_refused, refused, used
from tests.sizes import cases

TEXT = TAXI.read_text(encoding="utf-8")
SPANNERS = ["", "=", "[", "]", "{", "}", '"', "'", ",", "-1", "0", "1e308", "nan", "inf", "true", "2027-01-01", "[]", "{}", "%", "#", "\0", "é",
            "prior(net)", "net", "npv", "end", "'end'", '"year 0"', '"never"', "t", "hull", "(", "**", "\n", "10_000", '"50%"']  # fmt: skip


def broken(seed: int, text: str = TEXT) -> str:
    """The taxi, or another file, with a few tokens of its text swapped, dropped, doubled or replaced by a spanner."""
    pick = random.Random(seed)
    parts = text.split(" ")
    for _ in range(pick.randint(1, 3)):
        k = pick.randrange(len(parts))
        action = pick.choice(["drop", "double", "swap", "spanner", "cut"])
        if action == "drop":
            parts[k] = ""
        elif action == "double":
            parts[k] = parts[k] + " " + parts[k]
        elif action == "swap":
            j = pick.randrange(len(parts))
            parts[k], parts[j] = parts[j], parts[k]
        elif action == "cut":
            parts[k] = parts[k][: pick.randint(0, len(parts[k]))]
        else:
            parts[k] = pick.choice(SPANNERS)
    return " ".join(parts)


@pytest.mark.parametrize("start", range(0, cases(100), 50))
def test_a_broken_deal_file_is_read_or_refused(tmp_path: Path, start: int) -> None:
    (tmp_path / "ridership.csv").write_text(
        (TAXI.parent / "ridership.csv").read_text(encoding="utf-8"), encoding="utf-8"
    )
    path = tmp_path / "taxi.toml"
    for seed in range(start, start + 50):
        path.write_text(broken(seed), encoding="utf-8")
        try:
            weighing = Deal.read(path).weigh()
        except InputError as refused:
            assert "\n" not in str(refused)
            assert len(str(refused)) < 600
        else:
            json.dumps(weighing.as_dict(), allow_nan=False)
            assert "nan" not in str(weighing).split()


@pytest.mark.parametrize("name", ["studio", "four-flats-takeover", "four-flats"])
def test_a_broken_loan_file_is_read_or_refused(tmp_path: Path, name: str) -> None:
    folder = TAXI.parents[1] / "loans"
    text, events = (folder / f"{name}.toml").read_text(), (folder / "studio-events.csv").read_text()
    for seed in range(cases(20)):
        (tmp_path / "loan.toml").write_text(broken(seed, text), encoding="utf-8")
        (tmp_path / "studio-events.csv").write_text(
            broken(seed, events.replace(",", " , ")).replace(" , ", ","), encoding="utf-8"
        )
        try:
            told = read_loan_file(tmp_path / "loan.toml")
            json.dumps(told.as_dict(), allow_nan=False)
            assert "nan" not in str(told).split()
        except (InputError, NoAnswer) as refused:
            assert "\n" not in str(refused)
            assert len(str(refused)) < 600


@few_refused
@given(
    st.lists(st.floats(-1e150, 1e150), min_size=1, max_size=8),
    st.sampled_from(["0%", "5%", "-50%", "900%"]),
)
@settings(max_examples=cases(100))
def test_any_flows_are_measured_or_refused(amounts: list[float], rate: str) -> None:
    """Sizes from 5e-324 to the largest that is read: a finite number or a reason; larger ones are refused."""
    with np.errstate(all="ignore"):
        try:
            report = CashFlows(amounts).report(rate)
        except (InputError, NoAnswer):
            refused()
            return
        used()
        for name, value in report.measures.items():
            assert value is None or np.isfinite(value), name


@pytest.mark.parametrize(
    ("name", "values"),
    [
        ("hull", ["0", "-5", "1e300", "1e-300", "-1e300"]),
        ("hurdle", ["0%", "-99.9999%", "100000%", "1bp"]),
        ("swap_year", ["0", "13", "99", "-1"]),
        ("trips", ["scale 0", "scale -1", "scale 1e200", "0"]),
        ("grant_share", ["100%", "250%", "-50%"]),
    ],
)
def test_extreme_inputs_still_give_a_page(name: str, values: list[str]) -> None:
    taxi = Deal.read(TAXI)
    for value in values:
        weighing = taxi.weigh(inputs={name: value})
        assert weighing.verdict in ("pays off", "nearly", "falls short")
        json.dumps(weighing.as_dict(), allow_nan=False)
        for figure in weighing.measures.values():
            assert figure.value is not None or figure.reason


def test_a_long_and_a_short_timeline() -> None:
    """A thousand years of months, and a single period."""
    long = deal({"npv": "npv(net, 5%)", "irr": "irr(net)"}, period="month", periods=12_000, money_in={"rent": "1"},
                money_out={"paid": {"formula": "240", "at": 0}}, levels={"pot": {"formula": "prior(pot) + rent", "start": 0}})  # fmt: skip
    figures = long.weigh().measures
    monthly = 1.05 ** (1 / 12) - 1
    assert figures["npv"].value == pytest.approx((1 - (1 + monthly) ** -12_000) / monthly - 240)
    assert figures["irr"].value == pytest.approx((1 + 1 / 240) ** 12 - 1, rel=1e-9)
    short = deal({"m": "at(net, 1)"}, periods=1, money_in={"a": "5"})
    assert short.weigh().measures["m"].value == 5.0


def test_a_wide_deal_is_read_quickly_enough_to_wait_for() -> None:
    """Two thousand lines in a row, each on the one before, in the worst order."""
    lines = {f"x{k}": f"x{k - 1} + 1" for k in range(1999, 0, -1)}
    made = deal({"m": "at(x1999, 1)"}, lines={**lines, "x0": "1"})
    assert made.weigh().measures["m"].value == 2000.0


def test_output_is_whole_or_not_at_all(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """A file that cannot be written leaves what stood there, and nothing beside it."""
    monkeypatch.chdir(tmp_path)
    target = tmp_path / "result.json"
    target.write_text('{\n  "format": 1, "kept": 1}', encoding="utf-8")

    def fail(self: Path, data: bytes) -> int:
        self.open("wb").close()
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "write_bytes", fail)
    assert status(["weigh", str(TAXI), "--output", str(target)]) == 2
    assert "cannot be written: No space left on device" in capsys.readouterr().err
    assert "kept" in target.read_text(encoding="utf-8")
    assert [path.name for path in tmp_path.iterdir()] == ["result.json"]
