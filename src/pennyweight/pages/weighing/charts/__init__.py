"""What of a weighed deal is drawn."""
