"""What changed on a server: found by comparing what it says of itself, and what is seen of it, with what was before."""
