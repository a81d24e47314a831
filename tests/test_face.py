"""The public face: one way to each thing, nothing of the inside on offer, kinds that say what is in them."""

from __future__ import annotations

import datetime as dt
import pickle

import numpy as np
import pytest
from matplotlib.figure import Figure

from pennyweight import Bond, CashFlows, Deal, InputError, Loan
from pennyweight.documents import Figures, Table
from pennyweight.documents.why_table import why_of, why_table


@pytest.fixture(scope="module")
def taxi() -> Deal:
    return Deal.starter("taxi")


def test_a_starter_is_read_by_its_name(taxi: Deal) -> None:
    assert taxi.definition.title == "Electric water-taxi for the quay"
    with pytest.raises(InputError, match="did you mean 'taxi'"):
        Deal.starter("taxy")
    with pytest.raises(InputError, match="name is 'takeover'"):  # a loan file is none
        Deal.starter("takeover")


def test_answers_are_of_one_kind_and_one_measure_needs_no_list(taxi: Deal) -> None:
    asked, found = taxi.weigh().answers["top_price"], taxi.find("hull", "npv == 0").answers["base"]
    assert type(asked) is type(found)
    assert asked.values == pytest.approx(found.values, rel=1e-12)
    one, listed = (taxi.vary({"hurdle": ["8%", "9%"]}, show=show).figures for show in ("npv", ["npv"]))
    assert one["npv"].tolist() == listed["npv"].tolist()
    assert one.keys() == listed.keys()


def test_nothing_of_the_inside_is_offered_when_a_name_is_completed(taxi: Deal) -> None:
    weighing, loan = taxi.weigh(), Loan(1_000, "5%", years=3)
    for result, inside in (
        (weighing, {"model", "worked_out", "case"}),
        (loan, {"terms", "refuse_stuck"}),
        (taxi, {"model"}),
    ):
        assert not inside & set(dir(result))
        assert {"frame", "as_dict", "document", "plot"} & set(dir(result))
    assert getattr(weighing.measures, "_ipython_key_completions_")() == list(weighing.measures)  # noqa: B009


def test_frames_hold_numbers_as_numbers_and_days_as_days(taxi: Deal) -> None:
    both = taxi.compare(["base", "dear_hull"], against="base").frame
    assert (both["npv"].dtype, str(both["verdict"].dtype)) == (np.float64, "str")
    assert both.loc["dear_hull less base", "npv"] == both.loc["dear_hull", "npv"] - both.loc["base", "npv"]
    years, periods = (taxi.weigh().frames[name] for name in ("years", "periods"))
    assert years["net"].sum() == pytest.approx(periods["net"].sum())
    loan = Loan(86_000, "4.2%", years=15, start="2024-01-31")
    assert loan.schedule.paid_off_on == dt.date(2039, 1, 31)
    assert Loan(86_000, "4.2%", years=15).schedule.paid_off_on is None
    assert Bond("4%", "2031-06-15").per_year == 2
    assert Bond(0, "2031-06-15").per_year == 0


def test_a_plot_takes_a_style_and_refuses_one_there_is_not() -> None:
    flows, ax = CashFlows([-1_000, 300, 420, 680]), Figure().subplots()
    ax.plot([0, 1], [5, 5], color="red", label="mine")
    assert flows.plot(ax, color="black", alpha=0.5) is ax
    mine, *drawn = ax.lines
    assert (mine.get_color(), drawn[0].get_color(), drawn[0].get_alpha()) == ("red", "black", 0.5)
    with pytest.raises(InputError, match="has no 'colour'"):
        flows.plot(colour="black")
    with pytest.raises(InputError, match="color is 'blackish'"):
        flows.plot(color="blackish")


def test_a_check_has_a_code_and_a_page_carries_its_whys_through_a_pickle(taxi: Deal) -> None:
    weighing = taxi.weigh()
    assert weighing.checks[0].code == "adds_up"
    assert all(sentence.endswith(".") for _, sentence in weighing.checks)
    again = pickle.loads(pickle.dumps(weighing))
    assert [check.code for check in again.checks] == [check.code for check in weighing.checks]

    def told(of: object) -> list[str]:
        blocks = of.document().blocks  # type: ignore[attr-defined]
        whys = [line.why for block in blocks if isinstance(block, Figures) for line in block.lines]
        whys += [why_of(row) for block in blocks if isinstance(block, Table) for row in block.rows]
        return [row[1].text for why in whys if why is not None for row in why_table(why).rows]

    assert len(told(weighing)) > 60
    assert told(again) == told(weighing)
    loan = Loan(86_000, "4.2%", years=15, start="2024-01-31")
    page = pickle.loads(pickle.dumps(loan.document()))  # a page travels with its whys
    assert why_table(page.blocks[0].lines[0].why).rows[0][1].text == "644.79"
