"""Commands that need neither web server nor store: they read files or a server, and print JSON."""
