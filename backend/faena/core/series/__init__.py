"""Time: windows, ticks, buckets, gaps, and how sure a sampled figure is."""
