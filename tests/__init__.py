"""Isotomon's tests. Property tests draw the same examples each run, so that a red run can be repeated."""

from hypothesis import settings

settings.register_profile("isotomon", derandomize=True, deadline=None, print_blob=False)
settings.load_profile("isotomon")
