"""Exports of invented banks, brokers and lenders, each in a layout of its own, and what stands in them.

`FIRST` were written before the reader, `LATER` after it was done. Each is a file's bytes, the words with which it is read,
and what a person reads in it: flows as (day, amount), statement rows as (day, account, kind, amount), levels as (day,
level), events as (day, what, amount).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

__all__ = ["FIRST", "LATER", "Export"]


@dataclass(frozen=True)
class Export:
    """A file as it comes, how it is asked for, and what it says."""

    holds: Literal["flows", "statement", "levels", "events"]
    content: bytes
    says: list[tuple[Any, ...]]
    columns: dict[str, str] = field(default_factory=dict)
    kinds: dict[str, str] = field(default_factory=dict)
    dates: str | None = None
    ending: str = ".csv"


def _text(text: str, encoding: str = "utf-8") -> bytes:
    return text.lstrip("\n").encode(encoding)


FIRST: dict[str, Export] = {
    "a savings bank, semicolons, lines before and after": Export(
        "flows",
        _text(
            """
Sparhafen Larkmere;;;
Kontoauszug;DE00 1234;;
Zeitraum;01.01.2027 bis 31.03.2027;;

Buchungstag;Valuta;Verwendungszweck;Betrag
04.01.2027;05.01.2027;Anzahlung Bootshaus;-12.500,00
15.02.2027;15.02.2027;Miete März für die Werft;1.250,50
31.03.2027;31.03.2027;Miete;980,00
Kontostand am 31.03.2027;;;4.711,00
""",
            "cp1252",
        ),
        [("2027-01-04", -12500.0), ("2027-02-15", 1250.5), ("2027-03-31", 980.0)],
    ),
    "debit and credit columns, day first": Export(
        "flows",
        _text(
            """
Date,Description,Debit,Credit,Balance
13/01/2027,Kiln bought,"4,200.00",,800.00
28/01/2027,Workshop,,350.00,"1,150.00"
03/02/2027,Workshop,,420.75,"1,570.75"
"""
        ),
        [("2027-01-13", -4200.0), ("2027-01-28", 350.0), ("2027-02-03", 420.75)],
        columns={"out": "Debit", "in": "Credit"},
    ),
    "written-out months, own words for kinds": Export(
        "statement",
        _text(
            """
"Quayside Brokers activity report"
"Prepared for the choir"

"Trade Date","Account","Activity","Amount"
"Dec 31, 2026","Fund","Market value","100,000.00"
"Mar 15, 2027","Fund","Contribution","5,000.00"
"Mar 20, 2027","Fund","Employer match","500.00"
"Jun 30, 2027","Fund","Market value","108,250.00"
"End of report"
"""
        ),
        [
            ("2026-12-31", "Fund", "value", 100000.0),
            ("2027-03-15", "Fund", "deposit", 5000.0),
            ("2027-03-20", "Fund", "deposit", 500.0),
            ("2027-06-30", "Fund", "value", 108250.0),
        ],
        columns={"kind": "Activity"},
        kinds={"Market value": "value", "Contribution": "deposit", "Employer match": "deposit"},
    ),
    "an index, newest first, month first": Export(
        "levels",
        _text(
            """
Date,Open,High,Low,Close,Volume
06/30/2027,104.1,104.9,103.8,104.25,120000
03/31/2027,101.9,102.2,101.0,102.00,98000
12/31/2026,99.7,100.4,99.5,100.00,105000
"""
        ),
        [("2026-12-31", 100.0), ("2027-03-31", 102.0), ("2027-06-30", 104.25)],
        columns={"level": "Close"},
    ),
    "a lender, minus behind the amount": Export(
        "events",
        _text(
            """
Posted on;Movement;Sum
2027-02-28;balance;85.600,00-
2027-03-31;extra;1.000,00
2027-06-30;rate;4,6%
"""
        ),
        [("2027-02-28", "balance", 85600.0), ("2027-03-31", "extra", 1000.0), ("2027-06-30", "rate", 0.046)],
        columns={"date": "Posted on", "what": "Movement", "amount": "Sum"},
    ),
    "debit and credit behind the amount": Export(
        "flows",
        _text(
            """
