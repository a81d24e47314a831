"""Questions asked of any deal: weigh, compare, vary, find, turning points."""
