"""Tests of the real interface: public names, command line, examples."""
