"""Files read with exact complaints: text, TOML, tables of every kind, and the files inside a report."""
