"""A deal file becomes figures: reading and checking it, its formulas, one vectorized evaluation."""
