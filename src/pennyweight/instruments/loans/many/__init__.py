"""Books of very many loans, read part by part."""
