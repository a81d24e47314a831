"""Work done block by block is the work done at once: points, tallies, shares, paths of loans, books broken off."""

from __future__ import annotations

import pickle
from collections.abc import Iterator
from decimal import Decimal, localcontext
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pandas as pd
import pytest
from docs import pages

from pennyweight import Deal, InputError, amortize, loan_sums
from pennyweight.analysis.driving import shares as driving
from pennyweight.analysis.simulating.blocks import Blocks, block_of
from pennyweight.analysis.simulating.draws import BATCHES, Points
from pennyweight.analysis.simulating.falls import falling_inputs
from pennyweight.analysis.simulating.tally import Counted, Fan
from pennyweight.cluster import Cluster, WorkedBy, _asked
from pennyweight.core.loans.batch_events import decimals_of, too_large
from pennyweight.core.loans.level_payment import level_payments
from pennyweight.core.loans.undisturbed import paths
from pennyweight.deals.compiler.program import met_name, nearly_name
from pennyweight.instruments.loans.many import arrow_columns
from pennyweight.instruments.loans.many.book_folder import BookFolder
from tests.sizes import cases
from tests.test_loan_sums import _events, _loans


@pytest.mark.parametrize("plain", [False, True])
@pytest.mark.parametrize("width", [1, 7, 1_003])
def test_points_that_are_skipped_to_are_those_that_are_walked_to(width: int, plain: bool) -> None:
    """More than a thousand numbers a case take plain ones beside the spread."""
    walked = Points(width, seed=4, plain=plain)
    parts = [walked.take(count) for count in (16, 16, 32)]
    for start, part in ((0, 0), (16, 1), (32, 2)):
        there = Points(width, seed=4, plain=plain)
        there.skip(start)
        assert there.position == start
        assert np.array_equal(there.take(len(parts[part]) // BATCHES), parts[part])


@pytest.mark.parametrize("seed", range(cases(12)))
def test_counts_are_those_of_all_at_once_in_any_parts(seed: int) -> None:
    draw = np.random.default_rng(seed)
    values = draw.normal(0, 10.0 ** draw.integers(-3, 7), (4, 600)) * draw.choice([1.0, -1.0, 0.0], (4, 600))
    values[draw.random((4, 600)) < 0.1] = np.nan
    at_once, joined = Counted(4), Counted(4)
    at_once.add(values)
    cuts = sorted(draw.choice(np.arange(1, 600), 3, replace=False).tolist())
    for part in np.split(values, cuts, axis=1):
        some = Counted(4)
        some.add(part)
        joined.join(pickle.loads(pickle.dumps(some)))
    assert joined.fan.counts == at_once.fan.counts
    assert joined.defined == at_once.defined == pytest.approx(np.isfinite(values).mean())
    assert joined.means == pytest.approx(np.nanmean(values, axis=1), rel=1e-9, abs=1e-9)
    # Values that stand for all: each within the leading bits of the one that it stands for.
    for row, stands in zip(values, joined.values(600), strict=True):
        real = np.sort(row[np.isfinite(row)])
        mine = stands[np.isfinite(stands)]
        assert mine.size == real.size
        assert np.abs(mine - real).max() <= 3e-4 * np.abs(real).max()


def test_percentiles_of_counts_are_right_to_the_leading_bits() -> None:
    draw = np.random.default_rng(8)
    values = np.concatenate([draw.lognormal(3, 2, 4_000), -draw.lognormal(1, 3, 4_000), np.zeros(50)])
    fan = Fan(1)
    fan.add(values[None, :])
    levels = [1, 5, 25, 50, 75, 95, 99]
    ordered = np.sort(values)
    exact = [ordered[max(int(np.ceil(level / 100 * ordered.size)) - 1, 0)] for level in levels]
    assert fan.percentiles(levels)[:, 0] == pytest.approx(exact, rel=2.5e-4, abs=1e-12)


def _blocks(deal: Deal, *, counted: bool) -> Blocks:
    model = deal._model
    case = dict(model.inputs_of())
    falling, _, _ = falling_inputs(model, "base", set(), hold=(), only=())
    states = ["pays_off", *(key for goal in deal.definition.goals for key in (met_name(goal), nearly_name(goal)))]
    wanted = ["npv", "payback", "reserve", *(name for name in states if name in model.program.names)]
    return Blocks(model, falling, case, ["npv", "payback"], ["reserve"], wanted, 3, False, counted)


@pytest.mark.parametrize("counted", [False, True])
def test_blocks_that_travel_join_to_what_was_never_parted(counted: bool) -> None:
    """What a worker gets and sends is pickled: the deal goes once, of a block come its counts alone."""
    blocks = _blocks(Deal.starter("taxi"), counted=counted)
    there: Blocks = pickle.loads(pickle.dumps(blocks))
    at_once, joined = blocks.worked_out(0, 64).tally, there.tally()
    for span in ((0, 16), (16, 16), (32, 32)):
        sent = pickle.dumps(block_of(there, span))
        assert b"Electric water-taxi" not in sent
        joined.join(pickle.loads(sent).tally)
    assert joined.per_batch == at_once.per_batch == 64
    for name in ("pays_off", "npv"):
        for one, other in zip(joined.counts(name), at_once.counts(name), strict=True):
            assert np.array_equal(one, other)
    assert joined.fans["reserve"].counts == at_once.fans["reserve"].counts
    for name in ("npv", "payback"):
        assert np.array_equal(joined.values(name), at_once.values(name), equal_nan=True)
    for name, moments in at_once.moments.items():
        assert joined.moments[name].count.tolist() == moments.count.tolist()
        assert joined.moments[name].total == pytest.approx(moments.total, rel=1e-12)


def test_a_block_asked_for_again_is_the_same() -> None:
    blocks = _blocks(Deal.starter("taxi"), counted=False)
    first = [blocks.worked_out(start, 16).tally.values("npv") for start in (0, 16, 48)]
    again = [blocks.worked_out(start, 16).tally.values("npv") for start in (48, 0, 16)]
    assert all(np.array_equal(one, again[k]) for one, k in zip(first, (1, 2, 0), strict=True))


def test_shares_do_not_hang_on_the_size_of_a_block(monkeypatch: pytest.MonkeyPatch) -> None:
    deal = Deal.starter("taxi")
    found = []
    for block in (256, 32, 8):
        monkeypatch.setattr(driving, "_BLOCK", block)
        found.append(deal.drivers("npv", cases=4_096).shares)
    first = found[0]
    assert first is not None
    for other in found[1:]:
        assert other is not None
        assert [one.inputs for one in other.shares] == [one.inputs for one in first.shares]
        for one, same in zip(other.shares, first.shares, strict=True):
            assert (one.alone, one.in_all) == pytest.approx((same.alone, same.in_all), rel=1e-9, abs=1e-12)


def _loop(
    shape: str, balance: float, rate: float, payment: float, count: float, payments: int
) -> list[tuple[float, float, float]]:
    rows = []
    for k in range(1, payments + 1):
        interest = balance * rate
        due = {"level": payment, "interest": interest, "principal": payment + interest}[shape]
        paid = balance + interest if k == count else min(due, balance + interest)
        balance = balance + interest - paid
        rows.append((paid, interest, balance))
    return rows


@pytest.mark.parametrize("shape", ["level", "interest", "principal"])
@pytest.mark.parametrize("ratio", [1, 2, 12])
@pytest.mark.parametrize("width", [3, 40, 2_100])
def test_paths_by_the_period_are_sums_of_payments(shape: Any, ratio: int, width: int) -> None:
    """A few cases in floats, many side by side, more than are walked together: each as a plain loop has it."""
    draw = np.random.default_rng(width + ratio)
    payments = 4 * ratio
    balance, rate = draw.uniform(100, 9_000, width), draw.choice([0.0, 0.004, 0.02], width)
    count = draw.integers(1, payments + 5, width).astype(float)
    payment = balance / count * draw.uniform(0.6, 1.6, width)
    found = paths(shape, balance, rate, payment, count, payments, ratio)
    assert found.paid.shape == (payments // ratio + 1, width)
    for k in range(0, width, max(width // 60, 1)):
        rows = np.array(_loop(shape, balance[k], rate[k], payment[k], count[k], payments)).reshape(-1, ratio, 3)
        assert found.paid[1:, k] == pytest.approx(rows[:, :, 0].sum(axis=1), rel=1e-12, abs=1e-9)
        assert found.interest[1:, k] == pytest.approx(rows[:, :, 1].sum(axis=1), rel=1e-12, abs=1e-9)
        assert found.balance[1:, k] == pytest.approx(rows[:, -1, 2], rel=1e-12, abs=1e-8)


@pytest.mark.parametrize("seed", range(cases(6)))
def test_level_payments_that_leave_a_residual_are_those_of_decimals(seed: int) -> None:
    draw = np.random.default_rng(seed)
    units = draw.integers(1_000, 90_000_000, 300).astype(float)
    residual = np.floor(units * draw.choice([0.0, 0.25, 0.8, 1.0], 300))
    yearly, count = draw.integers(0, 9_000, 300), draw.integers(1, 400, 300)
    found = level_payments(units, np.rint(yearly) / 1e5 / 12, count.astype(float), residual)
    with localcontext() as context:
        context.prec = 40
        for k in range(300):
            rate = Decimal(int(yearly[k])) / 100_000 / 12
            owed, left, n = Decimal(int(units[k])), Decimal(int(residual[k])), int(count[k])
            exact = (owed - left) / n if rate == 0 else (owed - left * (1 + rate) ** -n) * rate / (1 - (1 + rate) ** -n)
            assert abs(Decimal(found[k]) - exact) <= Decimal("0.5000001"), k


def test_decimals_of_rates_and_what_is_too_large() -> None:
    rates = np.array([0.0425, 0.03999, 0.031415, 0.0314159, 0.03141592653, 0.0])
    assert decimals_of(rates).tolist() == [5, 5, 6, 7, 0, 5]
    units = np.array([1e9, 1e13, 1e9, 1e9, 1e9, 1e9])
    assert too_large(units, rates, 12).tolist() == [False, True, False, True, False, False]
    for unit, rate, refused in zip(units, rates, too_large(units, rates, 12), strict=True):
        if refused:
            with pytest.raises(InputError, match="too large for every half"):
                amortize([unit / 100], [rate], [360])
        else:
            assert amortize([unit / 100], [rate], [360]).payments[0] == 360


def test_a_book_with_events_and_schedules_goes_on_where_it_stopped(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(arrow_columns, "AT_ONCE", 25)
    loans = _loans(7)
    loans.loc[[9, 70], "months"] = 0
    loans["id"] = [*loans["id"][:101], "L2", *loans["id"][102:]]
    loans.to_parquet(tmp_path / "loans.parquet")
    happens = _events(_loans(7), 7, True).drop(columns="number").astype(str)
    happens.to_csv(tmp_path / "events.csv", index=False)
    asked: dict[str, Any] = {"events": tmp_path / "events.csv", "schedules": True, "grouped": "branch"}
    whole = loan_sums(tmp_path / "loans.parquet", **asked, folder=tmp_path / "whole")
    real, calls = BookFolder.keep, list[int]()

    def keep(self: BookFolder, run: Any) -> None:
        real(self, run)
        calls.append(run.parts)
        if len(calls) in (2, 4):
            raise KeyboardInterrupt

    monkeypatch.setattr(BookFolder, "keep", keep)
    for _ in range(2):
        with pytest.raises(KeyboardInterrupt):
            loan_sums(tmp_path / "loans.parquet", **asked, folder=tmp_path / "torn")
    again = loan_sums(tmp_path / "loans.parquet", **asked, folder=tmp_path / "torn")
    assert again.resumed == 100
    assert again.frame.equals(whole.frame)
    assert again.events == whole.events
    assert (again.rejected, again.loans) == (whole.rejected, whole.loans)
    rows = [pd.read_parquet(tmp_path / name / "schedules") for name in ("whole", "torn")]
    assert rows[0].equals(rows[1])
    # Another file of the same name is begun anew, and leaves no rows of the first.
    loans.head(30).to_parquet(tmp_path / "loans.parquet")
    fresh = loan_sums(tmp_path / "loans.parquet", **asked, folder=tmp_path / "torn")
    assert len(pd.read_parquet(tmp_path / "torn" / "schedules")) == fresh.schedule_rows


def test_a_folder_of_schedules_that_holds_something_else_stays_as_it_is(tmp_path: Path) -> None:
    (tmp_path / "loans.csv").write_text("amount,rate,months\n1000,6%,12\n", encoding="utf-8")
    own = tmp_path / "sums" / "schedules" / "mine.parquet"
    own.parent.mkdir(parents=True)
    own.write_text("mine", encoding="utf-8")
    with pytest.raises(InputError, match=r"holds mine\.parquet, which is no schedule"):
        loan_sums(tmp_path / "loans.csv", schedules=True, folder=tmp_path / "sums")
    assert own.read_text(encoding="utf-8") == "mine"


class _Future:
    def __init__(self, error: Exception) -> None:
        self.error = error

    def result(self) -> Any:
        raise self.error


def _failures() -> Iterator[tuple[Exception, str]]:
    from distributed import CancelledError, KilledWorker

    yield (
        ModuleNotFoundError("No module named 'kiln'", name="kiln"),
        "cannot import kiln; install what this needs on every worker",
    )
    yield KilledWorker("block", SimpleNamespace(address="tcp://w"), 3), "were lost again and again with the same block"
    yield CancelledError("gone"), r"The cluster at tcp://here:1 went away; start it again"
    yield OSError("closed"), r"The cluster at tcp://here:1 went away; start it again"


@pytest.mark.parametrize(("error", "said"), list(_failures()), ids=["import", "killed", "cancelled", "closed"])
def test_what_goes_wrong_on_a_cluster_is_told(error: Exception, said: str) -> None:
    cancelled = list[Any]()
    client = SimpleNamespace(
        submit=lambda *args, **named: _Future(error), cancel=lambda futures, force: cancelled.extend(futures)
    )
    cluster = Cluster(client, WorkedBy("tcp://here:1", 2, ""), 2)
    with pytest.raises(InputError, match=said):
        list(cluster.map(sum, 1, range(20)))
    assert len(cancelled) == 5  # of six that were handed out the first was awaited


@pytest.mark.parametrize(
    ("told", "differ"),
    [
        ({"a": ["x86", "numpy 2", "AVX2"], "b": ["x86", "numpy 2", "AVX2"]}, ""), ({"a": ["x86", "AVX2"], "b": ["x86", "AVX2", "AVX512F"]}, "AVX512F"),
        ({"a": ["numpy 2.0"], "b": ["numpy 2.1"]}, "numpy 2.0, numpy 2.1"),
        ({"a": [f"F{k}" for k in range(9)], "b": []}, "F0, F1, F2, F3, F4, F5 and more"),
    ],
)  # fmt: skip
def test_workers_that_differ_are_told(told: dict[str, list[str]], differ: str) -> None:
    workers = {name: {"nthreads": 2} for name in told}
    client = SimpleNamespace(
        scheduler=SimpleNamespace(address="tcp://here:1"), asynchronous=False, run=lambda ask: told,
        scheduler_info=lambda n_workers: {"workers": workers},
    )  # fmt: skip
    found = _asked(client)
    assert (found.worked_by, found.threads) == (WorkedBy("tcp://here:1", 2, differ), 4)
    assert len(found.worked_by.sentences) == (2 if differ else 1)
    client.asynchronous = True
    with pytest.raises(InputError, match="an asynchronous client"):
        _asked(client)
    client.asynchronous, client.scheduler_info = False, lambda n_workers: {"workers": {}}
    with pytest.raises(InputError, match=r"The cluster at tcp://here:1 has no workers"):
        _asked(client)


def test_a_cluster_that_has_nothing_to_work_out_is_refused() -> None:
    deal = Deal.from_function(lambda price: {"gain": 3.0 - price}, {"price": {"value": 2, "low": 1, "high": 4}})
    with pytest.raises(InputError, match="A cluster works out shares of variance, and there are none here"):
        deal.drivers("gain", on="tcp://127.0.0.1:9")


PAGE = """# A page

<!-- file: kiln.toml -->
```toml
deal = "Kiln"
[measures]
price = "8_000 * 1.2"
twice = "2 * price"
```

```console
$ pennyweight weigh kiln.toml
  twice
…
```

<!-- fails -->
```console
$ pennyweight weigh none.toml
pennyweight
```

```python
print(1 + 1)
```

```text
```
"""


def test_pages_are_filled_in_and_stay_as_they_are() -> None:
    filled = pages.refreshed(PAGE)
    assert "twice 19,200 2 * price" in {pages.squeezed(line) for line in filled.split("\n")}
    assert "pennyweight: " in filled.split("<!-- fails -->")[1]
    assert "```text\n2\n```" in filled
    assert pages.refreshed(filled) == filled
    # A line whose figure has changed is the same line with the new one.
    assert pages.refreshed(filled.replace("19,200", "19,300")) == filled


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("  twice\n", "  nothing at all like any line of it\n", "prints no line like"), ("<!-- fails -->\n", "", "status 2"),
        ("weigh kiln.toml", "weigh kiln.toml --no-such", "status 2"), ("$ pennyweight weigh none.toml", "$ pennyweight weigh kiln.toml", "status 0"),
    ],
)  # fmt: skip
def test_pages_that_say_what_is_not_so_are_refused(old: str, new: str, said: str) -> None:
    with pytest.raises(SystemExit, match=said):
        pages.refreshed(PAGE.replace(old, new))
