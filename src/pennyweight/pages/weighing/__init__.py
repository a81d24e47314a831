"""The page of a weighing."""
