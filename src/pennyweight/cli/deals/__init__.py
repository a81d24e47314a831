"""The commands about deals, one module each."""
