"""A bond, and all its figures on a day."""
