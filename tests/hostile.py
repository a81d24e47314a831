"""A generator of input that is wrong in every way: deal files, loan files, CSVs, formulas, command lines, Python calls.

Each case has a number and is made from it alone, so that a defect can be had again: `python -m tests.hostile 4711`. A defect
is anything but an answer or one sentence of the family of errors: another exception, a warning, a traceback, a sentence of
several lines, control characters or nan and inf in what is shown, JSON that is none, a file left behind or changed, more than
ten seconds of the processor, more memory than the bound.

    python -m tests.hostile                2,000 cases
    python -m tests.hostile --cases 200000 as many as `make thorough` tries
"""

from __future__ import annotations

import argparse
import contextlib
import io
import json
import os
import random
import re
import resource
import shutil
import signal
import sys
import tempfile
import traceback
import warnings
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from pennyweight.cli.main import COMMANDS, status
from pennyweight.errors import PennyweightError
from tests.hostile_calls import call_case
from tests.hostile_words import ATOMS, FIELDS, NUMBERS, OPERATORS, ROWS, TEXTS, TOML_VALUES

CASES = 2_000
SECONDS = 10
MEMORY = 6 * 2**30
STARTERS = Path(__file__).parents[1] / "src" / "pennyweight" / "starters"


class Alarm(Exception):
    """A case took too long."""


def run_case(number: int) -> str | None:
    """What is wrong with what came of case `number`; None when nothing is."""
    rng = random.Random(number)
    made = rng.choices([call_case, _deal, _formula, _loan, _table, _command], [40, 18, 14, 12, 10, 6])[0]
    before = os.getcwd()
    with tempfile.TemporaryDirectory(prefix="hostile") as folder, warnings.catch_warnings(record=True) as caught:
        warnings.simplefilter("always")
        os.chdir(folder)
        try:
            with _bounded():
                told = made(rng)
        except PennyweightError as error:
            told = _sentence(str(error))
        except BaseException as error:  # whatever it is, it should not have come out
            told = "".join(traceback.format_exception(error)[-3:])
        finally:
            os.chdir(before)
        if caught and not told:
            told = f"warned: {caught[0].message} ({caught[0].filename}:{caught[0].lineno})"
    return f"case {number}, {made.__name__}: {told}" if told else None


@contextlib.contextmanager
def _bounded() -> Iterator[None]:
    """A bound on the processor's time, and one on memory, while one case runs; how busy the machine is decides nothing."""

    def ring(*_: object) -> None:
        raise Alarm(f"more than {SECONDS} seconds of the processor")

    kept = signal.signal(signal.SIGPROF, ring)
    soft, hard = resource.getrlimit(resource.RLIMIT_AS)
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, hard))
    signal.setitimer(signal.ITIMER_PROF, SECONDS)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)
        signal.signal(signal.SIGPROF, kept)
        resource.setrlimit(resource.RLIMIT_AS, (soft, hard))


def _sentence(text: str) -> str | None:
    """Why what was told is no sentence, or, of a file with several mistakes, no list of them; None when it is."""
    head, *mistakes = text.split("\n  ")
    if mistakes and re.fullmatch(r"pennyweight: \d+ mistakes:", head):
        return next(filter(None, map(_one_sentence, mistakes)), None) if len(mistakes) <= 20 else "more than twenty"
    return _one_sentence(text)


def _one_sentence(text: str) -> str | None:
    if not text.strip() or "\n" in text or len(text) > 1_700 or not _shows(text):
        return f"no fit sentence: {text[:300]!r}"
    return None


def _shows(text: str) -> bool:
    return not re.search(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e]", text)


def _status(arguments: list[str]) -> str | None:
    """Run a command line; what is wrong with its status, its streams or the folder."""
    out, err = io.StringIO(), io.StringIO()
    stood = {path: path.read_bytes() for path in Path().iterdir() if path.is_file()}
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = status(arguments)
    shown, said = out.getvalue(), err.getvalue()
    line = " ".join(arguments)[:200]
    if code not in (0, 1, 2, 3):
        return f"{line}: status {code}"
    sentences = [one for one in said.splitlines() if not one.startswith("Written: ")]
    if code in (2, 3) and (problem := _sentence("\n".join(sentences))):
        return f"{line}: {problem}"
    if not _shows(shown) or "Traceback" in said + shown:
        return f"{line}: control characters or a traceback in what is shown"
    if re.search(r"(?<![A-Za-z_.])(nan|inf|NaN|Infinity)(?![A-Za-z_.])", _without_names(shown)):
        return f"{line}: nan or inf is shown"
    if code == 0 and "--format" in arguments and arguments[-1] == "json":
        json.loads(shown, parse_constant=_refuse)
    for path, content in stood.items():
        if path.read_bytes() != content:
            return f"{line}: {path} was changed"
    left = [path.name for path in Path().rglob(".pennyweight-*")]
    return f"{line}: {left} left behind" if left else None