Txn Date|Particulars|Amount
31-Jan-2027|Opening of the pier kiosk|1,000.00 DR
28-Feb-2027|Takings|640.00 CR
31-Mar-2027|Takings|655.50 CR
"""
        ),
        [("2027-01-31", -1000.0), ("2027-02-28", 640.0), ("2027-03-31", 655.5)],
    ),
    "tabs in UTF-16, times behind the days": Export(
        "flows",
        _text(
            """
Booking date\tText\tAmount
2027-01-31 14:05:09\tBoat\t-3000.00
2027-02-14T08:00:00\tCharter\t410.00
2027-03-14 18:45\tCharter\t425.00
""",
            "utf-16",
        ),
        [("2027-01-31", -3000.0), ("2027-02-14", 410.0), ("2027-03-14", 425.0)],
        ending=".txt",
    ),
    "negative withdrawals": Export(
        "statement",
        _text(
            """
date,account,kind,amount
2026-12-31,pot,value,20000
2027-02-01,pot,withdrawal,-1500
2027-05-01,pot,withdrawal,-700
2027-06-30,pot,value,18100
"""
        ),
        [
            ("2026-12-31", "pot", "value", 20000.0),
            ("2027-02-01", "pot", "withdrawal", 1500.0),
            ("2027-05-01", "pot", "withdrawal", 700.0),
            ("2027-06-30", "pot", "value", 18100.0),
        ],
    ),
    "euro signs in 8859-15": Export(
        "flows",
        _text(
            """
Datum;Omschrijving;Bedrag
01/03/2027;Café aan het meer;-2.400,00 €
31/03/2027;Dagomzet;1.310,40 €
""",
            "iso8859-15",
        ),
        [("2027-03-01", -2400.0), ("2027-03-31", 1310.4)],
    ),
    "values with a total and blank lines": Export(
        "statement",
        _text(
            """
Report: Lakeside pension
Generated: 2 July 2027


As of date,Portfolio value
31 December 2026,50000.00
31 March 2027,51200.00

30 June 2027,52345.67
Total,,
"""
        ),
        [
            ("2026-12-31", "it", "value", 50000.0),
            ("2027-03-31", "it", "value", 51200.0),
            ("2027-06-30", "it", "value", 52345.67),
        ],
        columns={"date": "As of date", "value": "Portfolio value"},
    ),
}

LATER: dict[str, Export] = {
    "a credit union, quotes everywhere, US dates": Export(
        "flows",
        _text(
            """
"Transaction Date","Posting Date","Description","Category","Amount","Running Balance"
"12/28/2026","12/29/2026","Kayak fleet, first half","Equipment","-8,750.00","1,250.00"
"01/15/2027","01/15/2027","Rental ""Blue Bay"" north","Income","612.40","1,862.40"
"02/09/2027","02/10/2027","Rental","Income","598.00","2,460.40"
"""
        ),
        [("2026-12-29", -8750.0), ("2027-01-15", 612.4), ("2027-02-10", 598.0)],
    ),
    "Soll and Haben with a sign column": Export(
        "flows",
        _text(
            """
Buchungstag;Text;Umsatz;S/H
02.01.2027;Drehscheibe;3.400,00;S
15.01.2027;Kurs;280,00;H
29.01.2027;Kurs;315,50;H
"""
        ),
        [("2027-01-02", -3400.0), ("2027-01-15", 280.0), ("2027-01-29", 315.5)],
    ),
    "a French ledger with spaces in its numbers": Export(
        "flows",
        _text(
            """
Relevé de compte;;;
Titulaire : Chorale de Larkmere;;;

Date opération;Libellé;Débit;Crédit
05/01/2027;Orgue;12 500,00;
31/01/2027;Concert;;1 820,75
28/02/2027;Concert;;2 004,00

