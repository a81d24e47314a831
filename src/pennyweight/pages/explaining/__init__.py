"""The page of a why, and the derivations that others are made of."""
