"""The pages of comparisons, and of what a change did."""
