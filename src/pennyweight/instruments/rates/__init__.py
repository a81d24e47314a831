"""One rate in all its forms."""
