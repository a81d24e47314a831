"""Write what is generated from the code: the JSON Schemas beside the starters, and docs/language.md."""

from __future__ import annotations

import datetime as dt
import json
import re
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from pennyweight import Deal
from pennyweight.deals.file.shape import SECTIONS, AxisShape, ColumnShape, DealShape, OverrideShape, TimelineShape
from pennyweight.deals.language.functions import FUNCTIONS
from pennyweight.deals.parts import PARTS, RESERVED
from pennyweight.instruments.loans.files.keys import LOAN_KEYS
from pennyweight.instruments.loans.files.loan_shapes import FileShape
from pennyweight.quantities.units import UNITS
from pennyweight.reading.toml_files import keys_of
from pennyweight.reading.toml_schema import schema_of

ROOT = Path(__file__).parent.parent
SCHEMAS = ROOT / "src/pennyweight/starters/schemas"

EXAMPLE: dict[str, Any] = {
    "deal": "Ropewalk",
    "currency": "EUR",
    "timeline": {"period": "quarter", "periods": 8, "start": dt.date(2027, 1, 1)},
    "inputs": {"price": 9_000, "hurdle": "8%"},
    "sets": {
        "stalls": {
            "rows": [{"stall": "Tea", "area": 12, "rent": 300}, {"stall": "Rope", "area": 30, "rent": 240}],
            "columns": {"rent": {"unit": "money"}, "area": {"unit": "m2"}},
        }
    },
    "brackets": {"levy": {"steps": {"0": "0%", "2_000": "10%", "5_000": "20%"}}},
    "money_in": {"sales": {"formula": "1_600 + 50 * t", "from": 1}},
    "money_out": {"rope": {"formula": "price", "at": 0}},
    "levels": {"stock": {"formula": "prior(stock) + 10", "start": 100}},
}
"""The small deal in which the examples of the functions are worked out."""


def main() -> None:
    """Write everything."""
    for path, text in generated().items():
        path.parent.mkdir(exist_ok=True)
        path.write_text(text, encoding="utf-8")
        print(f"Written: {path.relative_to(ROOT)}")


def generated() -> dict[Path, str]:
    """Every generated file with what it must say."""
    deal = schema_of(DealShape, "A deal file of Pennyweight")
    loan = schema_of(FileShape, "A loan file of Pennyweight", LOAN_KEYS)
    return {
        SCHEMAS / "deal.schema.json": json.dumps(deal, indent=1) + "\n",
        SCHEMAS / "loan.schema.json": json.dumps(loan, indent=1) + "\n",
        ROOT / "docs/language.md": language(),
    }


def shown(name: str) -> str:
    """What the example of a function gives in the small deal."""
    function = FUNCTIONS[name]
    runs = re.search(r"\bt\b", function.example) is not None
    section = "lines" if function.result == "line" or runs else "measures"
    made = Deal.from_dict({**EXAMPLE, section: {"asked": {"formula": function.example}}})
    weighing = made.weigh()
    if section == "lines":
        return ", ".join(f"{value:,.4g}" for value in weighing.line("asked")[:4]) + " …"
    figure = weighing.measures["asked"]
    return made.definition.style.with_unit(figure.value, figure.unit)


def language() -> str:
    """The reference of the language."""
    parts = [HEAD]
    shapes: dict[str, type[BaseModel]] = {"timeline": TimelineShape, **SECTIONS}
    for section in shapes:
        words = DealShape.model_fields[section].description
        parts.append(f"### `[{section}]`\n\n{words}\n")
        parts.append(_keys(shapes[section]))
        if section == "scenarios":
            parts.append(
                "What a scenario may say of an input: " + ", ".join(f"`{k}`" for k in keys_of(OverrideShape)) + ".\n"
            )
        if section == "sets":
            parts.append("A column may say " + ", ".join(f"`{k}`" for k in keys_of(ColumnShape)) + ".\n")
        if section == "tables":
            parts.append("`by.NAME` may be a table with " + ", ".join(f"`{k}`" for k in keys_of(AxisShape)) + ".\n")
    parts.append(RULES)
    parts.append(
        "## Units\n\n"
        + "\n".join(f"- `{unit}`: {words}" for unit, words in UNITS.items())
        + "\n\nAny other word is shown behind the figure.\n"
    )
    parts.append(
        "## Names that are there already\n\n"
        + ", ".join(f"`{name}`" for name in sorted(RESERVED))
        + ". Parts of a loan: "
        + ", ".join(f"`.{part}`" for part in PARTS)
        + ".\n"
    )
    parts.append(FUNCTIONS_HEAD)
    parts += [
        f"| `{function.signature}` | {function.summary} | `{function.example}` | {shown(function.name)} |"
        for function in FUNCTIONS.values()
    ]
    return "\n".join(parts) + "\n"


