"""The page of returns."""
