"""What hostile input is made of: numbers, texts, values and pieces of formulas that go wrong elsewhere."""

from __future__ import annotations

__all__ = ["ATOMS", "FIELDS", "NUMBERS", "OPERATORS", "ROWS", "TEXTS", "TOML_VALUES"]

NUMBERS = [
    "0", "-1", "1", "1e308", "-1e308", "1e-320", "nan", "inf", "-inf", "9" * 400, "0.1", "5", "100_000", "1e15", "12.5", "-0.0",
    "123456789012345678901234567890", "0x1F", "1__0", "007",
]  # fmt: skip

TEXTS = [
    "", " ", "x", "5%", "-100%", "5", "1e15%", "500bp", "4 7/8%", "²", "٣", "1²", "[red]", "[/]", "$x^$", "\u001b[31m", "=1+1", "@x",
    "a" * 5000, "\u202e", "船", "é", "2027-02-30", "2027-01-01", "year 3", "end", "never", "EUR 5", "1,25", "1.250,00", "430k", "3m",
    "-", "null", "true", "../x.csv", "/etc/passwd", "x.csv", "monthly", "6% dayly", "net", "hull", "..", "a.b.c", "\n", "\t", "'", "{}",
]  # fmt: skip

TOML_VALUES = [
    "true", "false", "[]", "[1, 2]", "{}", "{ value = 1 }", "{ steps = {} }", "{ steps = { 1 = 2 } }", "{ file = 'x.csv' }", "2027-01-01",
    "2027-01-01T00:00:00", "{ formula = '1', at = 0 }", "{ at_least = 0 }", "{ scale = 0.5 }", "[[1]]", "'''x'''",
]  # fmt: skip

ATOMS = [
    "hull", "fare", "trips", "net", "fares", "t", "end", "year", "npv(net, hurdle)", "irr(net)", "prior(reserve)", "1", "0", "2.5", "5%",
    "1e308", "total(fares)", "at(net, 3)", "payback(net)", "hurdle", "bank.payment", "x", "''", "'5%'", "-1", "per_year", "reserve",
    "lowest(fares, 1, 3)", "grown_yearly(inflation)", "max(0, net)", "round(fare)", "log(0)", "sqrt(-1)", "exp(1000)", "first_period(net > 0)",
]  # fmt: skip

OPERATORS = [
    "+",
    "-",
    "*",
    "/",
    "**",
    "<",
    ">=",
    "==",
    "!=",
    " and ",
    " or ",
    "%",
    "//",
    "^",
    "=",
    " if ",
    " else ",
    "(",
    ")",
    ",",
    ".",
]

ROWS = ["\r", "Account;12345", "Printed on 3 March", "Total,,", "sep=;", "x" * 100, "." * 1_000]
"""Rows that stand in tables and are none."""

FIELDS = [
    "03/04/2027", "31.12.26", "1,000.00 DR", "5.00-", "31 Feb 2027", "2027-01-31T25:00", "\udcff", "7" * 90, "1e150",
]  # fmt: skip
"""Days and amounts as exports write them."""