def _without_names(shown: str) -> str:
    """What is shown without what it quotes."""
    return re.sub(r"'[^']*'|\"[^\"]*\"|\S*\.\S*/\S*", "", shown)


def _refuse(word: str) -> float:
    raise ValueError(f"{word} in JSON")


# Mutation.


def _hostile(rng: random.Random) -> str:
    return rng.choice(rng.choice([[one for one in NUMBERS if one.strip("-") not in ("nan", "inf")], TEXTS]))


def _toml_value(rng: random.Random) -> str:
    kind = rng.randrange(3)
    if kind == 0:
        return rng.choice(NUMBERS)
    return json.dumps(rng.choice(TEXTS), ensure_ascii=rng.random() < 0.5) if kind == 1 else rng.choice(TOML_VALUES)


def _broken_toml(rng: random.Random, text: str, other: str) -> str:
    """A file with one to three mistakes."""
    lines = text.split("\n")
    for _ in range(rng.randint(1, 3)):
        place = rng.randrange(len(lines))
        line, kind = lines[place], rng.randrange(9)
        if kind <= 2 and "=" in line:
            key, _, _ = line.partition("=")
            lines[place] = f"{key}= {_toml_value(rng)}"
        elif kind == 3:
            lines[place] = re.sub(r"[0-9][0-9_.]*", lambda _: rng.choice(NUMBERS), line, count=1)
        elif kind == 4:
            lines[place] = re.sub(r'"[^"]*"', lambda _: json.dumps(_hostile(rng)), line, count=1)
        elif kind == 5:
            del lines[place : place + rng.randint(1, 3)]
            lines = lines or [""]
        elif kind == 6:
            lines.insert(place, rng.choice([line, rng.choice(other.split("\n")), f"x = {_toml_value(rng)}"]))
        elif kind == 7 and line:
            cut = rng.randrange(len(line))
            lines[place] = line[:cut] + rng.choice("\"'{}[]=,.#²\\\0 ") + line[cut + rng.randrange(2) :]
        else:
            lines[place] = line.replace(
                rng.choice(["value", "formula", "at", "net", "from", "rate"]), rng.choice(["vlaue", "t", "x", ""])
            )
    return "\n".join(lines)


def _broken_csv(rng: random.Random, text: str) -> str:
    rows = text.split("\n")
    for _ in range(rng.randint(1, 3)):
        place = rng.randrange(len(rows))
        fields = rows[place].split(",")
        kind = rng.randrange(8)
        if kind == 6:
            rows[place] = rng.choice(ROWS)
        elif kind == 7:
            fields[rng.randrange(len(fields))] = rng.choice(FIELDS)
            rows[place] = ",".join(fields)
        elif kind <= 2:
            fields[rng.randrange(len(fields))] = _hostile(rng)
            rows[place] = ",".join(fields)
        elif kind == 3:
            rows[place] = rows[place].replace(",", rng.choice([";", ",,", '","', "\t", '"']), 1)
        elif kind == 4:
            rows.insert(place, rng.choice([rows[place], "", '"', ",,,", "\ufeff"]))
        else:
            del rows[place]
            rows = rows or [""]
    return "\n".join(rows)


def _maybe_options(rng: random.Random) -> list[str]:
    found: list[str] = []
    if rng.random() < 0.3:
        found += [
            "--output",
            rng.choice(
                [
                    "o.json",
                    "o.csv",
                    "o.txt",
                    "o.html",
                    "o.pdf",
                    "o.xlsx",
                    "deal.toml",
                    "x.csv",
                    "none/o.json",
                    "o",
                    ".json",
                    "é.csv",
                ]
            ),
        ]
    if rng.random() < 0.5:
        found += ["--format", rng.choice(["json", "json", "csv", "table"])]
    return found


# Cases.


