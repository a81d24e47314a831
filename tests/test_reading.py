"""Deal files that cannot be right: one sentence each, with file, line and what would be right."""

from __future__ import annotations

from pathlib import Path

import pytest

from pennyweight import Deal, InputError
from pennyweight.reading.toml_positions import positions
from tests.builders import TAXI, deal

TEXT = TAXI.read_text(encoding="utf-8")


def swapped(tmp_path: Path, old: str, new: str, csv: str | None = None) -> Path:
    """The taxi's file with one change, beside its data."""
    assert TEXT.count(old) >= 1, old
    path = tmp_path / "taxi.toml"
    path.write_text(TEXT.replace(old, new, 1), encoding="utf-8")
    data = (TAXI.parent / "ridership.csv").read_text(encoding="utf-8")
    (tmp_path / "ridership.csv").write_text(data if csv is None else csv, encoding="utf-8")
    return path


def line_of(text: str) -> int:
    """The line of the first place a text stands on."""
    return TEXT[: TEXT.index(text)].count("\n") + 1


MISTAKES = [
    # the file itself
    ("periods = 12", "periods = ", "not valid TOML: invalid value (at line 11"),
    ("periods = 12", "periods = 12\nperiods = 13", "a key stands there twice (at line 12"),
    ("deal     =", "dael     =", "there is no key 'dael'; did you mean 'deal'?"),
    # keys
    ("periods = 12", "perods = 12", "there is no key 'perods'; did you mean 'periods'?"),
    ("[measures]", "[mesures]", "there is no key 'mesures'; did you mean 'measures'?"),
    ("at = 0, label = \"Hull", "att = 0, label = \"Hull", "there is no key 'att'; did you mean 'at'?"),
    ("{ scale = 0.85 }", "{ scle = 0.85 }", "there is no key 'scle'; did you mean 'scale'?"),
    ("battery     = { value", 'battery = { choices = ["a"], value', "battery has choices; leave out 'unit'"),
    # names
    ("npv(net, hurdle)", "npv(net, hurdel)", "nothing is named 'hurdel'; did you mean 'hurdle'?"),
    ("fare * trips", "fare * trip", "nothing is named 'trip'; did you mean 'trips'?"),
    ("npv(net, hurdle)", "nvp(net, hurdle)", "there is no function 'nvp'; did you mean 'npv'?"),
    ("npv(net, hurdle)", "lowest", "lowest is a function and needs its arguments"),
    ("npv(net, hurdle)", "npv(net)", "npv needs 'rate'; it is npv(flows, rate, [years], [plus], [where], [paid], [counted])"),
    ("npv(net, hurdle)", "npv(net, hurdle, 1, 2, net > 0, 3)", "takes 5 at most, and 6 are given"),
    ("npv(net, hurdle)", "npv(net, hurdle, yeers=2)", "has no 'yeers'; did you mean 'years'?"),
    ("npv(net, hurdle)", "npv(net, 5%, rate=5%)", "is given 'rate' twice"),
    ("fares  = {", "crew  = {", "the name 'crew' is already used at taxi.toml, line 21"),
    ("fares  = {", "net  = {", "'net' has a meaning of its own"),
    ("npv(net, hurdle)", "npv(break, hurdle)", "a formula cannot read a name such as 'break'; give it another one"),
    ("fares  = {", '"my fares"  = {', "'my fares' cannot be a name"),
    ("[scenarios.dear_hull]", "[scenarios.base]", "'base' cannot be a name here"),
    # what a formula may be about
    ("npv(net, hurdle)", "net", "must be a single number, but this has a value for each period"),
    ("npv(net, hurdle)", "npv(hull, hurdle)", "must have a value for each period, but 'hull' is a single number"),
    ("npv(net, hurdle)", "npv(net, fare)", "must be a single number, but 'fare' has a value for each period"),
    ("npv(net, hurdle)", "total(reserve)", "'reserve' is a level"),
    ("npv(net, hurdle)", "irr(reserve)", "'reserve' is a level"),
    ("npv(net, hurdle)", "total(prior(net + 1))", "prior takes the name of a line"),
    # circles
    ("fares - crew_paid -", "operating + fares - crew_paid -", "operating needs operating"),
    ("0.2 * hull", "0.2 * hull + total(resale)", "resale_value needs resale needs resale_value"),
    ("0.1 * operating", "0.1 * operating + 0 * total(reserve_in)", "nothing is named 'reserve_in'"),
    ("prior(reserve) *", "highest(reserve) + prior(reserve) *", "highest looks at all periods, and reserve is worked out of it"),
    # rates and amounts
    ('value = "9%"', "value = 5", "5 is 500% a year; write 5%"),
    ("npv(net, hurdle)", "npv(net, 9)", "9 is 900% a year; write 9%"),
    ('at_least = "hurdle"', "at_least = 9", '9 is 900% a year; write "9%"'),
    ('value = "9%"', 'value = "9% montly"', "not a way to compound; did you mean 'monthly'?"),
    ('value = "9%"', 'value = "-100%"', "a rate must be above -100%"),
    ("value = 95_000", "value = nan", "not a finite number"),
    ("value = 95_000", "value = inf", "not a finite number"),
    ("value = 95_000", 'value = "1m"', "write k for thousand, mn for million"),
    ("value = 95_000", 'value = "1,25"', "could be 1.25 or 125"),
    ("value = 95_000", "value = [1, 2]", "is a list; a value for each period is written as steps = { 1 = 1, 2 = 2 … }"),
    ("value = 95_000", "value = 95_000, steps = { 1 = 3 }", "has value and steps; give it one of"),
    ("value = 95_000, ", "", "has no value; give it one of"),
    ("low = 70_000, high = 120_000", "low = 170_000, high = 120_000", "low 170000 is above high 120000"),
    ('unit = "money", label = "Battery', 'unit = "mony", label = "Battery', "'mony' is not known; did you mean 'money'?"),
    ('currency = "EUR"', 'currency = "Euro"', "write its three letters"),
    ('currency = "EUR"', 'currency = "EUR"\nlocale = "xx_YY"', "which is not known"),
    # time
    ("periods = 12", "periods = 0", "periods is 0; a timeline has 1 to 12,000 periods"),
    ("periods = 12", "periods = -4", "periods is -4"),
    ("periods = 12", "periods = 1_000_000_000", "periods is 1,000,000,000"),
    ("periods = 12", "periods = 2.5", "it must be a whole number"),
    ('period  = "year"', 'period  = "decade"', "it must be 'year', 'half-year', 'quarter' or 'month'"),
    ("2027-01-01", '"2027-01-01"', "a date, such as 2027-01-01, without quotes"),
    ("2027-01-01", "2027-02-30", "not valid TOML: invalid date"),
    ('at = "end"', "at = 13", "is period 13; the timeline runs from 0 to 12"),
    ('at = "end"', "at = -1", "is period -1"),
    ('at = "end"', 'at = "end / 5"', "is period 2.4, which is not a whole one"),
    ('at = "end"', "at = 2040-01-01", "is 2040-01-01; the timeline runs from 2027-01-01 to 2039-01-01"),
    ('at = "end"', 'at = "start"', "is 'start'; write 0 for the day of the deal"),
    ('at = "end"', 'at = "end", from = 1', "leave out 'from'"),
    ("1 = 6.50, 5 = 7.25", "5 = 6.50, 1 = 7.25", "steps must follow one another in time"),
    ("{ 1 = 6.50, 5 = 7.25, 9 = 8.00 }", "{}", "'steps' is empty"),
    # series
    ("periods = 12", "periods = 14", "gives 12 values for 'trips', the timeline needs 14 (years 1 to 14); period 13"),
    ('"ridership.csv"', '"../ridership.csv"', "lies outside the folder of the deal"),
    ('"ridership.csv"', '"/etc/hostname"', "lies outside the folder of the deal"),
    ('"ridership.csv"', '"rides.csv"', "there is no file 'rides.csv' beside the deal"),
    ('column = "trips"', 'column = "trip"', "has no column 'trip'; did you mean 'trips'?"),
    (', column = "trips"', "", "name the 'column' of ridership.csv"),
    # goals, scenarios, questions
    ("payback = { at_most = 8, nearly = 9 }", "paybak = { at_most = 8 }", "no measure 'paybak'; did you mean 'payback'?"),
    ("payback = { at_most = 8, nearly = 9 }", "payback = {}", "say either 'at_least' or 'at_most'"),
    ('based_on = "wet_summers"', 'based_on = "wet_and_dear"', "is based on itself: wet_and_dear on wet_and_dear"),
    ('based_on = "wet_summers"', 'based_on = "wet_sumers"', "no scenario 'wet_sumers'; did you mean 'wet_summers'?"),
    ("hull  = 470_000", "hul  = 470_000", "no input 'hul'; did you mean 'hull'? Scenarios change inputs only"),
    ("{ scale = 0.85 }", "{ scale = 0.85, shift = 3 }", "give one of 'value', 'scale', 'shift'"),
    ('find    = "hull"', 'find    = "hul"', "no input 'hul' to find; did you mean 'hull'?"),
    ('"npv == 0"', '"npv"', "write a condition"),
    ('"npv == 0"', '"net == 0"', "this one has a value for each period"),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "sentence"), MISTAKES)
