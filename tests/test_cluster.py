"""A cluster of processes beside this process: the same bits, also when a worker is killed; what cannot be is told."""

from __future__ import annotations

import os
import signal
import time
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

from pennyweight import Deal, InputError, loan_sums
from pennyweight.analysis.simulating import simulation as simulating
from pennyweight.cli.main import status
from pennyweight.instruments.loans.many import arrow_columns, loan_columns
from pennyweight.progress import listening
from tests.sizes import WHOLE
from tests.test_loan_sums import _events, _loans


@contextmanager
def _cluster() -> Iterator[Any]:
    from distributed import Client, LocalCluster

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        with (
            LocalCluster(
                n_workers=2, threads_per_worker=1, processes=WHOLE, protocol="tcp://", dashboard_address=None
            ) as made,
            Client(made) as client,
        ):
            yield client


def _same(here: Any, there: Any) -> bool:
    one, other = here.as_dict(), there.as_dict()
    return (
        one.pop("worked_by", None) is None
        and other.pop("worked_by", {"workers": 2})["workers"] > 0
        and repr(one) == repr(other)
    )


def test_a_cluster_gives_the_same_bits(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    with _cluster() as cluster:  # of processes where all is tried, because their start takes ten seconds
        _check_deals(cluster, tmp_path, capsys)
        _check_books(cluster, tmp_path)
        if WHOLE:
            _check_that_a_killed_worker_changes_nothing(cluster)


def _check_deals(cluster: Any, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    address, deal = cluster.scheduler.address, Deal.starter("taxi")
    line = next(iter(deal.definition.levels), None) or next(iter(deal.definition.lines))
    for asked in (
        {"cases": 4_096 if WHOLE else 1_024, "fan": line},
        {"cases": 1_000, "plain": True, "seed": 7},
        {"cases": 512, "until": "1%"},
    ):
        here, there = deal.simulate(**asked), deal.simulate(**asked, on=address)
        assert _same(here, there)
        assert all(np.array_equal(here.values[name], there.values[name], equal_nan=True) for name in here.values)
    assert "Worked out by 2 workers at tcp://" in str(there)
    points = 16_384 if WHOLE else 8_192
    assert _same(deal.drivers("npv", cases=points), deal.drivers("npv", cases=points, on=cluster))
    axes = {"hull": "400k..440k/150", "hurdle": "6%..12%/150"}
    there_varied = deal.vary(axes, on=cluster)
    assert deal.vary(axes).frame.equals(there_varied.frame)
    assert "Worked out by 2 workers" in str(there_varied)
    path = tmp_path / "taxi.toml"
    assert status(["new", str(path), "--starter", "taxi"]) == 0
    assert status(["simulate", str(path), "--cases", "256", "--on", address, "--format", "json"]) == 0
    assert '"workers": 2' in capsys.readouterr().out


def _check_books(cluster: Any, tmp_path: Path) -> None:
    _loans(3).to_parquet(tmp_path / "loans.parquet", row_group_size=20)
    _events(_loans(3), 3, True).drop(columns="number").astype(str).to_csv(tmp_path / "events.csv", index=False)
    asked_of: dict[str, Any] = {"grouped": "branch", "events": tmp_path / "events.csv", "schedules": True}
    with pytest.MonkeyPatch.context() as patched:
        for module in (arrow_columns, loan_columns):
            patched.setattr(module, "AT_ONCE", 20)
        one = loan_sums(tmp_path / "loans.parquet", **asked_of, folder=tmp_path / "here")
        other = loan_sums(tmp_path / "loans.parquet", **asked_of, folder=tmp_path / "there", on=cluster)
    assert one.frame.equals(other.frame)
    assert one.events == other.events
    rows = [pd.read_parquet(tmp_path / name / "schedules") for name in ("here", "there")]
    assert rows[0].equals(rows[1])
    assert len(rows[0]) == other.schedule_rows


def _check_that_a_killed_worker_changes_nothing(cluster: Any) -> None:
    deal = Deal.from_function(
        lambda price, sales: {"npv": sales * 3.0 - price + np.sin(sales)},
        inputs={"price": {"value": 900, "low": 700, "high": 1_000}, "sales": {"value": 400, "low": 200, "high": 500}},
        goals={"npv": {"at_least": 0}},
    )
    here, killed = deal.simulate(2**20), list[int]()

    def kill_one(what: str, done: float, total: float | None) -> None:
        if not killed and done >= 2**18:
            killed.append(next(iter(cluster.run(os.getpid).values())))
            os.kill(killed[0], signal.SIGKILL)

    with listening(kill_one):
        there = deal.simulate(2**20, on=cluster)
    assert killed
    assert _same(here, there)


@pytest.mark.parametrize(("on", "said"), [
    ("tcp://127.0.0.1:9", r"No cluster answers at tcp://127\.0\.0\.1:9 within 3 seconds"), ("here", "must be the address of a cluster"),
    ("tcp://", "is no address of a cluster"), ("ftp://a:5", "is no address of a cluster"), ("tcp://a:x", "is no address of a cluster"), (5, "on is 5"),
])  # fmt: skip
def test_a_cluster_that_is_none_is_told(on: Any, said: str, tmp_path: Path) -> None:
    begun = time.monotonic()
    with pytest.raises(InputError, match=said):
        Deal.starter("taxi").simulate(64, on=on)
    assert time.monotonic() - begun < 30  # the machine may be busy, but nobody waits for half a minute
    path = tmp_path / "loans.csv"
    path.write_text("amount,rate,months\n1000,6%,12\n")
    with pytest.raises(InputError, match="a cluster reads books from Parquet"):
        loan_sums(path, on=on)


def test_more_cases_than_are_kept_are_counted(monkeypatch: pytest.MonkeyPatch) -> None:
    deal = Deal.starter("taxi")
    kept = deal.simulate(8_192)
    monkeypatch.setattr(simulating, "_MOST_KEPT", 1_000)
    counted = deal.simulate(8_192)
    assert (kept.counted, counted.counted) == (False, True)
    assert "counted by the leading bits" in " ".join(str(counted).split())
    assert counted.chances == kept.chances
    for name, one in kept.spreads.items():
        other = counted.spreads[name]
        assert (other.defined, other.mean) == pytest.approx((one.defined, one.mean), rel=1e-12)
        size = max(abs(value) for value in one.percentiles.values())
        for level, value in one.percentiles.items():
            assert other.percentiles[level] == pytest.approx(
                value, rel=4e-4, abs=0.02 * size if level in (1, 99) else 2e-3 * size
            )


@pytest.mark.parametrize(
    "asked",
    [
        ["simulate", "taxi.toml"], ["drivers", "taxi.toml", "npv"], ["vary", "taxi.toml", "hull=400k..440k/3"], ["book", "loans.parquet"],
    ],
)  # fmt: skip
def test_an_address_is_said_once_and_is_one(
    asked: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    assert status(["new", "taxi.toml", "--starter", "taxi"]) == 0
    pd.DataFrame({"amount": [1_000.0], "rate": [0.06], "months": [12]}).to_parquet("loans.parquet")
    for more, said in (
        (["--on", "a", "--on", "b"], "--on is given 2 times"),
        (["--on", ""], "must be the address of a cluster"),
        (["--on"], "requires an argument"),
    ):
        capsys.readouterr()
        assert status([*asked, *more]) == 2
        told = capsys.readouterr().err
        assert said in told
        assert told.count("\n") == 1
