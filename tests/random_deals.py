"""Deals drawn from a number, with every word that the plain second implementation knows."""

from __future__ import annotations

import datetime as dt
import random
from typing import Any

__all__ = ["random_deal", "random_sets"]


def random_deal(seed: int) -> dict[str, Any]:
    """A dated deal with a choice, exceptions, three kinds of loans, a level that is sold, and a table."""
    pick = random.Random(seed)
    period = pick.choice(["month", "quarter", "half-year", "year"])
    per_year = {"month": 12, "quarter": 4, "half-year": 2, "year": 1}[period]
    years = pick.randint(5, 8)
    start = dt.date(2027, pick.randint(1, 12), pick.choice([1, 15, 28]))

    def day() -> str:
        return str(start + dt.timedelta(pick.randint(1, 365 * (years - 1))))

    return {
        "deal": "Random", "timeline": {"period": period, "periods": years * per_year, "start": start, **pick.choice([{}, {"counted_to": "year held"}])},
        "inputs": {
            "price": pick.randint(60, 90) * 1_000, "rent": pick.randint(15, 30) * 1_000 // per_year, "hurdle": 0.08,
            "way": {"value": pick.choice(["own", "rented"]), "choices": ["own", "rented"]},
            "built": {"value": dt.date(1990 + pick.randint(0, 30), pick.randint(1, 12), pick.randint(1, 28))},
            "held": {"value": pick.randint(2, years), "unit": "years", "whole": True, "low": 1, "high": years},
        },
        "brackets": {
            "duty": {"steps": {"0": 0.01, f"{12_000 / per_year:g}": 0.05, f"{21_000 / per_year:g}": 0.2}},
            "levy": {"steps": {"0": 0.1, "18_000": 0.3}, "per": "year"}, "bend": {"steps": {"0": 0.02, "3": 0.05, "7": 0.01}},
        },
        "loans": {
            "staged": {"amount": 20_000, "rate": pick.choice([0.03, 0.07]), "years": 5, "advances": {"0": 0.4, f"year {pick.randint(1, 2)}": 0.6}},
            "old": {"amount": 30_000, "rate": 0.05, "years": 12, "payments_made": pick.randint(0, 60), "paid_out": 0},
            "private": {"amount": 9_000, "rate": 0.09, "years": 10, "balloon": pick.randint(1, 5), "paid_out": pick.randint(0, per_year)},
        },
        "splits": {"shared": {"of": "max(rents - works, 0)", "paid_in": {"us": "0.9 * paid", "them": "0.1 * paid + 0.2 * works"}, "tiers": [
            {"rate": 0.04}, *pick.choice([[], [{"rate": 0.06}]]), *pick.choice([[], [{"catch_up": "them", "to": 0.2, "share": pick.choice([0.5, 1])}]]),
            *pick.choice([[], [{"shares": {"us": 0.8, "them": 0.2}, "until": {"us": 0.09}}]]), {"shares": {"us": 0.5, "them": 0.5}},
        ]}},
        "money_in": {"rents": {"formula": "rent", "set": {day(): pick.randint(0, 500)}}},
        "money_out": {
            "paid": {"formula": "price", "at": 0}, "berth": "200 if way == 'rented' else 0",
            "works": {"formula": "0.01 * price * years_between(built, date(t)) / 30", "from": day()},
        },
        "levels": {"worth": {"formula": "price * grown(2%)", "start": "price"}, "lost": "losses_left(surplus, 60%)"},
        "lines": {"surplus": "rents - works - 0.8 * rent", "taxed": "after_losses(surplus, 60%)", "worn": "written_off(works, 2)", "recent": "total(rents, t - 3, t)", "ahead": "at(rents, t + 2, otherwise = 7)",
            "usual": "average(rents, t - 5, t - 1)", "peak": "highest(rents, t - 2, t)", "charged": "graduated(rents, duty)", "levied": "graduated(rents, levy)", "share": "looked_up(rents - works, duty)", "bent": "rents * interpolated(year, bend)", "back_again": {"formula": "net if t < end else 0 - price", "from": 0}, "ours": "shared.us - shared.us_1 + shared.tier_2 + prior(shared.owed_1)",
            "covered": "rents / works if works > 0 else undefined", "falls": f"declining_balance(price, 40%, {pick.randint(2, 7)})"},
        "measures": {
            "sold": "irr(net, years=held, plus=worth)", "level": "equivalent_annual(net, hurdle, years=held)",
            "owed": "at(loans.balance, end_of_year(held))", "value": "npv(net, hurdle, years=held, plus=worth)", "thin": "lowest(covered, where = works > 0)", "meant": "average(rents, where = works > 0)", "plain": "roi(net, years=held, plus=worth)",
            "modified": "modified_irr(net, 6%, hurdle, years=held, plus=worth)", "middle": "npv(net, hurdle, paid='middle')", "by_days": "npv(net, hurdle, paid='middle', counted='days')", "for_ever": "growing_perpetuity(rent, hurdle, 2%)", "shared_out": "total(shared.them)", "mid_rate": "irr(net, paid='middle', counted='days')", "low_rate": "irrs(back_again, 1)", "high_rate": "irrs(back_again, 2)",
        },
        "questions": {"best": {"find": "held", "most": "value", "between": [1, years]}, "how": {"find": "way", "most": "value"}},
        "tables": {"kept": {"by": {"n": list(range(1, years + 1))}, "columns": {
            "cash": "total(net, 0, end_of_year(n))", "rate": "irr(net, years=n, plus=worth)", "left": "at(loans.balance, end_of_year(n))",
        }}},
        "scenarios": {"plain": {"undo": ["rents.set"]}},
    }  # fmt: skip