def _deal(rng: random.Random) -> str | None:
    texts = [(STARTERS / name).read_text(encoding="utf-8") for name in ("first/first.toml", "taxi/taxi.toml")]
    which = rng.choices([0, 1], [3, 1])[0]
    series = (STARTERS / "taxi" / "ridership.csv").read_text(encoding="utf-8")
    Path("ridership.csv").write_text(
        _broken_csv(rng, series) if rng.random() < 0.2 else series, encoding="utf-8", errors="surrogateescape"
    )
    Path("deal.toml").write_text(
        _broken_toml(rng, texts[which], texts[1 - which]), encoding="utf-8", errors="surrogateescape"
    )
    name = rng.choice(["price", "batches", "hurdle", "hull", "trips", "bank.rate", "x"])
    command = rng.choices(
        [
            ["weigh", "deal.toml", "--by", rng.choice(["year", "period"])],
            ["compare", "deal.toml"],
            ["vary", "deal.toml", f"{name}={_hostile(rng)}..{_hostile(rng)}/3"],
            [
                "find",
                "deal.toml",
                name,
                rng.choice(["npv == 0", "irr >= hurdle", "npv >= 0", _hostile(rng)]),
                "--scenario",
                "all",
            ],
            ["weigh", "deal.toml", "--with", f"{name}={_hostile(rng)}"],
        ],
        [6, 1, 1, 1, 2],
    )[0]
    return _status([*command, *_maybe_options(rng)])


def _formula(rng: random.Random) -> str | None:
    parts = [rng.choice(ATOMS) if rng.random() < 0.55 else rng.choice(OPERATORS) for _ in range(rng.randint(1, 9))]
    if rng.random() < 0.5:
        parts = [
            rng.choice(ATOMS),
            *(word for _ in range(rng.randint(0, 3)) for word in (rng.choice(OPERATORS[:11]), rng.choice(ATOMS))),
        ]
    text = " ".join(parts) * rng.choice([1, 1, 1, 1, 30])
    document = {
        "deal": "x",
        "timeline": {"period": rng.choice(["year", "month"]), "periods": 5},
        "inputs": {"hull": 420_000, "fare": {"steps": {"1": 6.5}}, "trips": 20_000, "hurdle": "9%", "inflation": "2%"},
        "money_in": {"fares": "fare * trips"},
        "money_out": {"hull_paid": {"formula": "hull", "at": 0}},
        "loans": {"bank": {"amount": "0.5 * hull", "rate": "4%", "years": 3}},
        "levels": {"reserve": {"formula": "prior(reserve) + 1", "start": 2}},
        "measures": {"npv": "npv(net, hurdle)"},
        "goals": {"npv": {"at_least": 0}},
    }
    place = rng.choice(["measures", "money_in", "lines", "levels", "values", "goals", "loans"])
    if place == "goals":
        document["goals"] = {"npv": {rng.choice(["at_least", "at_most", "nearly"]): text}}
    elif place == "loans":
        document["loans"] = {
            "bank": {
                **document["loans"]["bank"],
                rng.choice(["amount", "rate", "years", "extra", "paid_out", "residual"]): text,
            }
        }  # type: ignore[index]
    else:
        document[place] = {**document.get(place, {}), "m": text}  # type: ignore[dict-item]
    from pennyweight import Deal

    weighing = Deal.from_dict(document).weigh()
    shown = str(weighing)
    if re.search(r"(?<![A-Za-z_.'])(nan|inf)(?![A-Za-z_.'])", _without_names(shown)):
        return f"nan or inf is shown for {text[:100]}"
    return None


def _loan(rng: random.Random) -> str | None:
    names = ["studio.toml", "four-flats-takeover.toml", "four-flats.toml"]
    texts = [(STARTERS / "loans" / name).read_text(encoding="utf-8") for name in names]
    events = (STARTERS / "loans" / "studio-events.csv").read_text(encoding="utf-8")
    broken = _broken_csv(rng, events) if rng.random() < 0.3 else events
    Path("studio-events.csv").write_text(broken, encoding="utf-8", errors="surrogateescape")
    text = rng.choice(texts)
    if rng.random() < 0.3:
        small = 'loan = "L"\namount = 1_000\nrate = "5%"\nyears = 3\nstart = 2027-01-31\n'
        text = small + rng.choice(
            [
                "[[extras]]\namount = 10\nfrom = 3\nto = 5",
                "[[holidays]]\nfrom = 3\npayments = 2",
                "[try]\nextra = [5]",
                "",
            ]
        )
    Path("deal.toml").write_text(_broken_toml(rng, text, rng.choice(texts)), encoding="utf-8", errors="surrogateescape")
    return _status(["loan", "deal.toml", *_maybe_options(rng)])