def _keys(shape: type[BaseModel]) -> str:
    rows = [f"| `{field.alias or name}` | {field.description} |" for name, field in shape.model_fields.items()]
    return "\n".join(["| key | |", "|---|---|", *rows, ""])


HEAD = """# The deal language

Generated from the code by `docs/make_reference.py`; do not edit. A deal is a TOML file. Editors that know JSON
Schema complete and check it by the first line of every starter, `#:schema deal.schema.json`.

All keys but `deal` are optional. An input, a value, a line, a level, a measure or a check may be written as a
bare value.

## Sections
"""

RULES = """## Periods

A bare integer is a period; `"year 3"` is a stretch: `from` and `steps` take its first period, `at`, `to`,
`paid_out` and `advances` its last, `set` all of it. A date (with a `start` under `[timeline]`) is the period that
holds it: the one that ends on that day or next. `"end"` is the last period, `"never"` none. A formula must come to
a whole period. In formulas `t` is the period, `year` the year it lies in, `per_year` the periods in a year, `end`
the last period.

## Formulas

Arithmetic (`+ - * / **`), comparisons, `and or not`, `a if c else b`, names, functions, numbers with `_`,
percentages (`4.6%`), rates in quotes (`'6% monthly'`), days in quotes (`'2027-03-15'`), and a choice compared with
one of its words (`mooring == 'rented'`). Every rate is yearly, every span is in years. A question's name is its
answer; an answer that is not the only one is undefined.

A line is 0 before it runs. `first_period(condition)` therefore looks from period 1 when the condition names amounts
and all of them begin there; `first_period(condition, 0)` looks from the first day whatever it names.

Functions over time take all their periods unless they are told a window: `total(x, 13, 24)`, both ends in. A window
may run with time: `total(noi, t - 11, t)` is the last twelve months in each month, `average(trips, t - 3, t - 1)`
the mean of the three before. It is cut to where the function begins without one (`total` in period 0, the others in
period 1); `average` divides by what is left, a `total` of no period is 0, the others are undefined then, and a
window that ends beyond the timeline is undefined. `where = condition` leaves periods out, and nothing else does: an
undefined period that is left in makes the figure undefined, `lowest(cover, where = debt > 0)` leaves out those
without debt. In `npv`, `irr`, `payback` and their kin a period that is left out is a flow of 0.

`paid = 'middle'` in `npv` and `irr` counts each amount in the middle of its period, half a period earlier (period 0
where it is); `counted = 'days'` counts by real days over 365 from period 0.

`counted_to` under `[timeline]` ends the deal in a period, such as `"year held"`: after it `money_in`, `money_out`,
`net_before_loans`, `net` and the loans are 0, and functions over time without a window stop there, while a line that is
read by its own name goes on, so that a sale can be priced on next year's income (`total(noi, t + 1, t + 12)`). What a
loan still owes is repaid then: it stands in its `.principal`, its `.flow` and `.settled`, not in its `.payment`.

`at` looks back and ahead: `at(x, t - 12)` is a year ago in months, `at(noi, t + 1)` the next period's. Outside the
timeline it is undefined, unless it says `at(x, t - 3, otherwise = 0)`. A line that is worked out of itself can only
look back. `undefined` is a word: `cfads / service if service > 0 else undefined`.

A share or a rate is a percentage in quotes ("5%") or a fraction (0.05); a bare 5 is refused, for it would be 500 %.

## Many of the same

`[sets.tenants]` has a row for each thing: of a file (`file = "tenants.csv"`, a workbook or Parquet) or written in the
deal (`rows = [{ … }, { … }]`). `name` is the column that names a row (left out, the first); the names are unique. The
other columns are numbers, days or words, as their cells show; `[sets.tenants.columns]` says the `unit`, the `label`,
what an empty cell stands for (`empty = 0`, `empty = "never"`; else it is refused) and how far a column is likely to go,
as multiples of all its values (`low = 0.9`). Formulas name a column `tenants.rent`.

What says `each = "tenants"` (a value, a line, a level, a loan, a measure, a check) is worked out for each of them. In
a formula of the same set its name is this thing's; elsewhere it stands only inside `sum_of`, `average_of`,
`lowest_of`, `highest_of`, `count_of` and `one_of(rented, 'Bakery')`, which may hold whole expressions
(`sum_of(tenants.rent * tenants.area) / sum_of(tenants.area)`), of one set at a time. Under `[money_in]` and
`[money_out]` each thing's amounts count in by themselves, and so do the flows of a loan with `each`. A goal on a
measure with `each` is met when every thing meets it.

Scenarios and everything else that changes inputs take a column as a whole (`tenants.rent = { scale = 0.9 }`,
`tenants.starts = { shift = "3 months" }`) or one thing's own value (`tenants.Bakery.rent = 210`: the column follows the
last dot), which then does not move with its column. A thing may not bear the name of a column. Questions, tables,
`find` and `vary` move a column by a multiple of all its values (`vary offices.toml tenants.rent=0.8..1.1/4`), and a
column of days by months (`find shops.toml shops.opens "npv >= 0"`, `by = { "shops.opens" = "0..12:3" }`): an answer is
so many months later, or sooner.

`[sets.cohorts] every = "period"` has one thing a period, from period 0 to the end: `cohorts.born` is its period,
`cohorts.age` how many periods ago that is. Nothing of a cohort runs before age 0, and the `start` of a level is its
value then. `by_age(new, curve)` is the same without a set: what was begun in each period, times the curve at its age.

## Brackets

`[brackets.income_tax] steps = { 0 = "0%", 12_000 = "20%", 50_000 = "40%" }`, or a `file` with the amounts and the
values. `graduated(x, income_tax)` charges every slice at its own value: 0 up to 12,000, a fifth of what lies between
12,000 and 50,000, two fifths of the rest; below 0 it is 0. `looked_up(x, income_tax)` is the value of the step in
which x lies (a step begins at its amount; below the first it is undefined), `interpolated(x, curve)` goes straight
between the points and is undefined beyond them. The amounts are those of a period; with `per = "year"` the year's sum
of a line is charged in the year's last period. Scenarios and everything else that changes inputs move the values by
`scale` and `shift`, never the amounts.

## Splits of proceeds

`[splits.proceeds]` gives what a line has (`of`, never below 0) to the parties that paid in (`paid_in = { investor =
"calls", sponsor = "own_calls" }`), tier by tier: `{ rate = "8%" }` brings what was paid in back with 8 % a year,
compounded by the period, to each in proportion to what it is owed (a second one with a higher rate brings what that
lacks on top); `{ catch_up = "sponsor", to = "20%", share =
"100%" }` gives the sponsor all that comes until it has a fifth of what was given beyond what was paid in, without
what it got on its own money; `{ shares = { investor = "80%", sponsor = "20%" }, until = { investor = "15%" } }` goes
on until the investor has earned 15 % a year; the last tier, `{ shares = … }`, takes all the rest. Formulas name
`proceeds.investor`, `proceeds.investor_1` (what it gets in the first tier), `proceeds.tier_1` and the level
`proceeds.owed_1`, what the tier still lacks.

## Loans

A loan drawn in stages (`advances`) pays on what is drawn so far; at each stage the payment is worked out anew over
the payments that remain. One taken over (`payments_made`) has its original amount and term, and comes in at what is
owed after these payments; the price includes it. With a `balloon` the payment is worked out over the whole term, and
what is left falls due after so many years from the day the loan was made. `loan_payment` is paid monthly, whatever
the timeline, unless `per_year` says otherwise.

## Questions

`find` looks from `low` or less to `high` or more: amounts and counts from 0 to four times their value and, when that
holds no answer, to a hundred times as much; shares from 0 to 100 %, rates from -50 % to 100 %, spans to the end. The
value that makes a figure `most` or `least` is looked for between `low` and `high`, when the input has both. `between`
says otherwise.

## Values in the place of formulas

A name under `[values]` may be given a number wherever an input may: in scenarios, `--with`, `vary`, `find`, questions
and tables. Its formula then is set aside, and the page says so. `scale` and `shift` work on what the formula comes to.

## What a deal solves itself

An input may be found instead of given: `facility = { so_that = "lowest(cfads / service, where = service > 0) >= 1.30",
pick = "largest", between = [10_000_000, 100_000_000], unit = "money" }`. The deal uses what was found, unrounded, in
every scenario, table, case of `vary`, question and turning point, each solved anew with its own inputs. `between` says
where it is looked for; where several values do, `pick` says which is meant, and without it the input is undefined, as
it is where none does. What is asked may read another solved input, which then is found first; two cannot need each
other. A value from a scenario, `--with` or `vary` sets the solving aside.

## What is uncertain

`low` and `high` say how far an input may go; `uncertain` says how it falls where cases are drawn (`simulate`,
`drivers`):

| written | how it falls |
|---|---|
| `"triangular"`, `"uniform"`, `"pert"` | from `low` to `high`; its value is the likeliest |
| `{ shape = "normal", deviation = 15_000 }`, `"lognormal"` | about its value, the mean, by this standard deviation |
| `{ 6 = 1, 7 = 3, 9 = 1 }`, `{ own = 3, rented = 1 }` | one of whole values or words, by their weights |
| `{ file = "prices.csv", column = "price" }` | one of the values of a column |
| `{ yearly = "10%", persists = "60%" }` | a series: a step a year, of which so much lasts into the next year |
| `{ all_years = "10%" }` | a series: all its values up or down together |
| `{ file = "fuel.csv", column = "price", blocks = 3 }` | a series: as the history went, so many years at a time |

A series of amounts is multiplied by a factor whose mean is one: its logarithm is x with x1 = e1 and xn = persists x
xn-1 + en, e normal with the deviation `yearly`, the same factor in all periods of a year; period 0 is known. To rates
and shares x is added. Of a series, `low` and `high` are multiples of all its values, as of a column of a set. A share
that falls by a bell curve is drawn again outside 0 to 100 %, a term of a loan below what it may be. A column of a set
falls as one multiple for all; with `each = true` every thing falls for itself.

`moves_with = { inflation = 0.6 }` says how closely two inputs move together, by Spearman's rank correlation from -1
to 1; series that wander do so year by year. Values that fall by weights attain less than is asked, which is told.
`decision = true` marks what one decides oneself: it is never drawn, and neither are facts, days, what a scenario sets
or a question looks for, and words and whole values without weights. Where no input is `uncertain`, every one with a
low and a high is drawn as a triangle about its value.

A scenario may have a `probability`; the deal as it stands takes what is left of 100 %, and `compare` gives means and
chances by them.

## Charts

A line is drawn from the period in which it begins. `from` and `to` end the picture, at a period or at one that a
formula works out of inputs, such as `to = "life"`.

## Scenarios

`based_on` names one scenario or several, which apply in their order. `all_inputs = "worst"` moves each range, alone,
to the end that hurts the first goal, or the figure `judged_by`; what the scenario itself says of an input counts
more. `undo = ["contribution.set"]` switches off the `set` of a line.
"""

FUNCTIONS_HEAD = """## Functions

Worked out in a small deal: eight quarters from 2027-01-01, `sales` of 1,600 + 50 t a quarter, `rope` for 9,000 at the
start, `stock` a level that grows by 10 from 100; `stalls` a set of two, Tea (area 12, rent 300) and Rope (30, 240);
`levy` brackets of 0 % from 0, 10 % from 2,000, 20 % from 5,000.

| function | what it gives | example | there |
|---|---|---|---|"""


if __name__ == "__main__":
    main()
