"""What is needed to release: the manual page, and the trial of the wheel."""
