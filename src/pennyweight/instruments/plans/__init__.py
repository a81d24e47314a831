"""Pots and debts: one unknown of five, the page, the working."""
