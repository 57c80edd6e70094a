"""Schedule and supervision over the core's ports: who is asked when, and how answers reach the store. No Django."""
