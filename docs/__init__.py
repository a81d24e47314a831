"""What is generated, and the scripts that do it."""
