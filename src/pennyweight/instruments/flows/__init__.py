"""Cash flows, their measures on one page, their present value step by step."""
