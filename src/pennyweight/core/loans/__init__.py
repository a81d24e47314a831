"""Loans: one to the unit, many at once, and many stepped by somebody else's clock."""