Solde au 28/02/2027 : -8 675,25 EUR;;;
""",
            "cp1252",
        ),
        [("2027-01-05", -12500.0), ("2027-01-31", 1820.75), ("2027-02-28", 2004.0)],
    ),
    "a fund platform, one row a month with value and moves": Export(
        "statement",
        _text(
            """
Month end,Opening,Net contributions,Closing value
2026-12-31,0.00,,10000.00
2027-01-31,10000.00,500.00,10620.00
2027-02-28,10620.00,-200.00,10455.10
"""
        ),
        [
            ("2026-12-31", "it", "value", 10000.0),
            ("2027-01-31", "it", "deposit", 500.0),
            ("2027-01-31", "it", "value", 10620.0),
            ("2027-02-28", "it", "withdrawal", 200.0),
            ("2027-02-28", "it", "value", 10455.1),
        ],
        columns={"date": "Month end", "amount": "Net contributions"},
    ),
    "a broker's activity with other kinds among it": Export(
        "statement",
        _text(
            """
Account: Harbour growth
Currency: EUR

Settlement date;Transaction type;Amount (EUR)
31.12.2026;Valuation;40.000,00
11.02.2027;Cash in;2.500,00
03.03.2027;Dividend;120,00
14.05.2027;Cash out;-1.000,00
30.06.2027;Valuation;43.150,00
"""
        ),
        [
            ("2026-12-31", "it", "value", 40000.0),
            ("2027-02-11", "it", "deposit", 2500.0),
            ("2027-05-14", "it", "withdrawal", 1000.0),
            ("2027-06-30", "it", "value", 43150.0),
        ],
        kinds={"Valuation": "value", "Cash in": "deposit", "Cash out": "withdrawal"},
    ),
    "an index with closing levels and a source line": Export(
        "levels",
        _text(
            """
Larkmere Lakes 40 (price index)
Source: the exchange of Larkmere

Datum;Schlusskurs
30.12.2026;1.204,55
31.03.2027;1.251,20
30.06.2027;1.239,90
"""
        ),
        [("2026-12-30", 1204.55), ("2027-03-31", 1251.2), ("2027-06-30", 1239.9)],
    ),
    "a lender's own words": Export(
        "events",
        _text(
            """
Value date|Transaction|Amount
28 Feb 2027|Special repayment|2,000.00 CR
30 Jun 2027|New rate|4.10%
31 Dec 2027|Closing balance|78,114.20 DR
"""
        ),
        [("2027-02-28", "extra", 2000.0), ("2027-06-30", "rate", 0.041), ("2027-12-31", "balance", 78114.2)],
        columns={"what": "Transaction"},
        kinds={"Special repayment": "extra", "New rate": "rate", "Closing balance": "balance"},
    ),
    "money in and money out, weekday before the day": Export(
        "flows",
        _text(
            """
Posted,Money in,Money out,Details
Mon 4 Jan 2027,,1500.00,Second-hand loom
Fri 29 Jan 2027,96.50,0.00,Scarves
Fri 26 Feb 2027,181.25,0.00,Scarves
"""
        ),
        [("2027-01-04", -1500.0), ("2027-01-29", 96.5), ("2027-02-26", 181.25)],
    ),
    "solid dates and a currency column": Export(
        "flows",
        _text(
            """
sep=;
DATE;CCY;AMOUNT
20270104;EUR;-950,00
20270226;EUR;310,00
20270331;EUR;333,30
"""
        ),
        [("2027-01-04", -950.0), ("2027-02-26", 310.0), ("2027-03-31", 333.3)],
    ),
    "days that may be either, settled by a word": Export(
        "flows",
        _text(
            """
Date\tAmount\tNote
01/02/2027\t-400\tSails
03/02/2027\t150.5\tLessons
05/04/2027\t310\tLessons
"""
        ),
        [("2027-02-01", -400.0), ("2027-02-03", 150.5), ("2027-04-05", 310.0)],
        dates="day-first",
    ),
}
