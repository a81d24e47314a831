"""What drivers look like."""
