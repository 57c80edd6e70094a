"""The HTTP API: a router and schemas per resource. Reads through selectors, changes through actions."""
