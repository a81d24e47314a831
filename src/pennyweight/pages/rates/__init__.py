"""The page of a rate."""
