"""Documents become something to look at: a renderer each for the terminal and for pictures; files by their ending."""
