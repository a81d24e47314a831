"""What happened to an account, and the returns it made."""
