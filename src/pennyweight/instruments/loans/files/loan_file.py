"""Loan files: terms in TOML, events in a CSV beside it; one loan, a takeover, or several loans together."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel

from pennyweight.errors import InputError, PennyweightError, choice, within
from pennyweight.instruments.loans.asked.bill import Bill
from pennyweight.instruments.loans.asked.loan_study import LoanStudy
from pennyweight.instruments.loans.books.events import Event, PaymentHoliday, Recurring
from pennyweight.instruments.loans.files.event_files import read_events
from pennyweight.instruments.loans.files.loan_shapes import (
    BillShape,
    ExtraShape,
    FileShape,
    HolidayShape,
    RefinanceShape,
    Scalar,
    SpareShape,
    TakeoverShape,
    TermsShape,
    TryShape,
)
from pennyweight.instruments.loans.loan import Loan
from pennyweight.instruments.loans.together.loan_set import ORDERS, LoanSet
from pennyweight.instruments.loans.together.takeover import Takeover
from pennyweight.quantities.amounts import read_amount
from pennyweight.quantities.argument_checks import a_path
from pennyweight.quantities.periods import read_per_year
from pennyweight.quantities.units import Style, check_currency, check_locale
from pennyweight.reading.embedded_files import unpacked
from pennyweight.reading.text_files import beside
from pennyweight.reading.toml_files import Source, keys_of, read_toml, shaped

__all__ = ["read_loan_file"]

Made = TypeVar("Made")


def read_loan_file(path: str | Path, *, as_of: str | None = None) -> LoanStudy | LoanSet | Takeover:
    """Read a loan file; InputError with file, line and reason when something in it cannot be right.

    Parameters
    ----------
    path : str | Path
        The file, or a report (.html, .pdf, .xlsx) that Pennyweight made of one: it carries the file.
    as_of : str | None, optional
        The day of which key facts are told, in place of the file's.

    Returns
    -------
    LoanStudy | LoanSet | Takeover
        See `LoanStudy` for what it holds.

    Raises
    ------
    InputError
        Something given cannot be right; the message names it and says what would be.

    Notes
    -----
    A file with `[takeover]` is a loan taken over, one with `[loans.NAME]` several loans, any other one loan with what
    is to be tried out on it.

    Examples
    --------
    >>> from importlib.resources import files
    >>> read_loan_file(str(files("pennyweight.starters") / "loans/studio.toml")).loan.title
    "The ceramicist's studio in Larkmere"
    """
    with unpacked(a_path(path)) as file:
        return _read(file, as_of)


def _read(path: Path, as_of: str | None) -> LoanStudy | LoanSet | Takeover:
    document, source = read_toml(path)
    if "deal" in document and "loan" not in document:
        where = source.where("deal")
        raise InputError(f"{where}: this is a deal file; use 'pennyweight weigh', or Deal.read.", at=where)
    shape = shaped(FileShape, document, source, _keys_at)
    if as_of is not None and shape.takeover is not None:
        raise InputError("as_of: a takeover is told of its own day, 'on' in [takeover]; leave it out.", at="as_of")
    if as_of is not None:
        shape = shape.model_copy(update={"as_of": as_of})
    return _Reader(shape, source).result()


_HAPPENED = ("events", "event_columns", "event_words", "event_dates", "extras", "holidays")
"""What happened to a loan, and so does not happen to an offer."""


class _Reader:
    def __init__(self, shape: FileShape, source: Source) -> None:
        self.shape, self.source = shape, source
        self.shared: dict[str, Any] = {"currency": shape.currency, "locale": shape.locale}

    def result(self) -> LoanStudy | LoanSet | Takeover:
        shape = self.shape
        parts = [name for name in ("takeover", "loans") if getattr(shape, name)]
        alone = [name for name in ("bill", "try_", "refinance", "offers") if getattr(shape, name)]
        if parts == ["takeover"] and alone == ["bill"]:
            alone = []
        if len(parts) == 2 or (parts and alone):
            names = " and ".join(f"[{name.rstrip('_')}]" for name in (*parts, *alone)[:2])
            raise InputError(
                f"{self.source.name}: {names} do not go together; write a file for each.", at=self.source.where()
            )
        if (shape.needs is not None or shape.own is not None or shape.spare is not None) and not shape.loans:
            raise InputError(
                f"{self.source.name}: 'needs', 'own' and 'spare' are for files with several [loans].",
                at=self.source.where(),
            )
        if shape.label is not None:
            where = self.source.where("label")
            raise InputError(f"{where}: the name of the loan stands in 'loan'; leave out 'label'.", at=where)
        own = ("amount", "rate", "years", "payment") if parts != ["takeover"] else tuple(TermsShape.model_fields)
        if parts and (given := [name for name in own if getattr(shape, name) not in (None, [])]):
            where = self.source.where(given[0])
            raise InputError(f"{where}: with [{parts[0]}], write '{given[0]}' inside it.", at=where)
        check_currency(shape.currency, where=self.source.where("currency"))
        check_locale(shape.locale, where=self.source.where("locale"))
        if shape.takeover is not None:
            return self._takeover(shape.takeover)
        if shape.loans:
            return self._set()
        return self._study()

    def _study(self) -> LoanStudy:
        shape = self.shape
        bill = None
        given = _given(shape, TermsShape)
        if shape.bill is not None:
            bill = self._bill(shape.bill, shape.per_year)
            fixed = [name for name in ("amount", "rate") if name in given]
            if "payment" not in given and len(fixed) + ("years" in given or "months" in given) == 2:
                given["payment"] = round(bill.rest, Style(shape.currency).places)
        loan = self._loan(given, title=shape.loan)
        study: dict[str, Any] = {"loan": loan, "bill": bill, "note": shape.note or ""}
        if shape.try_ is not None:
            study |= {"extra": tuple(shape.try_.extra), "paid_off_by": shape.try_.paid_off_by}
        for name, terms in shape.offers.items():
            own = _given(terms, TermsShape)
            base = {key: value for key, value in given.items() if key not in _HAPPENED}
            if {"years", "months", "payment"} & own.keys():
                base = {key: value for key, value in base.items() if key not in ("years", "months", "payment")}
            study.setdefault("offers", {})[name] = self._loan(
                {**base, **own}, "offers", name, title=terms.label or name
            )
        if shape.refinance is not None:
            terms = shape.refinance
            study["refinance"] = {
                **_given(terms, TermsShape),
                "on": terms.on,
                "costs": terms.costs,
                "horizon": terms.horizon,
            }
        return self._in("", lambda: LoanStudy(**study).answer(), *(["refinance"] if shape.refinance else []))

    def _set(self) -> LoanSet:
        shape = self.shape
        needs = None if shape.needs is None else read_amount(shape.needs, what=self.source.where("needs"))
        common = _given(shape, TermsShape)
        loans = {}
        for name, terms in shape.loans.items():
            given = {**common, **_given(terms, TermsShape)}
            amount = given.get("amount")
            if isinstance(amount, str) and amount.strip().endswith("%"):
                if needs is None:
                    where = self.source.where("loans", name, "amount")
                    raise InputError(
                        f"{where}: {amount} is a share of 'needs', which is missing; add 'needs'.", at=where
                    )
                places = Style(shape.currency).places
                given["amount"] = round(needs * read_amount(amount.strip()[:-1]) / 100, places)
            loans[name] = self._loan(given, "loans", name, title=terms.label or name)
        spare: dict[str, Any] = {}
        if shape.spare is not None:
            amount, order = self.source.where("spare", "amount"), self.source.where("spare", "order")
            spare = {"spare": read_amount(shape.spare.amount, what=amount)}
            spare["order"] = choice(shape.spare.order, ORDERS, order)
        return self._in(
            "",
            lambda: LoanSet(
                loans, needs=needs, own=shape.own, title=shape.loan, note=shape.note or "", **spare, **self.shared
            ),
            "spare",
        )

    def _takeover(self, terms: TakeoverShape) -> Takeover:
        given: dict[str, Any] = {name: value for name, value in terms.model_dump().items() if value is not None}
        if self.shape.bill is not None:
            bill = given["bill"] = self._bill(self.shape.bill, terms.per_year)
            known = ("balance", "rate"), ("payments_left", "years_left", "maturity")
            if "payment" not in given and all(name in given for name in known[0]) and not given.keys() & set(known[1]):
                given["payment"] = round(bill.rest, Style(self.shape.currency).places)
        return self._in(
            "takeover", lambda: Takeover(**given, title=self.shape.loan, note=self.shape.note or "", **self.shared)
        )

    def _bill(self, shape: BillShape, per_year: Scalar | None) -> Bill:
        often = read_per_year(_as_often(per_year))
        return self._in("bill", lambda: Bill(**shape.model_dump(), per_year=often))

    def _loan(self, given: dict[str, Any], *keys: str, title: str) -> Loan:
        terms = dict(given)
        terms["events"] = self._events(terms.get("events"), terms, keys)
        terms["extras"] = [
            Recurring(
                one["amount"],
                one["from_"],
                one["to"],
                per_year=one["every"],
                rising=one["rising"],
                where=self.source.where(*keys, "extras", str(k)),
            )
            for k, one in enumerate(terms.get("extras", ()))
        ]
        terms["holidays"] = [
            PaymentHoliday(
                one["from_"],
                one["payments"],
                interest=one["interest"],
                where=self.source.where(*keys, "holidays", str(k)),
            )
            for k, one in enumerate(terms.get("holidays", ()))
        ]
        if terms.get("rounding") == "none":
            terms["rounding"] = None

        def make() -> Loan:
            loan = Loan(**terms, title=title, **self.shared)
            _ = loan.schedule, loan.made, loan.agreed  # what cannot be is told with its line
            return loan

        return self._in(".".join(keys), make, *keys)

    def _events(self, name: str | None, terms: dict[str, Any], keys: tuple[str, ...]) -> list[Event]:
        how = {ours: terms.pop(f"event_{ours}", None) for ours in ("columns", "words", "dates")}
        if name is None:
            if said := [f"event_{ours}" for ours, given in how.items() if given]:
                where = self.source.where(*keys, said[0])
                raise InputError(
                    f"{where} says how a file of events is read; write 'events', too, or leave it out.", at=where
                )
            return []
        where = self.source.where(*keys, "events")
        assert self.source.path is not None
        file = beside(self.source.path, name, where, what="loan file")
        try:
            return read_events(file, shown_as=name, columns=how["columns"], words=how["words"], order=how["dates"])
        except InputError as error:
            key = {"--column": "event_columns", "words": "event_words"}.get(str(error.place or ""))
            if key is None:
                raise
            raise error.placed(self.source.where(*keys, key)) from None

    def _in(self, section: str, make: Callable[[], Made], *keys: str) -> Made:
        """Do it, and tell an error with the line of the key it is about, or of the section."""
        try:
            return make()
        except PennyweightError as error:
            place = error.place
            if place is not None and place.file:  # of a row of events, say: it has its place
                raise
            path = keys or ((section,) if section else ())
            around = self.source.where(*path)
            if place is None:
                raise error.placed(around) from None
            for known in ((*path, *place.keys), ("try", *place.keys), place.keys):
                if self.source.knows(*known):
                    raise error.placed(self.source.where(*known)) from None
            raise error.placed(within(around, f": {place}")) from None


def _as_often(given: Scalar | None) -> str | int:
    return 12 if given is None else (given if isinstance(given, str) else int(given))


def _given(shape: BaseModel, of: type[BaseModel]) -> dict[str, Any]:
    """The terms that are written, without the label."""
    dumped = shape.model_dump()
    return {name: dumped[name] for name in of.model_fields if name != "label" and dumped[name] not in (None, [])}


def _keys_at(path: tuple[str, ...]) -> list[str]:
    """The keys known at a place of the file."""
    shapes: dict[str, type[BaseModel]] = {
        "takeover": TakeoverShape,
        "bill": BillShape,
        "try": TryShape,
        "refinance": RefinanceShape,
        "spare": SpareShape,
        "extras": ExtraShape,
        "holidays": HolidayShape,
        "offers": TermsShape,
        "loans": TermsShape,
    }
    for part in reversed(path):
        if part in shapes:
            return keys_of(shapes[part])
    return keys_of(FileShape)
