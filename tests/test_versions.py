"""Two versions of a deal, and a deal while it is edited: what differs, what each difference did, what the verdict made of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from pennyweight import Deal
from pennyweight.cli.deals.watching import watch
from pennyweight.cli.main import status
from pennyweight.pages.comparing.watch_changes import what_changed
from tests.builders import STARTERS

TAXI = (STARTERS / "taxi/taxi.toml").read_text(encoding="utf-8")
EDITS = {
    ("inputs", "hull"): ("value = 420_000", "value = 455_000"),
    ("inputs", "fare"): ("1 = 6.50", "1 = 6.20"),
    ("values", "resale_value"): ("0.2 * hull", "0.15 * hull"),
    ("money_in", "fares"): ('"fare * trips"', '"0.97 * fare * trips"'),
    ("money_out", "battery_paid"): ('"year swap_year"', '"year 9"'),
    ("measures", "leanest"): ("lowest(operating)", "lowest(operating, 2)"),
    ("goals", "payback"): ("at_most = 8, nearly = 9", "at_most = 7, nearly = 7.5"),
    ("loans", "bank"): ('rate   = "4.6%"', 'rate   = "5.6%"'),
}


@pytest.fixture
def write(tmp_path: Path) -> Callable[[str, str], Path]:
    (tmp_path / "ridership.csv").write_text((STARTERS / "taxi/ridership.csv").read_text(encoding="utf-8"))

    def file(name: str, text: str) -> Path:
        (tmp_path / name).write_text(text, encoding="utf-8")
        return tmp_path / name

    return file


def test_each_difference_does_what_it_does_alone(write: Callable[[str, str], Path]) -> None:
    """Every kind of difference, made alone in a file of its own, moves the figures by what the table says."""
    old = Deal.read(write("old.toml", TAXI))
    everything = TAXI
    for before, after in EDITS.values():
        assert TAXI.count(before) == 1
        everything = everything.replace(before, after)
    everything = everything.replace('label = "Fares"', 'label = "Tickets"').replace(
        "[levels]", 'extra = "1_000 * 2"\n[levels]'
    )
    changes = old.changes_to(Deal.read(write("new.toml", everything)))
    found = {(one.section, one.name): one for one in changes.changes}
    assert set(found) == {*EDITS, ("lines", "extra")}
    base = old.weigh().measures
    for place, (before, after) in EDITS.items():
        alone = Deal.read(write("alone.toml", TAXI.replace(before, after))).weigh()
        assert found[place].verdict == alone.verdict, place
        for name, figure in alone.measures.items():
            moved = None if figure.value is None else figure.value - (base[name].value or 0.0)
            told = found[place].effects.get(name, 0.0 if figure.value is not None else None)
            assert told == pytest.approx(moved, abs=1e-9), (place, name)
    assert (found["lines", "extra"].old, found["lines", "extra"].effects) == ("-", {})
    assert found["goals", "payback"].effects == {}
    page = " ".join(str(changes).split())
    assert "inputs: hull 420000 455000" in page
    assert old.changes_to(old).changes == ()
    assert "say the same" in str(old.changes_to(old))


def test_two_files_of_one_deal_are_versions_and_two_deals_are_not(
    write: Callable[[str, str], Path], capsys: pytest.CaptureFixture[str]
) -> None:
    old, new = write("old.toml", TAXI), write("new.toml", TAXI.replace("value = 420_000", "value = 455_000"))
    other = write("other.toml", (STARTERS / "first/first.toml").read_text(encoding="utf-8"))
    assert status(["compare", str(old), str(new)]) == 0
    assert "What differs between the two versions" in capsys.readouterr().out
    assert status(["compare", str(old), str(other)]) == 0
    assert "What differs between" not in capsys.readouterr().out
    part = write(
        "part.toml", TAXI.replace("fare * trips", "fares_of").replace("[lines]", '[lines]\nfares_of = "fare * trips"')
    )
    lines = Deal.read(old).changes_to(Deal.read(part)).changes
    assert [(one.section, one.alone) for one in lines] == [("money_in", False), ("lines", True)]  # only together


def test_a_deal_is_weighed_again_when_it_is_saved(
    write: Callable[[str, str], Path], capsys: pytest.CaptureFixture[str]
) -> None:
    """Saved well, saved broken, saved again: the page stays, the mistake is told, what moved is marked."""
    path = write("deal.toml", TAXI)
    texts = iter([TAXI.replace("value = 420_000", "value = 470_000"), "deal = [", TAXI])

    def saves(known: set[Path]) -> Iterator[object]:
        assert path.resolve() in known
        for text in texts:
            path.write_text(text, encoding="utf-8")
            yield text
            return

    watch(path, lambda: Deal.read(path).weigh(), lambda weighing: weighing.document(), saves)
    first, second, third, fourth = capsys.readouterr().out.split("Watching ")[:4]
    assert "PAYS OFF" in first
    assert all(said in second for said in ("Was", "EUR 79,556.59"))
    assert "Hull and drive, delivered 420,000 → 470,000: pays off → nearly, because Payback is" in second
    assert "NEARLY" in third
    assert "Not weighed: deal.toml is not valid TOML" in third
    assert "470,000 → 420,000: nearly → pays off" in fourth
    taxi = Deal.read(write("deal.toml", TAXI))
    assert what_changed(taxi.weigh(), taxi.weigh(inputs={"hull": "421k"})).endswith("the verdict stays: pays off.")
    assert status(["weigh", str(path), "--watch", "--format", "json"]) == 2
    assert "--format does not go with --watch" in capsys.readouterr().err
