"""Numbers in, numbers out: the arithmetic everything else stands on."""
