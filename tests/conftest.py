"""Every run tries the same examples, so that green today is green tomorrow; `make thorough` looks further."""

from hypothesis import settings

settings.register_profile("the same every time", derandomize=True, deadline=None, database=None)
settings.load_profile("the same every time")
