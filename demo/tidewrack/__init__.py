"""Tidewrack Ferries: a made-up ferry line, whose database the demo watches."""
