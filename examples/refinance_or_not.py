"""Whether to refinance a running loan: what was really paid is told to it, then a new offer is set beside it."""

from __future__ import annotations

from pennyweight import Loan


def main() -> None:
    """A studio's loan after three years, and an offer at a lower rate with costs."""
    loan = Loan(
        86_000,
        "4.2%",
        years=15,
        start="2024-01-31",
        currency="EUR",
        events=[("2025-01-31", "rate", "4.6%"), ("2025-12-31", "extra", 1_500), ("2026-06-30", "paid", 0)],
    )
    print(f"owed on 2027-01-31: {loan.schedule.balance_after(36):,.2f}")
    for rate in ("4.0%", "3.6%", "3.2%"):
        offer = loan.refinancing(on="2027-01-31", rate=rate, years=12, costs=1_150, horizon=5)
        from_day = "never within five years" if offer.pays_after is None else f"after {offer.pays_after} payments"
        print(f"{rate}: {offer.payment_before:,.2f} becomes {offer.payment_after:,.2f}; it pays {from_day}")


if __name__ == "__main__":
    main()
