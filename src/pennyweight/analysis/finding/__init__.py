"""The value of an input that makes something come true."""
