"""The page of what was found."""
