"""Rules about what may be wrong with a plan, by what they look at: each reads a Look and yields findings."""
