"""The commands about loans, bonds, flows, portfolios and rates, one module each."""
