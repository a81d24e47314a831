"""How an account did, from a broker's export as it comes: other column names, other words, other decimals."""

from __future__ import annotations

import tempfile
from pathlib import Path

from pennyweight import Portfolio

EXPORT = """\
Larkmere Brokers;Account 4711
Booked on;Text;Value in EUR
31.12.2025;Wert;40.000,00
15.02.2026;Einzahlung;2.500,00
31.03.2026;Wert;43.600,00
20.06.2026;Auszahlung;1.000,00
30.06.2026;Wert;42.150,00
15.08.2026;Gebuehr;12,50
30.09.2026;Wert;44.310,00
"""


def main() -> None:
    """Read the export, and tell four returns of it."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "export.csv"
        path.write_text(EXPORT, encoding="utf-8")
        portfolio = Portfolio.from_csv(
            path,
            columns={"date": "Booked on", "kind": "Text", "amount": "Value in EUR"},
            kinds={"Wert": "value", "Einzahlung": "deposit", "Auszahlung": "withdrawal"},
        )
    report = portfolio.report(currency="EUR")
    print(report)
    for sentence in portfolio.left_out:
        print(sentence)


if __name__ == "__main__":
    main()
