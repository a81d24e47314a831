"""A loan's terms, what happens to it, and its books."""