def _table(rng: random.Random) -> str | None:
    kind = rng.randrange(3)
    name = ["flows/boatyard.csv", "endowment/statements.csv", "loans/studio-events.csv"][kind]
    Path("x.csv").write_text(
        _broken_csv(rng, (STARTERS / name).read_text(encoding="utf-8")), encoding="utf-8", errors="surrogateescape"
    )
    if kind == 0:
        return _status(
            ["flows", "x.csv", *(["--rate", _hostile(rng)] if rng.random() < 0.5 else []), *_maybe_options(rng)]
        )
    if kind == 1:
        return _status(["returns", "x.csv", *_maybe_options(rng)])
    terms = ["--owed", "86k", "--rate", "4.2%", "--years", "15", "--start", "2023-09-30"]
    return _status(["loan", *terms, "--events", "x.csv", *_maybe_options(rng)])


def _command(rng: random.Random) -> str | None:
    shutil.copy(STARTERS / "first" / "first.toml", "deal.toml")
    options = {
        "grow": ["--opening", "--deposit", "--rate", "--years", "--closing", "--per-year", "--compounding", "--growth", "--deferred", "--find", "--places"],
        "repay": ["--owed", "--payment", "--rate", "--years", "--still-owed", "--per-year", "--compounding", "--currency", "--paid"],
        "withdraw": ["--pot", "--withdrawal", "--rate", "--years", "--pot-left", "--growth", "--find"],
        "rates": ["--compounding", "--per-year", "--inflation", "--times"],
        "loan": ["--owed", "--rate", "--years", "--payment", "--per-year", "--start", "--still-owed", "--day-count", "--fee-up-front", "--extra",
                 "--paid-off-by", "--as-of", "--currency", "--repaid", "--interest-only", "--amortized-over", "--months"],
        "bond": ["--coupon", "--maturity", "--settlement", "--yield", "--price", "--per-year", "--issued", "--first", "--discount", "--last-coupon"],
        "weigh": ["--with", "--scenario", "--by"], "find": ["--between", "--scenario"], "vary": ["--show"], "compare": ["--scenario"],
    }  # fmt: skip
    given = {
        "grow": ["--opening", "1k", "--deposit", "50", "--rate", "5%", "--years", "10"],
        "repay": ["--owed", "86k", "--rate", "4.2%", "--years", "15"],
        "withdraw": ["--withdrawal", "24k", "--rate", "4%", "--years", "25", "--find", "pot"],
        "rates": ["6%"], "loan": ["--owed", "86k", "--rate", "4.2%", "--years", "15"],
        "bond": ["--coupon", "4%", "--maturity", "2031-06-15", "--settlement", "2026-11-23", "--price", "97.25"],
        "weigh": ["deal.toml"], "find": ["deal.toml", "price", "npv == 0"], "vary": ["deal.toml", "price=1k..2k/3"], "compare": ["deal.toml"],
    }  # fmt: skip
    name = rng.choice([*options, *options, *(word for word in COMMANDS if word != "demo")])
    arguments = [name, *given.get(name, [])]
    for _ in range(rng.randint(1, 3)):
        if name in options:
            arguments += [rng.choice(options[name]), _hostile(rng)]
        if rng.random() < 0.3:
            arguments[rng.randrange(1, len(arguments)) if len(arguments) > 1 else 0] = _hostile(rng)
    return _status([argument.replace("\0", "") for argument in [*arguments, *_maybe_options(rng)]])


def main() -> None:
    """Run cases and print each defect; exit status 1 when there is one."""
    parser = argparse.ArgumentParser(description="Hostile input, case by case.")
    parser.add_argument("numbers", nargs="*", type=int, help="single cases to run again")
    parser.add_argument("--cases", type=int, default=CASES)
    parser.add_argument("--from", dest="first", type=int, default=0)
    asked = parser.parse_args()
    numbers = asked.numbers or range(asked.first, asked.first + asked.cases)
    with ProcessPoolExecutor() as workers:
        defects = [told for told in workers.map(run_case, numbers, chunksize=50) if told]
    for told in defects:
        print(told)  # noqa: T201
    print(f"{len(numbers):,} cases, {len(defects)} defects")  # noqa: T201
    sys.exit(1 if defects else 0)


if __name__ == "__main__":
    main()
