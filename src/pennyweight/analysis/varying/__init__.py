"""One or two inputs varied."""
