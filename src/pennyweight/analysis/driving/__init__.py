"""Which inputs drive a figure: one at a time, and all together."""
