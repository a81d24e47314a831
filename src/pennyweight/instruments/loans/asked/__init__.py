"""What is asked of a loan."""
