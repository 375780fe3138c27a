"""Benchmarks: each figure is measured beside a bare counterpart in the same run, so
that it means something elsewhere."""
