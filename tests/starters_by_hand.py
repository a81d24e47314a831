"""The figures of every starter, written out plainly: one function a starter, plain floats, nothing of the library.

Each takes the inputs by name (choices by their number, series by period) and gives every measure; None is undefined.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

Inputs = dict[str, Any]
Figures = dict[str, float | None]


def equipment(i: Inputs, scenario: str) -> Figures:
    cost, life, h = i["price"] + i["set_up"], round(i["life"]), i["hurdle"]
    book = cost * max(0.0, 1 - life / i["tax_years"])
    flows = [-cost]
    for t in range(1, life + 1):
        gain = i["savings"] * (1 + i["wage_rise"]) ** (t - 1) - i["upkeep"] * (1 + i["upkeep_rise"]) ** (t - 1)
        written = cost / i["tax_years"] if t <= i["tax_years"] else 0.0
        flows.append(gain - i["tax_rate"] * (gain - written))
    flows[-1] += i["salvage"] - i["tax_rate"] * (i["salvage"] - book)
    npv = worth(flows, h)
    return {
        "npv": npv,
        "irr": rate_of(flows),
        "yearly": npv * per_year(h, life),
        "payback": paid_back(flows),
        "per_euro": worth([max(f, 0.0) for f in flows], h) / -worth([min(f, 0.0) for f in flows], h),
    }


def replacement(i: Inputs, scenario: str) -> Figures:
    h, end = i["hurdle"], round(i["old_years"])

    def by_year(kind: str) -> float:
        price, n = i[f"{kind}_price"], round(i[f"{kind}_years"])
        paid = [price] + [i[f"{kind}_upkeep"] * (1 + i[f"{kind}_rise"]) ** t for t in range(n)]
        return (worth(paid, h) - price * (1 - i[f"{kind}_fall"]) ** n / (1 + h) ** n) * per_year(h, n)

    def course(k: int) -> float:
        paid = [0.0] + [i["old_upkeep"] * (1 + i["old_rise"]) ** t for t in range(k)]
        sold = i["old_worth"] * (1 - i["old_fall"]) ** k / (1 + h) ** k
        return float(h * (worth(paid, h) - sold) + chosen / (1 + h) ** k)

    def one_more(t: int) -> float:
        before, after = (i["old_worth"] * (1 - i["old_fall"]) ** k for k in (t - 1, t))
        return float(before * (1 + h) - after + i["old_upkeep"] * (1 + i["old_rise"]) ** (t - 1))

    new, used = by_year("new"), by_year("used")
    chosen = used if i["successor"] else new
    cost, keep = course(min(round(i["replaced"]), end)), course(end)
    dearer = [t for t in range(1, 26) if one_more(t) > chosen]
    return {
        "new_cost": new, "used_cost": used, "annual_cost": cost, "keep_cost": keep, "saved": keep - cost,
        "next_year": one_more(1), "chosen_cost": chosen, "turns_after": dearer[0] - 1 if dearer else None,
    }  # fmt: skip


def project(i: Inputs, scenario: str) -> Figures:
    gain, cost, better = [0.0], [i["set_up"]], 0.0
    for t in range(1, 6):
        sales = i["sales_now"] * (1 + i["sales_growth"]) ** t
        costs = i["sales_now"] * (1 - i["margin"]) * (1 + i["cost_growth"]) ** t
        share = i["there"][t]
        more = sales * i["more_sales"] * share
        fees = i["subscription"] + 12 * i["per_user"] * i["users"] + i["service"]
        fees = fees * (1 + i["fee_rise"]) ** (t - 1) + (i["own_hours"] * i["hour_cost"] if t == 1 else 0.0)
        with_it = sales + more - (costs * (1 - i["less_costs"] * share) + i["cost_of_more"] * more) - fees
        better = with_it - (sales - costs)
        gain.append(better + fees)
        cost.append(fees)
    flows = [a - b for a, b in zip(gain, cost, strict=True)]
    h = i["hurdle"]
    return {
        "worth_gain": worth(gain, h), "worth_cost": worth(cost, h), "npv": worth(flows, h),
        "roi": sum(flows) / sum(cost), "irr": rate_of(flows), "payback": paid_back(flows), "last_gain": better,
    }  # fmt: skip


def loan_lease_cash(i: Inputs, scenario: str) -> Figures:
    n, v = 12 * round(i["kept"]), (1 + i["worth"]) ** (-1 / 12)
    price, kept = i["price"], i["kept"]
    resale = max(0.0, price * (1 - i["fall"]) ** kept - i["km_loss"] * (i["km"] - i["normal_km"]) * kept)
    owed, term = price - i["down"], round(12 * i["loan_years"])
    pay = level(owed, i["loan_rate"], term)
    months = range(1, n + 1)
    upkeep = sum(i["upkeep"] * v**t for t in months)
    paid = sum(pay * v**t for t in months if t <= term)
    left = owed_after(owed, i["loan_rate"], term, n)[n]
    cash = price * (1 - i["discount"]) + upkeep - resale * v**n
    loan = i["down"] + paid + upkeep - (resale - left) * v**n
    charge = max(0.0, i["km"] - i["lease_km"]) * kept * i["over_km"]
    lease = i["lease_first"] + sum(i["lease_month"] * v**t for t in months) + (i["lease_end"] + charge) * v**n
    own = (cash, loan, lease)[round(i["course"])]
    return {
        "still_owed": left, "cash_cost": cash, "loan_cost": loan, "lease_cost": lease,
        "cheapest": min(cash, loan, lease), "course_cost": own, "above": own - min(cash, loan, lease),
        "a_month": own * per_year(i["worth"], kept) / 12, "per_km": own / (i["km"] * kept),
    }  # fmt: skip


def afford(i: Inputs, scenario: str) -> Figures:
    months = round(12 * i["years"])

    def own(price: float) -> float:
        return float(i["down_sum"] if i["down"] else i["down_share"] * price)

    def monthly(price: float) -> float:
        dues = (i["taxes"] + i["insurance"]) / 12 * price
        return level(max(price - own(price), 0.0), i["rate"], months) + dues

    def borne(price: float) -> bool:
        house = monthly(price)
        cash = own(price) + i["closing"] * price
        return bool(
            house <= i["share"] * i["income"]
            and house + i["debts"] <= i["all_share"] * i["income"]
            and cash <= i["savings"] - i["set_by"]
        )

    low, high = 0.0, 1e7
    for _ in range(100):
        middle = (low + high) / 2
        low, high = (middle, high) if borne(middle) else (low, middle)
    cash = own(i["wished"]) + i["closing"] * i["wished"]
    return {
        "highest": low, "room": low - i["wished"], "monthly": monthly(i["wished"]),
        "house_part": monthly(i["wished"]) / i["income"],
        "debt_part": (monthly(i["wished"]) + i["debts"]) / i["income"],
        "cash_taken": cash, "cash_left": i["savings"] - cash,
    }  # fmt: skip


def refinance(i: Inputs, scenario: str) -> Figures:
    term, made, sold = round(12 * i["old_years"]), round(i["made"]), 12 * round(i["kept"])
    old_pay = level(i["old_amount"], i["old_rate"], term)
    old = owed_after(i["old_amount"], i["old_rate"], term, made + 360)[made:]
    costs = i["papers"] + i["leaving"] * old[0]
    amount = old[0] + (costs if i["costs_are"] else 0.0)
    new_term = round(12 * i["new_years"])
    new_pay = level(amount, i["new_rate"], new_term)
    extra = max(0.0, old_pay - new_pay) if i["spare"] else 0.0
    new, new_interest, less = [amount], [0.0], [0.0 if i["costs_are"] else -costs]
    for t in range(1, 361):
        interest = new[-1] * i["new_rate"] / 12
        paid = min(new_pay + extra, new[-1] + interest)
        new_interest.append(interest)
        new.append(0.0 if t >= new_term else new[-1] + interest - paid)
        less.append((old_pay if t <= term - made else 0.0) - (paid if t <= new_term else 0.0))
    monthly = (1 + i["worth"]) ** (1 / 12)
    put_by, ahead = 0.0, []
    for t in range(361):
        put_by = put_by * monthly + less[t]
        ahead.append(put_by + old[t] - new[t])
    even = [t for t in range(1, 361) if ahead[t] >= 0]
    return {
        "better": ahead[sold] / monthly**sold, "ahead_then": ahead[sold], "even_after": even[0] / 12 if even else None,
        "monthly_less": old_pay - new_pay, "cost": costs,
        "interest_old": sum(owed * i["old_rate"] / 12 for owed in old[:sold]),
        "interest_new": sum(new_interest[: sold + 1]),
        "old_ends": (term - made) / 12, "new_ends": next(t for t in range(361) if new[t] <= 0.005) / 12,
    }  # fmt: skip


def guarantor(i: Inputs, scenario: str) -> Figures:
    lent, term = i["price"] + i["funded"] - i["own"], round(12 * i["years"])
    main = owed_after(lent, i["rate"], term, 360)
    works, works_term = i["works"] - i["works_cash"], round(12 * i["works_years"])
    stages, builder, pay, paid = {3: 0.3, 6: 0.4, 9: 0.3}, [0.0], 0.0, [0.0]
    for t in range(1, 361):
        interest = builder[-1] * i["works_rate"] / 12
        now = min(pay, builder[-1] + interest)
        left = builder[-1] + interest - now
        if t in stages:
            left += stages[t] * works
            pay = level(left, i["works_rate"], works_term - (t - 3))
        builder.append(left if t - 3 < works_term else 0.0)
        paid.append(now)
    rise = [(1 + i["rise"]) ** (t / 12) for t in range(361)]
    value = [(i["price"] + (i["added"] * i["works"] if t >= 9 else 0.0)) * rise[t] for t in range(361)]
    owed = [a + b for a, b in zip(main, builder, strict=True)]
    limit, then = i["insured_at"] if i["insured"] else i["release"], round(i["valued"])
    free = [t for t in range(9, 361) if owed[t] / value[t] <= limit]
    bare = [t for t in range(361) if main[t] / (i["price"] * rise[t]) <= limit]
    return {
        "limit": limit, "ratio_now": owed[0] / value[0], "ratio_then": owed[then] / value[then],
        "short_now": max(0.0, owed[0] - limit * i["price"]), "short_then": max(0.0, owed[then] - limit * value[then]),
        "needed": owed[then] / limit, "valued_at": value[then], "released": free[0] / 12, "unaided": bare[0] / 12,
        "insured_is": i["premium"] * owed[then] if i["insured"] else 0.0,
        "monthly": level(lent, i["rate"], term) + paid[10],
        "cash_in": i["own"] + i["unfunded"], "aunt": max(0.0, lent - i["release"] * i["price"]),
    }  # fmt: skip


def land(i: Inputs, scenario: str) -> Figures:
    lease, rights = i["course"] == 1, i["course"] == 2
    bought = round(i["lease_years"]) if lease else 0
    place = (i["better"] if rights else i["price"]) * (1 + i["land_rise"]) ** bought
    to_pay = place - (i["rights"] * place if rights else 0.0)
    loans = [("bank_share", "bank_rate", "bank_years"), ("agency_part", "agency_rate", "agency_years")]
    terms = [(i[a] * to_pay, i[b], round(12 * i[c])) for a, b, c in loans]
    own = to_pay - sum(amount for amount, _, _ in terms) + i["costs"] * place
    cash, own_worth, look = i["cash_now"], [], {}
    least = float("inf")
    for t in range(16):
        payments = sum(12 * level(*term) for term in terms) if t > bought else 0.0
        if t:
            up, dearer = (1 + i["sales_rise"]) ** (t - 1), (1 + i["cost_rise"]) ** (t - 1)
            sales = i["sales"] * up * (1 + (i["more_better"] if rights else 0.0))
            rent = i["rent"] * (1 + i["land_rise"]) ** (t - 1) if t <= bought else 0.0
            surplus = sales * (1 - i["run_share"]) - i["fixed_costs"] * dearer - rent
            debts = payments + i["other_paid"]
            cash += surplus + i["outside"] - i["living"] * dearer - debts
        if t == bought:
            cash -= own
            look["cash"] = cash
        least = min(least, cash)
        ground = to_pay * (1 + i["land_rise"]) ** (t - bought) if t >= bought else 0.0
        owned = max(cash, 0.0) + ground + i["stock"]
        owed = max(0.0, i["other_debt"] - i["other_paid"] * t)
        if t >= bought:
            owed += sum(owed_after(*term, 12 * (t - bought))[-1] for term in terms)
        own_worth.append(owned - owed)
        if t == bought + 1:
            look.update(
                debts=debts, income=surplus + i["outside"], owed=owed, owned=owned, profit=surplus - i["own_pay"],
                free=surplus + i["outside"] - i["living"] * dearer, payments=payments,
            )  # fmt: skip
    return {
        "liquidity": look["cash"] / look["debts"], "capacity": look["free"] / look["debts"],
        "to_income": look["debts"] / look["income"], "to_assets": look["owed"] / look["owned"],
        "on_assets": look["profit"] / look["owned"], "own_cash": own, "leanest": least, "in_ten": own_worth[10],
        "a_year": look["payments"],
    }  # fmt: skip


def stop_working(i: Inputs, scenario: str) -> Figures:
    stops, opens = max(0, round(i["stop"] - i["age"])), max(0, round(i["access"] - i["age"]))
    end, bridge = round(i["last_age"] - i["age"]), max(stops, opens)
    g, k, p = 1 + i["open_grows"], 1 + i["locked_grows"], 1 + i["inflation"]
    pots, needs, pay = (i["open_now"], i["locked_now"]), [0.0], 0.0
    at_stop = at_bridge = left_open = 0.0
    for t in range(1, end + 1):
        opened, locked = pots[0] * g, pots[1] * k
        part = t > stops - i["part_years"]
        if t <= stops:
            pay = i["pay"] * (1 + i["pay_rise"]) ** (t - 1) if i["pay_goes"] == 0 else i["pay_steps"][t] * p**t
            pay *= i["part_share"] if part else 1.0
            opened += pay * (i["part_saved"] if part else i["saved"])
            locked += pay * (i["own_part"] + i["employer"])
        state = i["state"] if i["age"] + t > i["state_age"] else 0.0
        needs.append(max(0.0, i["spending"] - state) * p**t if t > stops else 0.0)
        opened, locked = (opened - needs[t], locked) if t <= opens else (opened, locked - needs[t])
        at_stop = opened if t == stops else at_stop
        if t == bridge:
            left_open = opened
            opened, locked = (0.0, locked + opened) if opened > 0 else (opened, locked)
            at_bridge = locked
        pots = (opened, locked)
    after = needs[end] * p / (i["locked_grows"] - i["inflation"]) if i["lasts"] else 0.0
    open_needed = sum(needs[t] / g ** (t - stops) for t in range(stops + 1, opens + 1))
    locked_needed = sum(needs[t] / k ** (t - bridge) for t in range(bridge + 1, end + 1)) + after / k ** (end - bridge)
    return {
        "open_left": left_open, "locked_left": pots[1] - after, "open_needed": open_needed, "open_there": at_stop,
        "locked_needed": locked_needed, "locked_there": at_bridge,
        "in_todays": (open_needed + locked_needed / k ** (bridge - stops)) / p**stops,
        "last_pay": pay / p**stops,
    }  # fmt: skip


def income_fund(i: Inputs, scenario: str) -> Figures:
    wanted = 12 * round(i["wanted"])
    fund, paid, flows, covered = i["opening"], i["opening"], [-i["opening"]], None
    look: dict[str, float] = {}
    for t in range(1, 481):
        year = (t - 1) // 12
        put = 0.0 if year == 3 and scenario != "no_gap" else min(i["cap"], i["monthly"] * (1 + i["rise"]) ** year)
        pays = i["pays"] * ((1 + i["pays_grow"]) / (1 + i["price_grow"])) ** (t / 12)
        after_tax = fund * pays / 12 * (1 - i["tax"])
        back = after_tax if i["put_back"] == 0 else 0.0
        fund = fund * (1 + i["price_grow"]) ** (1 / 12) + put + back
        paid += put
        flows.append(after_tax - back - put)
        need = i["target"] * (1 + i["inflation"]) ** (t / 12)
        covered = t if covered is None and after_tax >= need else covered
        if t == wanted:
            look = {"fund": fund, "paid": paid, "after_tax": after_tax, "need": need}
    flows = flows[: wanted + 1]
    flows[-1] += look["fund"]
    return {
        "covered_in": None if covered is None else covered / 12, "fund_then": look["fund"],
        "fund_today": look["fund"] / (1 + i["inflation"]) ** i["wanted"], "year_then": 12 * look["after_tax"],
        "covers": look["after_tax"] / look["need"], "of_own": look["paid"] / look["fund"],
        "earned": (1 + (rate_of(flows) or 0.0)) ** 12 - 1,
    }  # fmt: skip


def bond_ladder(i: Inputs, scenario: str) -> Figures:
    first, last, face = round(i["first_due"]), round(i["rungs"]), i["face"]
    price = i["quoted"] * face * (last - first + 1) + i["accrued"]
    paid, value, interest = [0.0] * (last + 1), 0.0, 0.0
    for due in range(first, last + 1):  # bond by bond
        for t in range(1, due + 1):
            coupon = face * i["coupons"][due]
            interest += coupon
            paid[t] += coupon + (face if t == due else 0.0)
    for t in range(1, last + 1):
        value += paid[t] / (1 + i["spot"][t] + i["market_shift"]) ** t
    y = rate_of([-price * (1 + i["fee"]), *paid[1:]])
    assert y is not None
    duration = sum(t * amount / (1 + y) ** t for t, amount in enumerate(paid)) / worth(paid, y)
    return {
        "worth": value, "npv": value - price * (1 + i["fee"]), "yield_held": y,
        "real_yield": (1 + y) / (1 + i["inflation"]) - 1, "duration": duration, "sensitive": duration / (1 + y),
        "all_coupons": interest, "on_price": interest / price / (last - first + 1),
    }  # fmt: skip


def endowment_spending(i: Inputs, scenario: str) -> Figures:
    r, p = (1 + i["earns"]) * (1 - i["charged"]) - 1, 1 + i["inflation"]
    pot, before, spent, pots, empty = i["pot"], 0.0, [0.0], [i["pot"]], None
    for t in range(1, 61):
        gifts = i["gifts"] * p ** (t - 1)
        share = i["share"] * pot
        slow = share if t == 1 else i["slowness"] * before * p + (1 - i["slowness"]) * share
        before = min(pot * (1 + r) + gifts, (share, i["first_sum"] * p ** (t - 1), slow)[round(i["rule"])])
        pot = pot * (1 + r) + gifts - before
        spent.append(before / p ** (t - 1))
        pots.append(pot)
        empty = t if empty is None and pot <= 0.005 else empty
    n = round(i["horizon"])
    return {
        "kept": pots[n] / p**n / i["pot"], "first": spent[1], "last": spent[n], "least": min(spent[1 : n + 1]),
        "for_ever": r - i["inflation"] + i["gifts"] / i["pot"],
        "worth_all": (i["wanted"] - i["gifts"]) / (r - i["inflation"]) if r > i["inflation"] else None,
        "empty_in": empty,
    }  # fmt: skip


BY_HAND: dict[str, Callable[[Inputs, str], Figures]] = {
    "equipment": equipment, "replacement": replacement, "project": project, "loan-lease-cash": loan_lease_cash,
    "afford": afford, "refinance": refinance, "guarantor": guarantor, "land": land, "stop-working": stop_working,
    "income-fund": income_fund, "bond-ladder": bond_ladder, "endowment-spending": endowment_spending,
}  # fmt: skip


def worth(flows: Sequence[float], rate: float) -> float:
    return float(sum(flow / (1 + rate) ** t for t, flow in enumerate(flows)))


def per_year(rate: float, years: float) -> float:
    """What one of today comes to by the year."""
    return float(rate / (1 - (1 + rate) ** -years)) if rate else 1 / years


def rate_of(flows: Sequence[float]) -> float | None:
    """The rate of flows that begin with what is paid; None where nothing comes back."""
    if max(flows) <= 0:
        return None
    low, high = -0.9, 9.0
    for _ in range(200):
        middle = (low + high) / 2
        low, high = (middle, high) if worth(flows, middle) > 0 else (low, middle)
    return low


def paid_back(flows: Sequence[float]) -> float | None:
    """When the running total reaches zero for good, amounts spread over their year."""
    total, at = 0.0, None
    for t, flow in enumerate(flows):
        if total < 0 <= total + flow:
            at = t - 1 - total / flow
        total += flow
    return at if total >= 0 else None


def level(owed: float, rate: float, months: int) -> float:
    i = rate / 12
    return float(owed * i / (1 - (1 + i) ** -months)) if i else owed / months


def owed_after(owed: float, rate: float, months: int, until: int) -> list[float]:
    """What is owed after each month."""
    pay, left = level(owed, rate, months), [owed]
    for t in range(1, until + 1):
        left.append(left[-1] * (1 + rate / 12) - pay if t < months else 0.0)
    return left