def test_each_mistake_gets_its_sentence(tmp_path: Path, old: str, new: str, sentence: str) -> None:
    path = swapped(tmp_path, old, new)
    with pytest.raises(InputError) as caught:
        Deal.read(path)
    message = str(caught.value)
    assert sentence in message
    assert message.startswith(("taxi.toml", "ridership.csv"))
    assert message.count("\n") == 0
    assert max(len(str(one)) for one in caught.value.mistakes or (caught.value,)) < 300  # each, whole and uncut


@pytest.mark.parametrize(
    ("csv", "sentence"),
    [
        ("", "ridership.csv is empty"),
        ("trips\n5\nabc\n", "ridership.csv, row 3, column 'trips' is 'abc', which is not a number"),
        ("trips,x\n5,1\n,1\n", "row 3, column 'trips' is empty; write 0"),
        ("trips\n1,000\n", "row 2 has 2 fields, the header 1"),
        ("trips,trips\n1,2\n", "two columns named 'trips'"),
        ('trips;x\n"1.250,5";2\n' * 1, "gives 1 values"),
        ("period,trips\n1,5\n1,6\n", "two rows for one period"),
        ("period,trips\n1.5,5\n", "must hold whole periods"),
        ("trips\nnan\n", "'nan', which is not a number"),
        ("trips\n1e999\n", "not a finite number"),
        ("trips\n5\n\0\n", "not a text file"),
    ],
)
def test_each_broken_series_gets_its_sentence(tmp_path: Path, csv: str, sentence: str) -> None:
    with pytest.raises(InputError) as caught:
        Deal.read(swapped(tmp_path, "periods = 12", "periods = 12", csv))
    assert sentence in str(caught.value)


