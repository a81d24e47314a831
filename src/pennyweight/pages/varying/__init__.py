"""The page of a variation."""
