"""The pages of pots and debts."""
