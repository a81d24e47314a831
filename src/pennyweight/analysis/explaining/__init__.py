"""Where a figure of a deal comes from."""
