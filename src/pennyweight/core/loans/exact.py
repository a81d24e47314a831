"""One loan as a lender's books have it: whole units of the currency, exactly, payment by payment.

The rules. The rate per period is never rounded. The level payment is rounded. The interest of a period is the opening
balance times the rate, rounded once; by days it is the sum over the days' balances. A payment covers interest first,
then principal; what it leaves of the interest is added to the balance. An extra payment follows the due one of the same
day. The loan ends at the first payment that is at least opening balance plus interest, and that payment is exactly
this sum; the agreed last payment clears what is left. Where the rate changes, the payment is worked out anew over the
payments that remain.

Amounts are integers of the smallest unit, or floats when nothing is rounded. Many loans at once: see `batch`.
"""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction

from pennyweight.core.loans.agreement import LONGEST, Agreement, Books, Entry, Setting
from pennyweight.core.loans.level_payment import exact_level_payment
from pennyweight.core.loans.rounding import ROUNDINGS, Units, half_up, rounded

__all__ = ["keep_books"]


_GROWN = 1_000  # times the loan: what has grown so far is never paid off


def keep_books(agreed: Agreement, entries: Iterable[Entry] = (), *, stop: int = LONGEST) -> Books:
    """Return the rows from the first payment until nothing is owed, `stop` at most.

    >>> terms = Agreement(amount=1000, rate=Fraction(12, 100), periodic=lambda rate: rate / 12, count=3, payment=340)
    >>> [balance for *_, balance in keep_books(terms).rows]
    [670, 337, 0]
    """
    return _Clerk(agreed, entries, stop).books


