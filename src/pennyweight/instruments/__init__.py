"""The things an analyst holds, as small frozen objects that answer in words, tables and working."""
