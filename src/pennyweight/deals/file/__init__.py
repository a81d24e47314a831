"""From the file to a definition: its shape, its sections, loans, scenarios and series."""
