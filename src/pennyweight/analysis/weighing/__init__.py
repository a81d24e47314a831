"""One case of a deal: its figures, goals, verdict, answers, tables, turning points and checks."""
