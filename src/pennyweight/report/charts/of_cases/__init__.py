"""Charts of many cases: where figures fall, how lines spread, what swings most."""
