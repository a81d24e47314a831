"""Three offers of a loan side by side: payments, costs in all, and what a little more each month does."""

from __future__ import annotations

from pennyweight import Loan


def main() -> None:
    """The same house, three lenders."""
    offers = {
        "savings bank": Loan(240_000, "4.15%", years=25, start="2027-01-31", currency="EUR"),
        "cooperative": Loan(240_000, "3.95%", years=25, fee_up_front="1.2%", start="2027-01-31", currency="EUR"),
        "agency": Loan(240_000, "3.80%", years=30, fee_each=4, start="2027-01-31", currency="EUR"),
    }
    for name, loan in offers.items():
        data = loan.as_dict()
        print(
            f"{name:<13} {loan.payment:>9,.2f} a month, {loan.apr:.2%} a year with fees, "
            f"{data['total_interest'] + data['total_fees']:>11,.2f} in all"
        )
    for extra in offers["savings bank"].extras_table([50, 100, 200]):
        print(f"{extra.extra:>4.0f} more a month: {extra.payments_saved} payments and {extra.interest_saved:,.2f} less")
    needed = offers["savings bank"].extra_needed("2045-01-31")
    print(f"Paid off by 2045-01-31 with {needed.extra:,.2f} more a month")


if __name__ == "__main__":
    main()
