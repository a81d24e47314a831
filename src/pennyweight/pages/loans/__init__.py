"""The pages of loans."""
