"""How values are looked for: places guessed in step, ranges, and the answers found."""
