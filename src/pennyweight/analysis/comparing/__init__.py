"""Scenarios, deals and versions side by side."""