class _Clerk:
    def __init__(self, agreed: Agreement, entries: Iterable[Entry], stop: int) -> None:
        self.terms, self.books, self.stop = agreed, Books(), stop
        self.balance, self.yearly, self.count = agreed.amount, agreed.rate, agreed.count
        if self.count is not None and agreed.at_start and agreed.residual:
            self.count += 1
        self.rate = agreed.periodic(agreed.rate)
        self.level: Units = 0
        self.anew = True
        self.by_number: dict[int, list[Entry]] = {}
        for entry in entries:
            self.by_number.setdefault(entry.number, []).append(entry)
        stated = [
            self.plain(entry.value) for found in self.by_number.values() for entry in found if entry.what == "balance"
        ]
        self.most = _GROWN * max(agreed.amount, *stated, 1)
        # What happens before the first payment and is part of a balance stated there stands in the first row.
        before = self.by_number.pop(0, [])
        if before:
            self.set_payment(1)  # as agreed: a statement does not move it
        self.opening = self.after_payment(before)
        self.busy = sorted({*self.by_number, *agreed.holidays, *([1] if before else [])})
        self.work()

    def work(self) -> None:
        terms, number = self.terms, 1
        simple = (
            terms.shape == "level"
            and terms.shares is None
            and terms.rounding is not None
            and ROUNDINGS[terms.rounding].interest is half_up
        )
        while number <= self.stop:
            if self.anew:
                self.set_payment(number)
            ahead = next((k for k in self.busy if k >= number), None)
            special = number <= terms.interest_only or (number == 1 and (terms.odd or terms.at_start))
            if simple and not special and ahead != number:
                number = self.plain_run(number, ahead)
            else:
                self.one_payment(number)
                number += 1
            if self.books.stuck or not self.balance:
                break
        else:
            if self.stop == LONGEST:
                self.books.stuck = (number, self.level, self.balance)
        for left in sorted(self.by_number):
            for entry in self.by_number[left]:
                self.books.unused.append((entry, 0 if entry.what == "rate" else self.plain(entry.value)))

    def plain_run(self, number: int, ahead: int | None) -> int:
        """Level payments up to the one before the next entry, in one tight loop; the number after them."""
        balance, payment, rows = int(self.balance), int(self.level), self.books.rows
        up, down = self.rate.numerator, self.rate.denominator
        quick, twice = up / down, 2 * down
        # What the agreed last payment left is cleared by the next; without an agreed one none clears by itself.
        last = self.stop + 1 if self.count is None else max(self.count, number)
        stop = min(last, self.stop, (ahead or LONGEST + 1) - 1)
        while number <= stop:
            close = balance * quick
            interest = int(close)
            part = close - interest
            # In floats, unless it is too near to a half to be sure.
            if close < 1e9 and not 0.499999 < part < 0.500001:
                interest += part > 0.5
            else:
                interest = (2 * balance * up + down) // twice
            owed = balance + interest
            if payment >= owed or number >= last:
                rows.append((owed, interest, 0, 0, 0))
                self.balance = 0
                return number + 1
            if payment <= interest and ((self.count is None and ahead is None) or balance > self.most):
                self.books.stuck = (number, payment, interest)
                return number
            balance = owed - payment
            rows.append((payment, interest, 0, 0, balance))
            number += 1
        self.balance = balance
        return number

    def one_payment(self, number: int) -> None:
        """One payment with whatever happens in its period."""
        terms, entries = self.terms, self.by_number.pop(number, [])
        holiday = terms.holidays.get(number)
        for entry in entries:
            if entry.what == "rate" and not entry.share:
                self.change_rate(entry)
                if self.anew:
                    self.set_payment(number)
        interest, extra, correction = self.interest(number, [entry for entry in entries if entry.share])
        extra, correction = extra + self.opening[0], correction + self.opening[1]
        self.opening = (0, 0)
        owed = self.balance + interest
        due = self.due(number, interest, holiday)
        paid = [entry for entry in entries if entry.what == "paid"]
        for entry in paid:
            due = self.plain(entry.value)
        if not paid and not holiday and self.count is not None and number >= self.count:
            due = owed
        if due >= owed or (self.terms.rounding is None and due >= owed * (1 - 1e-12)):
            for entry in paid:
                if due > owed:
                    self.books.unused.append((entry, due - owed))
            due = owed
        elif owed > self.most or self.is_stuck(number, due > interest or bool(paid or holiday)):
            self.books.stuck = (number, due, interest)
            return
        self.balance = owed - due
        after = self.after_payment([entry for entry in entries if entry.share is None])
        extra, correction = extra + after[0], correction + after[1]
        self.books.rows.append((due, interest, extra, correction, self.balance))
        if holiday and number + 1 not in terms.holidays:
            self.moved(terms.holiday_moves)
        if number == terms.interest_only:
            self.anew = True

    def interest(self, number: int, inside: list[Entry]) -> tuple[Units, Units, Units]:
        """(interest, extra paid, correction) of a period; what happens inside it counts from its day on."""
        terms = self.terms
        if number == 1 and terms.at_start:
            return 0, 0, 0
        if terms.shares is None:
            factor = self.rate + (self.yearly * terms.odd if number == 1 else 0)
            return self.whole(self.balance, factor), 0, 0
        total, since = Fraction(0), Fraction(0)
        exact: Units = 0.0
        extra: Units = 0
        correction: Units = 0
        for entry in [*sorted(inside, key=_in_turn), None]:
            until = terms.shares(number) if entry is None else (entry.share or Fraction(0))
            if terms.rounding is None:
                exact += self.balance * float(self.yearly * (until - since))
            else:
                total += int(self.balance) * self.yearly * (until - since)
            since = until
            if entry is None:
                break
            if entry.what == "rate":
                self.change_rate(entry)
            elif entry.what == "extra":
                extra += self.pay_extra(entry)
            elif entry.what == "balance":
                correction += self.state(entry)
        return (exact if terms.rounding is None else rounded(total, terms.rounding)), extra, correction

    def after_payment(self, entries: list[Entry]) -> tuple[Units, Units]:
        """(extra paid, correction) of what follows a day's payment: extra payments, then what is stated."""
        extra = sum(self.pay_extra(entry) for entry in entries if entry.what == "extra")
        return extra, sum(self.state(entry) for entry in entries if entry.what == "balance")

    def due(self, number: int, interest: Units, holiday: str | None) -> Units:
        terms = self.terms
        if holiday:
            return interest if holiday == "paid" else 0
        if number <= terms.interest_only or terms.shape == "interest":
            return interest
        return self.level + interest if terms.shape == "principal" else self.level

    def set_payment(self, number: int) -> None:
        """Work the payment out anew from the balance over the payments that remain."""
        terms = self.terms
        self.anew = False
        if number <= terms.interest_only or terms.shape == "interest":
            return
        over = (terms.spread or terms.count or 0) - number + 1
        if terms.payment is not None and (not self.books.settings or terms.count is None):
            self.level = terms.payment
        elif over < 1:
            return
        elif terms.shape == "principal":
            left = Fraction(self.balance - terms.residual) / over
            self.level = float(left) if terms.rounding is None else ROUNDINGS[terms.rounding].payment(left)
        else:
            first = terms.at_start and number == 1
            gap = over + (1 if terms.at_start and not first else 0)
            self.level = exact_level_payment(self.balance, self.rate, over, terms.residual, gap, first, terms.rounding)
        settings = self.books.settings
        if settings and settings[-1].number == number:
            settings.pop()  # something else has moved it on the same day
        settings.append(Setting(number, self.balance, self.yearly, self.rate, max(over, 0), self.level))

    def change_rate(self, entry: Entry) -> None:
        self.yearly = Fraction(entry.value)
        self.rate = self.terms.periodic(self.yearly)
        self.moved(self.terms.rate_moves)

    def moved(self, what: str) -> None:
        """Either the payment is worked out anew, or the agreed end no longer holds."""
        if what == "payment":
            self.anew = self.terms.count is not None
        elif self.terms.shape == "level":
            self.count = None

    def pay_extra(self, entry: Entry) -> Units:
        given = self.plain(entry.value)
        taken = min(given, self.balance)
        if taken < given:
            self.books.unused.append((entry, given - taken))
        self.balance -= taken
        if taken and self.terms.extra_moves == "payment":
            self.moved("payment")
        return taken

    def state(self, entry: Entry) -> Units:
        stated = self.plain(entry.value)
        self.books.corrections[entry.key] = (self.balance, stated)
        difference = stated - self.balance
        self.balance = stated
        if difference and self.terms.balance_moves != "last payment":
            self.moved(self.terms.balance_moves)
        return difference

    def is_stuck(self, number: int, moves: bool) -> bool:
        """Whether nothing will ever bring the balance down."""
        terms = self.terms
        later = bool(self.by_number) or any(k > number for k in terms.holidays)
        only_now = number <= terms.interest_only and terms.shape != "interest"
        return not (moves or later or only_now or self.count is not None)

    def whole(self, balance: Units, factor: Fraction) -> Units:
        if self.terms.rounding is None:
            return balance * float(factor)
        return rounded(int(balance) * factor, self.terms.rounding)

    def plain(self, value: Fraction | Units) -> Units:
        return float(value) if self.terms.rounding is None else int(value)


def _in_turn(entry: Entry) -> tuple[Fraction, bool]:
    """The order inside a period: day by day, and what is stated of a day after what is paid on it."""
    return entry.share or Fraction(0), entry.what == "balance"
