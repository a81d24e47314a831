"""Which starters there are: what each answers, its deal or loan file, and the data that goes beside it."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path

__all__ = ["LIBRARY", "Starter"]


@dataclass(frozen=True, slots=True)
class Starter:
    """A ready-made file of ours: `place` is where it stands in this package, `data` what stands beside it."""

    answers: str
    place: str
    data: tuple[str, ...] = ()

    @property
    def is_loan(self) -> bool:
        """Whether it is a loan file, not a deal."""
        return self.place.startswith("loans/")

    @property
    def path(self) -> Path:
        """Where the file stands."""
        return Path(str(files("pennyweight") / "starters" / self.place))

    def text(self) -> str:
        """The file as it stands in the package."""
        return self.beside(self.place.rpartition("/")[2])

    def beside(self, name: str) -> str:
        """The text of a file in the same folder."""
        return (files("pennyweight") / "starters" / self.place.partition("/")[0] / name).read_text(encoding="utf-8")


LIBRARY = {
    "first": Starter("How do I write a deal of my own?", "first/first.toml"),
    "equipment": Starter("Should I buy the machine?", "business/equipment.toml"),
    "replacement": Starter("Should I replace the machine, and when?", "business/replacement.toml"),
    "project": Starter("Is the project worth its cost?", "business/project.toml"),
    "company": Starter("What is the company worth, and a share of it?", "business/company.toml"),
    "shops": Starter("Do new shops pay off, one by one and together?", "shops/shops.toml", ("shops.csv",)),
    "subscribers": Starter("Do the subscribers earn back what they cost?", "business/subscribers.toml"),
    "loan-lease-cash": Starter("Loan, lease or cash?", "business/loan-lease-cash.toml"),
    "taxi": Starter("Does a new line of business pay off?", "taxi/taxi.toml", ("ridership.csv",)),
    "four-flats": Starter("Does the rental house pay off?", "house/four-flats-house.toml"),
    "offices": Starter("Does the let building pay off, tenant by tenant?", "offices/offices.toml", ("tenants.csv",)),
    "plant": Starter("How much debt carries the plant?", "business/plant.toml"),
    "afford": Starter("What house can I afford?", "property/afford.toml"),
    "refinance": Starter("Should I refinance the loan?", "property/refinance.toml"),
    "guarantor": Starter("When can the guarantor be released?", "property/guarantor.toml"),
    "land": Starter("Can my business carry the land?", "property/land.toml"),
    "stop-working": Starter("When can I stop working?", "saving/stop-working.toml"),
    "income-fund": Starter("When does the fund's income cover my needs?", "saving/income-fund.toml"),
    "endowment-spending": Starter(
        "How much can an endowment spend and last for ever?", "saving/endowment-spending.toml"
    ),
    "bond-ladder": Starter("Is the bond ladder worth its price?", "saving/bond-ladder.toml"),
    "loan": Starter("Where does my running loan stand?", "loans/studio.toml", ("studio-events.csv",)),
    "takeover": Starter("What do I owe when I take a loan over?", "loans/four-flats-takeover.toml"),
    "layers": Starter("How do several loans go together?", "loans/four-flats.toml"),
}
"""Every starter by its name, in the order in which they are listed."""
