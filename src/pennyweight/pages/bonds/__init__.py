"""The page of a bond."""
