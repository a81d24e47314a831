"""The command line: one thin module a command, no arithmetic."""
