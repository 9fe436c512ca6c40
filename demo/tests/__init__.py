"""Tests of the demo data: that it is what its descriptions say, and good enough to be seen first."""
