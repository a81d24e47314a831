"""Loan files and tables of events."""