def test_mistakes_name_their_line(tmp_path: Path) -> None:
    for old, new in (("fare * trips", "fare * trip"), ("npv(net, hurdle)", "npv(net)"), ('"npv == 0"', '"npv"')):
        path = swapped(tmp_path, old, new)
        number = line_of(old)
        with pytest.raises(InputError, match=f"taxi.toml, line {number}, "):
            Deal.read(path)


def test_the_whole_circle_is_named() -> None:
    lines = {"a": "b + 1", "b": "c + 1", "c": "a + prior(a)"}
    with pytest.raises(InputError) as caught:
        deal(lines=lines)
    told = str(caught.value)
    for step in ("a needs b", "b needs c", "c needs a"):
        assert step in told
    assert "Let one of them look back with prior" in told


def test_files_that_are_no_deal(tmp_path: Path) -> None:
    (tmp_path / "taxi.toml").write_text("deal = 'x'", encoding="utf-8")
    with pytest.raises(InputError, match=r"no file .*tax\.toml; did you mean 'taxi\.toml'\?"):
        Deal.read(tmp_path / "tax.toml")
    with pytest.raises(InputError, match="is a folder"):
        Deal.read(tmp_path)
    with pytest.raises(InputError, match="nothing to weigh"):
        Deal.read(tmp_path / "taxi.toml")
    (tmp_path / "bytes.toml").write_bytes(b"\xff\xfd\x00")
    with pytest.raises(InputError, match="not text in UTF-8"):
        Deal.read(tmp_path / "bytes.toml")
    (tmp_path / "empty.toml").write_text("", encoding="utf-8")
    with pytest.raises(InputError, match="'deal' is missing"):
        Deal.read(tmp_path / "empty.toml")
    (tmp_path / "deep.toml").write_text("a = " + "[" * 5000 + "]" * 5000, encoding="utf-8")
    with pytest.raises(InputError, match="not valid TOML"):
        Deal.read(tmp_path / "deep.toml")


