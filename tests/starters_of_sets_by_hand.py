"""The figures of the starters with sets and with what they solve themselves, written out plainly; see `starters_by_hand`."""

from __future__ import annotations

import datetime as dt
from typing import Any

from tests.plain_functions import month_on

Inputs = dict[str, Any]
Figures = dict[str, float | None]


def offices(i: Inputs, scenario: str) -> Figures:
    """Month by month and tenant by tenant."""
    from tests.starters_by_hand import level, owed_after, paid_back, rate_of

    last = 12 * round(i["held"])
    months = range(133)
    rise = [(1 + i["index"]) ** max(-(-t // 12) - 1, 0) for t in months]
    rents, fitted, area_let = [0.0] * 133, [0.0] * 133, [0.0] * 133
    for area, rent, starts, ends in zip(
        *(i[f"tenants.{name}"] for name in ("area", "rent", "starts", "ends")), strict=True
    ):
        first, end = _month_of(starts) + 1, _month_of(ends)
        again = end + i["vacancy"] + 1
        for t in months:
            paid = area * rent / 12 * rise[t] if first <= t <= end else 0.0
            paid += area * i["market"] / 12 * rise[t] if t >= again else 0.0
            rents[t] += paid
            area_let[t] += area if paid > 0 else 0.0
        if again - 1 < 133:
            fitted[round(again - 1)] += i["fitting"] * area
    income = [paid * (1 - i["costs_part"]) for paid in rents]
    debt = i["lent"] * i["price"]
    payment, owed = (
        level(debt, i["interest"], 12 * round(i["bank_years"])),
        owed_after(debt, i["interest"], 12 * round(i["bank_years"]), last),
    )
    net = [debt - i["price"]] + [income[t] - fitted[t] - payment for t in range(1, last + 1)]
    net[last] += sum(income[last + 1 : last + 13]) / i["cap_rate"] - owed[last]
    monthly = rate_of(net)
    monthly_hurdle = (1 + i["hurdle"]) ** (1 / 12) - 1
    back = paid_back(net)
    whole = sum(i["tenants.area"])
    return {
        "npv": sum(flow / (1 + monthly_hurdle) ** t for t, flow in enumerate(net)),
        "irr": None if monthly is None else (1 + monthly) ** 12 - 1,
        "payback": None if back is None else back / 12,
        "cover": min(income[t] / payment for t in range(1, last + 1)),
        "mean": sum(a * r for a, r in zip(i["tenants.area"], i["tenants.rent"], strict=True)) / whole,
    }


def plant(i: Inputs, scenario: str) -> Figures:
    """Half-year by half-year; the debt by halving, unless the scenario gives it."""
    from tests.starters_by_hand import paid_back, rate_of

    term = 2 * round(i["term"])

    def worked_out(debt: float) -> tuple[list[float], float]:
        rate = i["interest"] / 2
        payment = debt * rate / (1 - (1 + rate) ** -term)
        owed, lost, net, cash = debt, 0.0, [debt - i["cost"]], [0.0]
        profits = []
        for t in range(1, 41):
            rise = (1 + i["inflation"]) ** (-(-t // 2) - 1)
            interest = owed * rate if t <= term else 0.0
            paid = payment if t <= term else 0.0
            owed = owed + interest - paid
            earned = (i["price"] * i["output"] * (1 - i["idle"]) - i["upkeep"]) * rise
            written = i["cost"] / (2 * i["lasting"]) if t <= 2 * i["lasting"] else 0.0
            profit = earned - written - interest
            used = min(max(profit, 0.0), lost)
            lost += max(-profit, 0.0) - used
            profits.append(max(profit, 0.0) - used)
            year = sum(profits[-2:])
            tax = 0.0 if t % 2 else 0.15 * min(year, 500_000) + 0.28 * max(year - 500_000, 0.0)
            cash.append(earned - tax)
            net.append(earned - tax - paid)
        cover = min((cash[t - 1] + cash[t]) / (2 * payment) for t in range(2, term + 1))
        return net, cover

    debt = i["debt"] if scenario == "debt_given" else 0.0
    if scenario != "debt_given":
        low, high = 1e6, 6e7
        for _ in range(80):
            middle = (low + high) / 2
            low, high = (middle, high) if worked_out(middle)[1] >= i["cover_asked"] else (low, middle)
        debt = low
    net, cover = worked_out(debt)
    half = rate_of(net)
    rate = (1 + i["hurdle"]) ** 0.5 - 1
    back = paid_back(net)
    return {
        "irr": None if half is None else (1 + half) ** 2 - 1,
        "npv": sum(flow / (1 + rate) ** t for t, flow in enumerate(net)),
        "payback": None if back is None else back / 2,
        "cover": cover,
        "debt_part": debt / i["cost"],
    }


def subscribers(i: Inputs, scenario: str) -> Figures:
    """Month by month, everybody who began in a month followed from that month on."""
    from tests.starters_by_hand import paid_back, rate_of

    plans = list(zip(*(i[f"plans.{name}"] for name in ("chosen", "price", "serve", "leave")), strict=True))
    net, peak = [-i["set_up"]] + [-i["wages"]] * 60, 0.0
    begun = [0.0] + [i["first_new"] * (1 + i["more_new"]) ** k for k in range(60)]
    all_there = [0.0] * 61
    for chosen, price, serve, leave in plans:
        for month in range(1, 61):
            left = chosen * begun[month]
            net[month] -= i["won_for"] * left
            for later in range(month, 61):
                net[later] += (price - serve) * left
                all_there[later] += left
                left *= 1 - (i["leave_at_once"] if later == month else leave)
    peak = max(all_there)
    so_far = [sum(net[: t + 1]) for t in range(61)]
    earned, back, stay = 0.0, None, [1.0] * len(plans)
    for age in range(61):
        earned += sum(
            part * (price - serve) * there for (part, price, serve, _), there in zip(plans, stay, strict=True)
        )
        if earned >= i["won_for"]:
            back = float(age)
            break
        stay = [
            there * (1 - (leave if age else i["leave_at_once"]))
            for there, (_, _, _, leave) in zip(stay, plans, strict=True)
        ]
    monthly, rate, returned = rate_of(net), (1 + i["hurdle"]) ** (1 / 12) - 1, paid_back(net)
    return {
        "npv": sum(flow / (1 + rate) ** t for t, flow in enumerate(net)),
        "irr": None if monthly is None else (1 + monthly) ** 12 - 1,
        "payback": None if returned is None else returned / 12,
        "lowest_cash": min(so_far[1:]),
        "months_back": back,
        "peak": peak,
    }


def shops(i: Inputs, scenario: str) -> Figures:
    """Month by month and shop by shop."""
    from tests.starters_by_hand import paid_back, rate_of

    rise = [(1 + i["inflation"]) ** max(-(-t // 12) - 1, 0) for t in range(97)]
    net = [0.0] + [-i["head"] * rise[t] for t in range(1, 97)]
    earned, open_now, brings = net.copy(), [0] * 97, []
    rate = (1 + i["hurdle"]) ** (1 / 12) - 1
    for opens, rooms, sales, rent in zip(
        *(i[f"shops.{name}"] for name in ("opens", "rooms", "sales", "rent")), strict=True
    ):
        begins, own = round(_month_of(opens)), [0.0] * 97
        for t in range(begins, 97):
            known = min(1.0, i["start_at"] + (1 - i["start_at"]) * (t - begins) / i["known_in"])
            own[t] = (i["margin"] * sales * known - rent - i["staff"]) * rise[t]
            earned[t] += own[t]
            open_now[t] += 1
        own[begins - 1] -= i["fitting"] * rooms + i["stock"]
        brings.append(sum(flow / (1 + rate) ** t for t, flow in enumerate(own)))
        net = [all_of_them + one for all_of_them, one in zip(net, own, strict=True)]
    net[next(t for t in range(97) if open_now[t] >= i["oven_at"])] -= i["oven"]
    net[96] += i["multiple"] * sum(earned[85:])
    monthly, returned = rate_of(net), paid_back(net)
    return {
        "npv": sum(flow / (1 + rate) ** t for t, flow in enumerate(net)),
        "irr": None if monthly is None else (1 + monthly) ** 12 - 1,
        "payback": None if returned is None else returned / 12,
        "lowest_cash": min(sum(net[: t + 1]) for t in range(1, 97)),
        "worst_shop": min(brings),
    }


def company(i: Inputs, scenario: str) -> Figures:
    """Year by year; the growth goes straight from year 1 to 3 and on to 10."""
    from tests.starters_by_hand import rate_of

    at = {1: 0.08, 3: 0.07, 10: 0.025}
    scale = 0.5 if scenario == "slow_growth" else 1.0
    sold, invested, lost, flows, earned = [i["sales"]], [0.0], i["losses"], [0.0], [0.0]
    for year in range(1, 11):
        low, high = (1, 3) if year <= 3 else (3, 10)
        growth = scale * (at[low] + (at[high] - at[low]) * (year - low) / (high - low))
        sold.append(sold[-1] * (1 + growth))
        written = sum(spent / i["lasting"] for k, spent in enumerate(invested) if k < year <= k + i["lasting"])
        written += i["old_ones"] if year <= i["old_last"] else 0.0
        invested.append(i["machines"] * sold[-1])
        earned.append(i["margin"] * sold[-1])
        profit = earned[-1] - written
        used = min(max(profit, 0.0), lost)
        lost += max(-profit, 0.0) - used
        taxed = max(profit, 0.0) - used
        tax = 0.15 * min(taxed, 1e6) + 0.25 * max(taxed - 1e6, 0.0)
        flows.append(earned[-1] - tax - invested[-1] - i["stock"] * (sold[-1] - sold[-2]))
    g, h = i["for_ever"], i["discount"]
    last_flow = earned[-1] - tax - invested[-1] - i["stock"] * sold[-1] * g / (1 + g)
    rest = last_flow * (1 + g) / (h - g)
    flows[-1] += rest
    worth = sum(flow / (1 + h) ** t for t, flow in enumerate(flows))
    share_worth = (worth - i["owed"]) / i["shares"]
    return {
        "last_flow": last_flow,
        "worth": worth,
        "share_worth": share_worth,
        "cheaper": 1 - i["price"] / share_worth,
        "later_part": rest / (1 + h) ** 10 / worth,
        "times_earned": worth / earned[1],
        "return": rate_of([-i["price"] * i["shares"] - i["owed"], *flows[1:]]),
    }


def _month_of(day: float) -> float:
    """The month, counted from the end of 2026, that holds a day; a day is counted from 1970, as a deal has it."""
    if day == float("inf"):
        return day
    when = dt.date(1970, 1, 1) + dt.timedelta(int(day))
    return next((k for k in range(200) if month_on(dt.date(2026, 12, 31), k) >= when), 999)


BY_HAND_TOO = {"company": company, "shops": shops, "offices": offices, "plant": plant, "subscribers": subscribers}