def random_sets(seed: int) -> dict[str, Any]:
    """A dated deal of tenants, vans with loans, and cohorts, with sums within sums and a circle through all of them."""
    pick = random.Random(seed)
    period = pick.choice(["month", "quarter", "year"])
    per_year = {"month": 12, "quarter": 4, "year": 1}[period]
    years = pick.randint(3, 5)
    start = dt.date(2027, pick.randint(1, 12), pick.choice([1, 15, 28]))

    def day(least: int) -> dt.date:
        return start + dt.timedelta(pick.randint(least, 365 * (years - 1)))

    tenants = [
        {"tenant": f"Berth {k}", "area": pick.randint(20, 90) * 1.5, "rent": pick.randint(80, 240), "starts": day(0),
         "ends": pick.choice([day(365), "never"]), "kind": pick.choice(["shop", "store"])}
        for k in range(pick.randint(2, 5))
    ]  # fmt: skip
    tenants[0]["kind"], tenants[-1]["kind"], tenants[0]["ends"] = "shop", "store", day(365)
    vans = [
        {"van": name, "price": pick.randint(20, 60) * 1_000, "years": pick.randint(2, 4), "starts": pick.randint(0, 3)}
        for name in ("Anna", "Bert", "Cleo")[: pick.randint(1, 3)]
    ]
    return {
        "deal": "Random sets", "timeline": {"period": period, "periods": years * per_year, "start": start},
        "inputs": {"market": pick.randint(100, 200), "gap": {"value": pick.randint(0, 3), "unit": "period", "whole": True}, "cap": pick.randint(300, 900),
                   "fresh": pick.randint(5, 20), "keep": {"steps": {str(pick.randint(0, 1)): 0.9, "3": 0.6}}},
        "sets": {
            "tenants": {"rows": tenants, "columns": {"ends": {"unit": "date", "empty": "never"}}},
            "vans": {"rows": vans, "columns": {"starts": {"unit": "period"}, "years": {"unit": "years"}}},
            "cohorts": {"every": "period"},
        },
        "values": {"let": "sum_of(tenants.area)", "share": {"each": "tenants", "formula": "tenants.area / let"}},
        "loans": {"van": {"each": "vans", "amount": "0.8 * vans.price", "rate": 0.06, "years": "vans.years", "paid_out": "vans.starts"},
                  "pool": {"each": "vans", "amount": 3_000, "rate": 0.04, "years": 4, "extra": "0.02 * prior(trips)"}},
        "money_in": {
            "rented": {"each": "tenants", "formula": "tenants.area * tenants.rent * grown_yearly(2%)", "from": "tenants.starts", "to": "tenants.ends"},
            "relet": {"each": "tenants", "formula": "tenants.area * market", "from": "period_of(tenants.ends) + gap + 1"},
            "fares": {"each": "vans", "formula": "trips * 4", "from": "vans.starts + 1"},
        },
        "money_out": {"bought": {"each": "vans", "formula": "vans.price", "at": "vans.starts"}, "costs": "0.12 * sum_of(rented + relet)"},
        "lines": {
            "trips": {"each": "vans", "formula": "prior(trips) * 1.1 * (1 - prior(all) / cap) + 20", "from": "vans.starts"},
            "all": {"formula": "sum_of(trips)", "from": 0},
            "empty": {"formula": "1 - sum_of(tenants.area if rented + relet > 0 else 0) / let", "from": 1},
            "kept": "lowest_of(rented) + highest_of(relet) - average_of(rented + relet) + one_of(rented, 'Berth 0')",
            "new": "fresh * (1 + t / 10)", "begun": {"each": "cohorts", "formula": "at(new, cohorts.born) * 0.9 ** cohorts.age"},
            "alive": {"formula": "sum_of(begun)", "from": 0}, "aged": {"formula": "by_age(new, keep)", "from": 0},
            "income": {"each": "tenants", "formula": "rented + relet"}, "stocked": {"formula": "sum_of(stock)", "from": 0},
            "paid": {"each": "tenants", "formula": "share * costs"},
        },
        "levels": {"stock": {"each": "cohorts", "formula": "prior(stock) * 0.8 + 1", "start": "at(new, cohorts.born)"},
                   "fund": {"each": "tenants", "formula": "prior(fund) + 0.05 * rented"}},
        "measures": {
            "worth": {"each": "tenants", "formula": "npv(income, 8%)"}, "weak": "lowest_of(worth)", "first": "one_of(worth, 'Berth 0')",
            "shops": "count_of(tenants.kind == 'shop' and tenants.area > 50)", "mean": "sum_of(tenants.rent * tenants.area) / sum_of(tenants.area)",
            "value": "npv(net, 8%)", "peak": "highest(stocked)",
        },
    }  # fmt: skip
