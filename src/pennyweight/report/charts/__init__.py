"""Charts with Matplotlib, one module each: a function takes an `ax`, touches only it, and returns it."""
