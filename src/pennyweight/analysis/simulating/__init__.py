"""What may come: uncertain inputs drawn many times."""
