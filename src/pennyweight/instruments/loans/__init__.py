"""Loans: terms, events, schedules, what a change would do, takeovers, loan files."""
