"""Watched servers: how to reach them, who collects them, what happened to the watching."""
