"""The formulas of a deal: their tree, their parser, their functions, the meaning of names."""