def test_a_link_out_of_the_folder_is_refused(tmp_path: Path) -> None:
    (tmp_path / "inside").mkdir()
    path = swapped(tmp_path / "inside", "periods = 12", "periods = 12")
    (tmp_path / "inside" / "ridership.csv").rename(tmp_path / "ridership.csv")
    (tmp_path / "inside" / "ridership.csv").symlink_to(tmp_path / "ridership.csv")
    with pytest.raises(InputError, match="lies outside the folder"):
        Deal.read(path)


def test_a_series_may_hold_more_and_says_so(tmp_path: Path) -> None:
    longer = "trips\n" + "100\n" * 15
    weighing = Deal.read(swapped(tmp_path, "periods = 12", "periods = 12", longer)).weigh()
    assert (True, "ridership.csv holds 3 more values of 'trips' than the timeline has periods.") in weighing.checks
    assert weighing.values["fares"][:2].tolist() == [0.0, 650.0]


def test_windows_files_are_read_the_same(tmp_path: Path) -> None:
    path = swapped(tmp_path, "periods = 12", "periods = 12")
    path.write_bytes(b"\xef\xbb\xbf" + TEXT.replace("\n", "\r\n").encode())
    assert Deal.read(path).weigh().as_dict() == Deal.read(TAXI).weigh().as_dict()


def test_units_follow_from_use() -> None:
    made = deal(
        {
            "npv": "npv(net, ask)",
            "share": "total(a) / total(b)",
            "twice": "npv * 2",
            "yield": "irr(net)",
            "when": "payback(net)",
        },
        inputs={"ask": 0.08, "part": "25%", "count": 3, "job": 2},
        money_in={"a": "part * 100"},
        money_out={"b": {"formula": "count", "at": "job"}},
        lines={"c": "a - b"},
    )
    units = {
        name: made.definition.unit(name)
        for name in ("ask", "part", "count", "job", "npv", "share", "twice", "yield", "when", "c")
    }
    assert units == {
        "ask": "rate", "part": "share", "count": "number", "job": "period", "npv": "money", "share": "number",
        "twice": "money", "yield": "rate", "when": "years", "c": "money",
    }  # fmt: skip
    assert made.definition.inputs["job"].whole


def test_every_line_of_the_taxi_has_its_position() -> None:
    """The index of positions finds each key where the text has it."""
    found = positions(TEXT)
    lines = TEXT.split("\n")
    for path, number in found.items():
        assert path[-1] in lines[number - 1]
    assert len(found) > 90


def test_positions_step_over_strings_and_arrays() -> None:
    text = 'a = """x = 1\n[no]\n"""\n[b."c d"]\ne = [1,\n { f = 2 },\n]\n"g h" = \'#\' # i = 3\n'
    found = positions(text)
    assert found == {
        ("a",): 1,
        ("b", "c d"): 4,
        ("b", "c d", "e"): 5,
        ("b", "c d", "e", "1"): 6,
        ("b", "c d", "e", "1", "f"): 6,
        ("b", "c d", "g h"): 8,
    }
