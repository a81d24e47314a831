"""The pages of cash flows."""
