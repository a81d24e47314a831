"""Ready-made deal files with their data; also the demo."""
