"""Samples in, load out: the dictionary of combinations, narrowing, load by bucket, ranking by dimension."""
