"""What simulated deals look like."""
