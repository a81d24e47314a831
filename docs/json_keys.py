"""What each key of the JSON is, by its last part: a key means the same wherever it stands."""

from __future__ import annotations

__all__ = ["KEYS"]

_TEXT = """
calendar_years: the return of each year, a fraction
errors: how far each may be off, in 95 of 100 runs
kinds: what kind of answer each is
measures: each measure
percentiles: how each measure falls
periods: each line in every period, from period 0
above: from here up the verdict turns
account: what a bank account at `account_at` would have made
accrued: interest accrued since the last coupon, per 100
after: the later scenario or version
after_the_end: events after their loan was paid off
alone: what the step does alone, without the others
alone_error: how far `alone` may be off, in 95 of 100 runs
along: the input along which it was looked, or its values
amount: an amount, in the currency
annualized: as a yearly rate, a fraction
apart: how far the two lie apart, in standard deviations
as_of: the day for which the facts are told
at_high: the measure at the high end
at_least: the least that the goal asks for
at_low: the measure at the low end
at_most: the most that the goal asks for
average_capital: the capital that worked, on average
average_payment: the average of all payments
balance: what is owed, or the account holds, at the end
balance_now: what is owed on that day
base: the value as it stands
before: the earlier scenario or version
begins: whether the line begins inside of what was looked at
below: from here down the verdict turns; under `why` the parts of the figure
benchmark: the benchmark's return
between: where it was looked, from and to
branch: the group by which the sums are told apart, under the name of your column
broken_off: whether it was broken off, so that these are the cases that were done
by_scale: whether values are multiples of a series
by_schedule: what the schedule says
cases: how many cases were drawn
check: what was checked, as a sentence
choices: the words at which the verdict turns
clean: the price without accrued interest, per 100
closing: what the pot holds at the end
compounding: how the rate compounds, times a year
continuous: compounding continuously
convexity: how the duration moves with the yield, in years squared
correction: what stated balances add to what is owed
costs: what the change costs
coupon: the coupon
coupons_worth: what the coupons are worth today, per 100
current_yield: the coupon over the clean price
daily: compounding every day
date: the day
day: the day
deal: the title of the deal
defined: the share of cases in which it is defined
deposit: each deposit
deviation: the standard deviation of the measure over the cases
difference: what is stated less what the schedule says
discounted_payback: years until the running present value stays above zero
distance: how far the value is from turning the verdict, a share of it
drawn: the inputs that are drawn
effective: the effective yearly rate
end: the day on which the period ends
ends: whether the line ends inside of what was looked at
equivalent_annual: the same every year with the same present value
error: how far the share may be off, in 95 of 100 runs
extra: paid on top
extra_needed_reason: why no extra amount is needed
face: the face that is repaid
face_worth: what the repaid face is worth today, per 100
factor: the discount factor
fee: a fee
file: the file that was read
filled: the formula with its numbers
flows: money paid in or taken out
forever: whether it goes on for ever
format: the version of these keys
formula: the formula, or where the value was given
fortnightly: compounding every two weeks
from: the value before
gain: what was gained
goals: the goals that turn there
half-yearly: compounding twice a year
held: the inputs that were not drawn, and why
high: the high end
history: whether it lies before the day of the facts
horizon: years after the change at which both loans are compared
idle: why the input moves nothing
in_all: its share of the variance together with the others
in_all_error: how far `in_all` may be off, in 95 of 100 runs
input: the name of the input
inputs: the inputs, several where they move together
interest: interest
interest_after: the interest from then on with the new loan
interest_left: the interest from then on without a change
interest_saved: how much less interest is paid
interest_to_come: the interest still to come
interest_to_date: the interest paid so far
irr: the internal rate of return, a fraction; null where there is none, or several
irrs: every internal rate of return
kind: what kind of change it is
label: the name as people read it
last: whether the step is taken after all others
last_payment: the last payment
last_payment_note: why the last payment is well above the others
limits: where the figure stops existing
loans: how many loans
low: the low end
macaulay_duration: the average time of the payments, in years
mean: the mean of all cases
mean_error: how far the mean may be off, in 95 of 100 runs
measure: the name of the measure
met: whether the goal is met; of many cases in which share
missed: in which share the goal is missed; of inputs their mean in the missed cases
modified_duration: by which share the price falls for a yield one point higher
modified_irr: the rate with `reinvested_at` and `borrowed_at`
money_in: all that comes in
money_out: all that goes out
month: the month
monthly: compounding every month
name: the name
nearly: in which share the goal is nearly met
next_interest: the interest of the next payment
next_principal: what the next payment pays off
not_taken: what was paid beyond what was owed, and is not counted
not_varied: numbers written in formulas, which nothing varies
npv: the net present value
number: the number of the payment, from 1
of: the account
of_other_loans: events of loans that the book does not have
of_range: the distance as a share of its low-high range
on: the day of the change
opening: what the pot holds today
others: in the other cases
outlays: all outlays
over_span: over the whole span, a fraction
owed: what is owed today
paid: whether payments come at the end or the start of a period; what was paid
paid_off: when it is paid off
paid_off_on: the day on which it is paid off
paid_out: what is paid out
paid_so_far: what was paid so far
passed: whether the check holds
payback: years until the running total stays above zero
payback_first_crossing: years until it is first above zero
payment: the payment
payment_after: the payment of the new loan
payment_before: the payment of the old loan
payment_now: the payment due now
payments: how many payments
payments_made: how many payments were made
payments_saved: how many payments fewer
pays_after: after how many payments the change has paid for itself
pays_from: the day from which the change has paid for itself
pays_off: whether the deal pays off there
per_period: the rate of one period
per_year: how often a year is paid
period: the period
plain: whether plain numbers were drawn, not spread points
pot: what the pot holds today
pot_left: what is left in the pot
principal: what is paid off
principal_leads: the payment from which more is paid off than interest
profitability_index: present value in over present value out
put_in: what was put in on balance
quarterly: compounding every quarter
rate: a yearly rate, a fraction
real: the rate after inflation
reason: why there is none
reasons: by scenario why nothing was found
refused: why there are no shares
rejected: how many were left out because they cannot be
remarks: what is to be said of the deal or the differences
return: the return, a fraction
roi: gain over what was laid out
rows: how many rows, or the rows
scenario: the scenario
scenarios: the scenarios, by name
seed: the seed of the draws
settlement: the day of payment
share: what the step adds, in the unit of the measure
slack: how much is to spare; below zero what is missing
so_that: the condition
span: how long the flows last, in years
start: the day on which the period begins
state: met, nearly or missed
stated: what the statement says
still_owed: what is still owed at the end
still_to_pay: what is still to be paid
swing: how far the measure lies apart at the two ends
tables: the deal's own tables
times: how many times as much it is to become
timing: when in its day a flow comes
title: the title
to: the value after
total_fees: all fees
total_interest: all interest
total_paid: all that is paid
turns_at: the value at which the verdict turns
twice-monthly: compounding twice a month
undefined: why a figure is undefined; the share of cases in which it is
unit: the unit
unused: columns that nobody read
used: how many were used
value: the figure
values: the values of the input
verdict: pays off, nearly, or falls short
verdict_high: the verdict at the high end
verdict_low: the verdict at the low end
weekly: compounding every week
what: what was done
where: the line of the file
withdrawal: the first withdrawal
word: the word that differs most, of an input with choices
worst_5: the mean of the worst 5 % of the cases
worst_side: whether the lowest or the highest are the worst
year: the year
yearly: compounding once a year
years: years
yield: the yearly yield
"""

KEYS = dict(line.split(": ", 1) for line in _TEXT.strip().split("\n"))
"""By the last part of a key what stands there."""
