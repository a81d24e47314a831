"""When one can stop working: the pot that is needed, how long it takes, and what a rise of prices does to it."""

from __future__ import annotations

from pennyweight import Deal, grow, withdraw


def main() -> None:
    """A quick answer with two calls, then the deal that asks the same properly."""
    for inflation in ("1%", "2%", "3%"):
        pot = withdraw(withdrawal=24_000, growth=inflation, rate="4%", years=30, find="pot").answer
        years = grow(opening=60_000, deposit=900, per_year="month", rate="5%", growth=inflation, closing=pot).answer
        print(f"prices rise by {inflation}: a pot of {pot:,.0f}, there after {years:.1f} years")
    deal = Deal.starter("stop-working")
    weighing = deal.weigh()
    print(f"{weighing.title}: {weighing.verdict}")
    for name, answers in weighing.answers.items():
        print(f"  {deal.definition.label(name)}: {answers.shown}")


if __name__ == "__main__":
    main()
