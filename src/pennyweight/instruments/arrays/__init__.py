"""The public array functions, one module a topic, so that one is loaded without the others."""
