"""Several loans at once, and a loan taken over."""
