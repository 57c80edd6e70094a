"""Requests out of traces: spans → trees → layers and statements → endpoints and what is found of them. Pure."""
